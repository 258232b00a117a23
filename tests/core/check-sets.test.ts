import { describe, expect, it } from "vitest";
import { asSet, checkSetSchema, setsOf, withSet, type CheckSet } from "@/core/plan/check-sets.ts";
import { isRule } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { planOf } from "../support/plans.ts";

const plan = planOf(
  [
    { name: "lat", type: "decimal", precision: 7, scale: 4 },
    { name: "lon", type: "decimal", precision: 7, scale: 4 },
    { name: "n", type: "integer" },
  ],
  {
    check: [
      { name: "own", that: "n > 0", on_failure: "note" },
      { check: "unique", in: ["lat", "lon"] },
    ],
  },
);
const coordinates: CheckSet = {
  name: "coordinates",
  version: 1,
  checks: [
    { name: "not in the gulf", that: "lat != 0.0 || lon != 0.0", on_failure: "hold" },
    { name: "own", that: "it < 90.0", in: ["lat"], on_failure: "hold" },
    { name: "high", that: "altitude < 9000", on_failure: "hold" },
  ],
};

describe("a set of checks", () => {
  const { plan: taken, left } = withSet(plan, coordinates);
  const names = (p: typeof plan) => p.check.map((c) => (isRule(c) ? c.name : c.check));

  it("is put into a plan as far as it has the fields, and names do not clash", () => {
    expect(names(parsePlan(taken))).toEqual(["own", "unique", "not in the gulf", "own 2"]);
    expect(left).toEqual(["high, for there is no field altitude"]);
    expect([...setsOf(taken)]).toEqual([["coordinates", 1]]);
    expect(setsOf(plan).size).toBe(0);
  });

  it("is taken over at a newer version in its place, with the policies that the plan gave", () => {
    const noted = {
      ...taken,
      check: [
        ...taken.check.map((c) =>
          isRule(c) && c.name === "not in the gulf" ? { ...c, on_failure: "note" as const } : c,
        ),
        { name: "last", that: "n < 9", on_failure: "hold" as const },
      ],
    };
    const next: CheckSet = {
      ...coordinates,
      version: 2,
      checks: [coordinates.checks[0]!, { name: "in the north", that: "lat > 0.0", on_failure: "hold" }],
    };
    const { plan: newer } = withSet(noted, next);
    expect(names(newer)).toEqual(["own", "unique", "not in the gulf", "in the north", "last"]);
    expect(newer.check[2]).toMatchObject({ on_failure: "note", from_set: { name: "coordinates", version: 2 } });
    expect([...setsOf(newer)]).toEqual([["coordinates", 2]]);
  });

  it("is made of a plan's checks by formula", () => {
    const set = asSet(taken);
    expect(set.map((c) => c.name)).toEqual(["own", "not in the gulf", "own 2"]);
    expect(checkSetSchema.parse(set)).toEqual(set);
    expect(checkSetSchema.safeParse([]).success).toBe(false);
  });
});
