import { describe, expect, it } from "vitest";
import { compareReports } from "@/core/report/compare.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

const FIELDS = [
  { name: "a", type: "text", required: true },
  { name: "n", type: "integer" },
];

describe("two load reports", () => {
  it("stand beside each other: balance, fields, checks and steps, what moved most first", async () => {
    const one = await siftAll(planOf(FIELDS, { cleanse: [{ do: "trim", in: "*" }] }), [
      csv("a,n\nx,1\n y,2\n,3\nz,q\n"),
    ]);
    const other = planOf([...FIELDS, { name: "b", type: "text" }], { cleanse: [{ do: "trim", in: ["a"] }] });
    const two = await siftAll(other, [csv("a,n,b\nx,1,\ny,,k\n")]);
    const found = compareReports(one.report, two.report);
    expect(found.outcomes).toEqual([
      { name: "read", before: 4, after: 2 },
      { name: "inserted", before: 2, after: 2 },
      { name: "held", before: 2, after: 0 },
    ]);
    expect(found.fields.map((f) => [f.name, f.filled.before, f.filled.after, f.valid.before])).toEqual([
      ["a", 0.75, 1, 1],
      ["n", 1, 0.5, 0.75],
      ["b", null, 0.5, null],
    ]);
    expect(found.checks.map((c) => [c.key, c.before, c.after])).toEqual([
      ["a:required", 0.25, 0],
      ["n:type", 0.25, 0],
    ]);
    expect(found.steps).toEqual([
      { name: "trim the ends in a", before: null, after: 0 },
      { name: "trim the ends in all fields", before: 1, after: null },
    ]);
  });

  it("are alike where nothing differs", async () => {
    const { report } = await siftAll(planOf(FIELDS), [csv("a,n\nx,1\n")]);
    const { checks, outcomes } = compareReports(report, report);
    expect(checks).toEqual([]);
    expect(outcomes.every((o) => o.before === o.after)).toBe(true);
  });
});
