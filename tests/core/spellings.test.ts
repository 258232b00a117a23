import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { findSpellings, spellingKey, undecided } from "@/core/cleanse/spellings.ts";
import { editDistance, similarity } from "@/core/kernel/distance.ts";

const counted = (values: Record<string, number>): { value: string; count: number }[] =>
  Object.entries(values).map(([value, count]) => ({ value, count }));

const groups = (values: Record<string, number>): Record<string, string[]> =>
  Object.fromEntries(findSpellings(counted(values)).map((g) => [g.proposed.value, g.variants.map((v) => v.value)]));

describe("what is left to decide", () => {
  const found = findSpellings(
    counted({ "Outer Skerry": 30, "Outer Skery": 2, "outer skerry": 1, "Skerry (Outer)": 1 }),
  );
  const left = (table: Record<string, string[]>, ...passed: string[]): Record<string, string[]> =>
    Object.fromEntries(
      undecided(found, table, new Set(passed)).map((g) => [g.proposed.value, g.variants.map((v) => v.value).sort()]),
    );

  it("is each variant that neither became a value nor was said to be another", () => {
    expect(left({})).toEqual({ "Outer Skerry": ["Outer Skery", "Skerry (Outer)", "outer skerry"] });
    expect(left({ "Outer Skerry": ["Outer Skery"] }, "Skerry (Outer)")).toEqual({ "Outer Skerry": ["outer skerry"] });
    expect(left({ "Outer Skerry": ["Outer Skery", "outer skerry"] }, "Skerry (Outer)")).toEqual({});
  });

  it("is held against the variant that was said to be the proper spelling, not against what became it", () => {
    expect(left({ "Outer Skery": ["Outer Skerry"] })).toEqual({ "Outer Skery": ["Skerry (Outer)", "outer skerry"] });
    expect(left({ "Outer Skery": ["Outer Skerry", "outer skerry"] }, "Skerry (Outer)")).toEqual({});
  });
});

describe("spellings of one value", () => {
  it("differ in case, accents, marks and order, or by a slip of the pen", () => {
    expect(
      groups({
        "Outer Skerry": 40,
        "outer  skerry": 3,
        "Skerry, Outer": 2,
        "Outer Skery": 1,
        "Outter Skerry": 1,
        "Mill Creek": 30,
        "Mill Creak": 2,
        "Zoë Penhale": 9,
        "Zoe Penhale": 4,
      }),
    ).toEqual({
      "Outer Skerry": ["outer  skerry", "Skerry, Outer", "Outer Skery", "Outter Skerry"],
      "Mill Creek": ["Mill Creak"],
      "Zoë Penhale": ["Zoe Penhale"],
    });
  });

  it("are not two values that are both frequent, nor codes with other digits, nor short words", () => {
    expect(groups({ "Marsh North": 40, "Marsh Norte": 30 })).toEqual({});
    expect(groups({ "Quadrat A-17": 40, "Quadrat A-18": 1 })).toEqual({});
    expect(groups({ fern: 40, fen: 1 })).toEqual({});
  });

  it("do not chain: each is near the proposed spelling itself", () => {
    const found = groups({ aaaaaaaaaa: 900, aaaaaaaaab: 200, aaaaaaaabb: 60, aaaaaaabbb: 20, aaaaaabbbb: 5 });
    for (const [proposed, variants] of Object.entries(found)) {
      for (const v of variants) expect(similarity(proposed, v)).toBeGreaterThanOrEqual(0.84);
    }
  });

  it("lose no value and put each in one group", () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.record({ value: fc.string({ maxLength: 12 }), count: fc.integer({ min: 1, max: 99 }) }), {
          selector: (v) => v.value,
          maxLength: 40,
        }),
        (values) => {
          const found = findSpellings(values).flatMap((g) => [g.proposed.value, ...g.variants.map((v) => v.value)]);
          expect(new Set(found).size).toBe(found.length);
          for (const g of findSpellings(values)) {
            for (const v of g.variants) {
              if (v.likeness === 1) expect(spellingKey(v.value)).toBe(spellingKey(g.proposed.value));
            }
          }
        },
      ),
    );
  });

  it("are found among ten thousand values within seconds", () => {
    const parts = ["alder", "birk", "corrie", "dun", "esk", "fell", "garth", "holm", "inch", "keld"];
    const word = (n: number): string => `${parts[n % 10]}${parts[Math.floor(n / 10) % 10]}`;
    const values = Array.from({ length: 10_000 }, (_, i) => ({
      value: `${word(i)} ${word(Math.floor(i / 100))}`,
      count: 100,
    }));
    const found = findSpellings([...values, { value: "Keldhhollm Alderbirk", count: 3 }]);
    const group = found.find((g) => g.variants.some((v) => v.value === "Keldhhollm Alderbirk"));
    expect(spellingKey(group!.proposed.value)).toBe("alderbirk keldholm");
  });
});

describe("the distance of two texts", () => {
  it.each([
    ["", "", 0],
    ["abc", "", 3],
    ["ab", "ba", 1],
    ["ca", "abc", 3],
    ["skerry", "skery", 1],
    ["🌱a", "a🌱", 1],
    ["kitten", "sitting", 3],
  ])("of %j and %j is %i", (a, b, d) => {
    expect(editDistance(a, b)).toBe(d);
    expect(editDistance(b, a)).toBe(d);
  });

  it("is never more than the longer text, and nothing for the same", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 9 }), fc.string({ unit: "binary", maxLength: 9 }), (a, b) => {
        expect(editDistance(a, a)).toBe(0);
        expect(similarity(a, b)).toBeGreaterThanOrEqual(0);
        expect(editDistance(a, b) === 0).toBe(a === b);
      }),
    );
  });
});
