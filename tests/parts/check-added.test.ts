import { describe, expect, it, vi } from "vitest";
import { z } from "zod";
import { cellText } from "@/core/kernel/bytes.ts";
import { eachCell } from "@/core/kernel/column.ts";
import type { CheckPart } from "@/core/field/checks/part.ts";

/** A check on a field's cells is one file and one line of the list: all else knows it from there. */

const options = { ends: z.string().min(1).max(3).optional().describe("What a value ends with") };

const ends: CheckPart<typeof options> = {
  id: "ends",
  about: "A value ends as it should.",
  options,
  inTable: true,
  misfit: (f) => (f.type === "text" ? null : "Only a text ends with something."),
  fault: (f) => (f.ends === "?" ? "Nobody asks." : null),
  asked: (f) => f.ends !== undefined,
  words: (f) => `ends with ${f.ends}`,
  title: (f) => `${f.name} ends with ${f.ends}`,
  failing: (name) => `${name} ends otherwise`,
  message: (f, value) => `${f.name} “${value}” does not end with ${f.ends}.`,
  expected: (f) => `something and ${f.ends}`,
  test: (f) => eachCell((heap, cells, r) => cellText(heap, cells, r).endsWith(f.ends!)),
  examples: [{ field: { name: "a", type: "text", ends: "!" }, pass: ["a!"], fail: ["a"] }],
};

vi.mock("@/core/field/checks/parts.ts", async (original) => {
  const { CHECKS } = await original<typeof import("@/core/field/checks/parts.ts")>();
  return { CHECKS: { ...CHECKS, ends } };
});

const { planJsonSchema } = await import("@/core/plan/schema.ts");
const { checksPage } = await import("@/core/docs/parts.ts");
const { giveContract, CONTRACT_STANDARDS } = await import("@/core/interop/contract.ts");
const { printCheck, readCheck } = await import("@/core/check/identity.ts");
const { CHECK_COLUMNS, withChecked, withType } = await import("@/ui/plan/check/field-edits.ts");
const { siftAll, csv } = await import("../support/sift.ts");
const { planOf } = await import("../support/plans.ts");

const FIELD = { name: "a", type: "text", ends: "!" } as const;

describe("a check on a field's cells that was added", () => {
  it("stands in the plan's schema and in the docs", () => {
    expect(JSON.stringify(planJsonSchema())).toContain("What a value ends with");
    expect(checksPage()).toContain(
      '| `ends` | A value ends as it should. | `ends` | a ends with !: `"a!"`, and not `"a"` |',
    );
  });
  it("has its option held to what it may be, and a policy of its own", () => {
    expect(() => planOf([{ ...FIELD, ends: "long" }])).toThrow();
    expect(() => planOf([{ ...FIELD, ends: "?" }])).toThrow(
      expect.objectContaining({ detail: expect.stringContaining("Nobody asks.") }),
    );
    expect(() => planOf([{ ...FIELD, type: "integer" }])).toThrow(
      expect.objectContaining({ detail: expect.stringContaining("Only a text ends") }),
    );
    expect(planOf([{ ...FIELD, on_failure: { ends: "note" } }]).contract.fields[0]!.on_failure).toEqual({
      ends: "note",
    });
  });
  it("is made in a course, by its policy and with its words", async () => {
    const plan = planOf([{ ...FIELD, on_failure: { ends: "note" } }]);
    const { records, report } = await siftAll(plan, [csv("a\nx\nx!\n")]);
    expect(records[0]!.problems).toMatchObject([{ check: "a:ends" }]);
    expect(records[1]!.problems).toEqual([]);
    expect(report.checks).toContainEqual(
      expect.objectContaining({ title: "a ends with !", problems: 1, onFailure: "note" }),
    );
  });
  it("has its key written and read", () => {
    const identity = { kind: "field", fields: ["a"], check: "ends" as never } as const;
    expect(readCheck(printCheck(identity))).toEqual(identity);
  });
  it("has a column in the table of fields, and can be typed there", () => {
    const column = CHECK_COLUMNS.find((c) => c.option === "ends")!;
    expect(column.kind).toBe("text");
    expect(withChecked({ name: "a", type: "text" }, column, "!")).toEqual(FIELD);
    expect(withChecked({ name: "a", type: "integer" }, column, "!")).toEqual({ name: "a", type: "integer" });
    expect(withType(FIELD, "integer")).toEqual({ name: "a", type: "integer" });
  });
  it("is told as lost by contract standards that have no words for it", () => {
    for (const standard of CONTRACT_STANDARDS) {
      const { lost } = giveContract(planOf([FIELD]), standard);
      expect([standard, lost.includes("a: ends with !")]).toEqual([standard, true]);
    }
  });
});
