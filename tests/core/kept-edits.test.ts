import { describe, expect, it } from "vitest";
import type { MatchSection } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { withField, withKept } from "@/ui/plan/match/kept-edits.ts";

const plan = { contract: { fields: [{ name: "partner" }, { name: "town" }] } } as unknown as Plan;
const match = { fields: [{ in: ["town"], by: "words" }] } as unknown as MatchSection;

describe("whose value is kept, as it is set", () => {
  it("is a rule for a field, beside the others", () => {
    const one = withKept(plan, match, "town", "complete");
    expect(one).toEqual({ ...match, keep: { town: "complete" } });
    expect(withKept(plan, one, "*", "recent")).toEqual({ ...match, keep: { town: "complete", "*": "recent" } });
    expect(match).toEqual({ fields: [{ in: ["town"], by: "words" }] });
  });

  it("goes with its field, and the list with the last", () => {
    const two = withKept(plan, withKept(plan, match, "town", "complete"), "partner", "recent");
    expect(withKept(plan, two, "town", null)).toEqual({ ...match, keep: { partner: "recent" } });
    expect(withKept(plan, withKept(plan, two, "town", null), "partner", null)).toEqual(match);
  });

  it("has something to go by from the beginning on, and keeps what was said", () => {
    expect(withKept(plan, match, "town", "trusted").trust).toEqual({ field: "partner", order: ["first"] });
    expect(withKept(plan, match, "town", "ranked").rank).toBe("0");
    const said: MatchSection = { ...match, trust: { field: "town", order: ["a"] }, rank: "size(town)" };
    expect(withKept(plan, said, "town", "trusted")).toEqual({ ...said, keep: { town: "trusted" } });
    expect(withKept(plan, said, "town", "ranked")).toEqual({ ...said, keep: { town: "ranked" } });
  });
});

describe("a field that a match names", () => {
  it("is another, or none", () => {
    const named = withField(match, "recent", "town");
    expect(named).toEqual({ ...match, recent: "town" });
    expect(withField(named, "recent", "partner")).toEqual({ ...match, recent: "partner" });
    expect(withField(named, "recent", undefined)).toEqual(match);
    expect(withField(named, "score_in", "town")).toEqual({ ...named, score_in: "town" });
  });
});
