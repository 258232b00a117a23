import { describe, expect, it, vi } from "vitest";
import { z } from "zod";
import { byText, type StepPart } from "@/core/cleanse/part.ts";
import type { StandardPart } from "@/core/interop/part.ts";

/** A step and a contract standard are one file and one line each: all else knows them from there. */

const shout: StepPart<{ readonly times: number }> = {
  id: "shout",
  title: "Shout",
  about: "Puts exclamation marks behind a value.",
  options: { times: z.int().min(1).max(9).describe("How many marks there are to be") },
  words: ({ times }) => `${times} marks`,
  apply: ({ times }) => byText((text) => text + "!".repeat(times)),
  examples: [{ options: { times: 2 }, from: "a", to: "a!!" }],
};

vi.mock("@/core/cleanse/index.ts", async (original) => {
  const own = await original<typeof import("@/core/cleanse/index.ts")>();
  const part = (id: string): unknown => (id === "shout" ? shout : own.stepPart(id as never));
  return { ...own, STEPS: { ...own.STEPS, shout }, STEP_IDS: [...own.STEP_IDS, "shout"], stepPart: part };
});
vi.mock("@/core/interop/parts.ts", async (original) => {
  const { STANDARD_PARTS } = await original<typeof import("@/core/interop/parts.ts")>();
  const odd: StandardPart<"odd"> = {
    id: "odd",
    title: "An odd standard",
    knows: (d) => d["odd"] === true,
    says: () => true,
    give: (plan) => ({ document: { odd: true, names: plan.contract.fields.map((f) => f.name) }, lost: ["types"] }),
    take: (d) => ({ fields: (d["names"] as string[]).map((name) => ({ name, type: "text" })), key: [], lost: [] }),
  };
  return { STANDARD_PARTS: [odd, ...STANDARD_PARTS] };
});

const { planJsonSchema } = await import("@/core/plan/schema.ts");
const { stepsPage } = await import("@/core/docs/parts.ts");
const { stepWords } = await import("@/core/plan/words.ts");
const { CONTRACT_STANDARDS, giveContract, standardTitle, takeContract } = await import("@/core/interop/contract.ts");
const { siftAll, csv } = await import("../support/sift.ts");
const { planOf } = await import("../support/plans.ts");

describe("a step that was added", () => {
  const plan = planOf([{ name: "a", type: "text" }], { cleanse: [{ do: "shout", in: "*", times: 2 }] });
  it("stands in the plan's schema, in the docs and in words", () => {
    expect(JSON.stringify(planJsonSchema())).toContain("How many marks there are to be");
    expect(stepsPage()).toContain("| `shout` | Puts exclamation marks behind a value. | `times` |");
    expect(stepWords(plan.cleanse[0]!)).toBe("2 marks in all fields");
  });
  it("has its options held to what they may be", () => {
    const wrong = (step: object) => () =>
      planOf([{ name: "a", type: "text" }], { cleanse: [{ do: "shout", in: "*", ...step }] });
    expect(wrong({ times: 0 })).toThrow();
    expect(wrong({ times: 2, more: 1 })).toThrow();
  });
  it("is taken in a course, and its cells are counted", async () => {
    const { records, report } = await siftAll(plan, [csv("a,b\nx,1\n,2\n")]);
    expect(records.map((r) => r.values)).toEqual([["x!!"], [""]]);
    expect(report.steps).toEqual([{ words: "2 marks in all fields", changed: 1 }]);
  });
});

describe("a contract standard that was added", () => {
  it("is offered, given out and told by what is in a document", () => {
    const plan = planOf([{ name: "a", type: "integer" }]);
    expect(CONTRACT_STANDARDS).toContain("odd");
    expect(standardTitle("odd" as never)).toBe("An odd standard");
    const { document, lost } = giveContract(plan, "odd" as never);
    expect(lost).toEqual(["types"]);
    expect(takeContract(document)).toMatchObject({ standard: "odd", fields: [{ name: "a", type: "text" }] });
    expect(takeContract(giveContract(plan, "json-schema").document).standard).toBe("json-schema");
  });
});
