import { describe, expect, it, vi } from "vitest";
import { z } from "zod";
import { gatePart } from "@/core/gate/part.ts";
import type { SieveError } from "@/core/kernel/problem.ts";

/** A gate is one file and one line of the list: all else knows it from there. */

vi.mock("@/core/gate/parts.ts", async (original) => {
  const { GATE_PARTS } = await original<typeof import("@/core/gate/parts.ts")>();
  const odd = gatePart({
    id: "odd number",
    title: "an odd number of records",
    about: "An odd number of records stops the load, or of values of a field.",
    options: { field: z.string(), more: z.int().describe("How many more are thought of") },
    sentence: "records and {more} more, {field} too, are odd",
    controls: { more: "number", field: "field" },
    types: ["integer"],
    figures: true,
    begin: (field) => ({ field, more: 0 }),
    judge: ({ field, more }, { read, figures }) => ({
      passed: (read + more) % 2 === 0,
      message: `${read} and ${more}; ${figures.find((f) => f.field === field)?.sum} in all.`,
    }),
    examples: [{ options: { field: "n", more: 0 }, measured: { read: 1 }, passed: false, says: "1 and 0" }],
  });
  return { GATE_PARTS: [...GATE_PARTS, odd] };
});

const { planJsonSchema } = await import("@/core/plan/schema.ts");
const { renameField, removeField } = await import("@/core/plan/edit.ts");
const { usedIn } = await import("@/core/plan/uses.ts");
const { checksPage } = await import("@/core/docs/parts.ts");
const { siftAll, csv } = await import("../support/sift.ts");
const { planOf } = await import("../support/plans.ts");

const FIELDS = [
  { name: "n", type: "integer" },
  { name: "t", type: "text" },
];
const plan = planOf(FIELDS, { gates: [{ limit: "odd number", field: "n", more: 0 }] });

describe("a gate that was added", () => {
  it("stands in the plan's schema and in the docs", () => {
    expect(JSON.stringify(planJsonSchema())).toContain("How many more are thought of");
    expect(checksPage()).toContain("`odd number`");
  });
  it("is held to the fields that it needs", () => {
    const fault = (gate: object): string => {
      try {
        planOf(FIELDS, { gates: [{ limit: "odd number", ...gate }] });
        return "";
      } catch (error) {
        return (error as SieveError).detail;
      }
    };
    expect(fault({ field: "t", more: 0 })).toMatch(/needs integer/);
    expect(fault({ field: "x", more: 0 })).toMatch(/no field x/);
    expect(fault({ field: "n", more: 0.5 })).toMatch(/gates\.0\.more/);
    expect(fault({ field: "n", more: 0, other: 1 })).toMatch(/other/);
    expect(fault({ field: "n", more: 0 })).toBe("");
  });
  it("follows a field that is renamed and goes with one that is removed", () => {
    expect(renameField(plan, "n", "m").gates).toEqual([{ limit: "odd number", field: "m", more: 0 }]);
    expect(removeField(plan, "n").gates).toEqual([]);
    expect(usedIn(plan, "n").map((u) => u.says)).toContain("the gate on its odd number");
  });
  it("is measured in a load, with what its field comes to", async () => {
    const { report } = await siftAll(plan, [csv("n,t\n1,a\n2,b\n4,c\n")]);
    expect(report.gates).toEqual([{ gate: "odd number of n", passed: false, message: "3 and 0; 7 in all." }]);
  });
});
