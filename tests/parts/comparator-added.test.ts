import { describe, expect, it, vi } from "vitest";
import { z } from "zod";
import type { ComparatorPart } from "@/core/match/part.ts";

/** A comparator is one file and one line: all else knows it from there. */

const vowels: ComparatorPart<{ readonly also?: string | undefined }> = {
  id: "vowels",
  title: "The same vowels",
  about: "Alike where all vowels are the same.",
  source: "made up here",
  options: { also: z.string().max(3).optional().describe("What else is a vowel") },
  blocking: "words",
  prepare: () => (text) => text.trim().toLowerCase(),
  compare: ({ also = "" }) => {
    const left = (text: string): string => [...text].filter((c) => `aeiou${also}`.includes(c)).join("");
    return (a, b) => (a === b ? 1 : left(a) === left(b) ? 0.9 : 0);
  },
  levels: [0.85],
  examples: [{ options: {}, a: "Fen", b: "Hedge", likeness: 0 }],
};

vi.mock("@/core/match/compare/index.ts", async (original) => {
  const own = await original<typeof import("@/core/match/compare/index.ts")>();
  const part = (id: string): unknown => (id === "vowels" ? vowels : own.comparatorPart(id as never));
  return {
    ...own,
    COMPARATORS: { ...own.COMPARATORS, vowels },
    COMPARATOR_IDS: [...own.COMPARATOR_IDS, "vowels"],
    comparatorPart: part,
  };
});

const { planJsonSchema } = await import("@/core/plan/schema.ts");
const { matchingPage } = await import("@/core/docs/parts.ts");
const { Matcher } = await import("@/core/match/match.ts");
const { whyWords } = await import("@/core/match/why.ts");
const { planOf } = await import("../support/plans.ts");

const plan = (field: object) =>
  planOf([{ name: "a", type: "text" }], { match: { fields: [{ in: ["a"], ...field }] } } as never);

describe("a comparator that was added", () => {
  it("stands in the plan's schema and in the docs", () => {
    expect(JSON.stringify(planJsonSchema())).toContain("What else is a vowel");
    expect(matchingPage()).toContain("| `vowels` | Alike where all vowels are the same.");
  });

  it("has its options held to what they may be, and as many weights as it has levels", () => {
    expect(plan({ by: "vowels", also: "y" }).match!.fields[0]).toMatchObject({ by: "vowels", also: "y" });
    expect(() => plan({ by: "vowels", also: "wxyz" })).toThrow();
    expect(() => plan({ by: "vowels", other: 1 })).toThrow();
    expect(() => plan({ by: "vowels", weights: [1, 2] })).toThrow();
    expect(plan({ by: "vowels", weights: [3, 2, -1] }).match!.fields[0]!.weights).toEqual([3, 2, -1]);
  });

  it("is compared by, and its levels give their bits", () => {
    const matcher = new Matcher([{ in: ["a"], by: "vowels" as never, also: "y", weights: [8, 4, -8] }], {
      among: true,
    });
    for (const text of ["fen bay", "fen bay", "ben day", "fin bay"]) matcher.incoming.add([text]);
    matcher.prepare();
    matcher.estimate();
    const bits = (a: number, b: number): number => matcher.explain(a, b).bits;
    expect(bits(1, 0)).toBeGreaterThan(bits(2, 0));
    expect(bits(2, 0)).toBeGreaterThan(bits(3, 0));
    expect(matcher.explain(2, 0).levels).toEqual([1]);
    expect(matcher.explain(3, 0).levels).toEqual([2]);
    expect(whyWords({ in: ["a"], by: "vowels" as never }, "fen", "fin", -8)).toBe("one letter differs");
  });
});
