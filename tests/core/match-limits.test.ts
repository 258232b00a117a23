import { describe, expect, it } from "vitest";
import { addressParts } from "@/core/match/compare/address.ts";
import type { Matcher, Pairs } from "@/core/match/match.ts";
import { USUAL_PRECISION, askedFrom, chosenOf, mostOf } from "@/core/match/model/best-limit.ts";
import type { Choice } from "@/core/match/model/choose.ts";
import { wordOf, type Joined } from "@/core/match/model/count.ts";
import { limitsWords } from "@/core/match/model/doubts.ts";
import type { Fit } from "@/core/match/model/kinds.ts";
import { probabilityOf, scoreOf } from "@/core/match/model/score.ts";
import { featuresOf } from "@/core/match/pairs/features.ts";
import { estimateOfLimits, joinedBy, type Resolution } from "@/core/match/resolve.ts";
import { matchSchema } from "@/core/match/schema.ts";
import { bandsOfBars, wordsOfBars, wordsOfPairs } from "@/ui/matches/score-bars.ts";

const fitOf = (gain: number): Fit => ({ gain }) as Fit;
const FIT = fitOf(1);
const at = (limit: number, joined: number, wrong: number, fit = FIT, alike = wrong): Joined => ({
  fit,
  limit,
  joined,
  wrong,
  seen: 1,
  alike,
});

describe("the limit that is taken", () => {
  it("is where most is joined rightly, a wrong pair as bad as six right ones", () => {
    // Of 1,000 with 4 wrong 976 are worth it, of 990 with 1 wrong 984.
    expect(chosenOf([at(3, 1_000, 4), at(6, 990, 1), at(9, 900, 0.6)], {})?.limit).toBe(6);
    expect(chosenOf([at(3, 1_000, 2), at(6, 990, 1), at(9, 900, 0.6)], {})?.limit).toBe(3);
  });
  it("is the lower one of two that are worth the same", () => {
    expect(chosenOf([at(3, 1_000, 1), at(6, 1_000, 1)], {})?.limit).toBe(3);
  });
  it("is of no more doubt than a chance of five to one", () => {
    expect(chosenOf([at(2.1, 1_000, 0.6), at(2.4, 500, 0.6)], {})?.limit).toBe(2.4);
    expect(chosenOf([at(2.1, 1_000, 0.6)], {})).toBeNull();
  });
  it("is a looser one only where the stricter would leave a tenth undone, and never where a precision is set", () => {
    const loose = at(3, 1_000, 15);
    expect(chosenOf([loose, at(9, 910, 0.6)], {})?.limit).toBe(9);
    expect(chosenOf([loose, at(9, 880, 0.6)], {})?.limit).toBe(3);
    expect(chosenOf([loose], {})?.limit).toBe(3);
    expect(chosenOf([loose], { precision: USUAL_PRECISION })).toBeNull();
    expect(chosenOf([loose, at(9, 500, 0.6)], { precision: 0.99 })?.limit).toBe(9);
    expect(chosenOf([at(3, 1_000, 21)], {})).toBeNull();
  });
  it("needs ten right ones, unless hardly any would be wrong", () => {
    expect(chosenOf([at(3, 9.4, 0.4)], {})).toBeNull();
    expect(chosenOf([at(3, 10.5, 0.5)], {})?.limit).toBe(3);
    expect(chosenOf([at(3, 9, 0.01)], {})?.limit).toBe(3);
    expect(chosenOf([at(3, 0, 0.5)], {})).toBeNull();
  });
  it("is the likeliest fit's of those that are as good as can be told", () => {
    const [one, other] = [fitOf(100), fitOf(200)];
    expect(chosenOf([at(3, 1_000, 0.5, one), at(6, 998, 0.5, other)], {})?.fit).toBe(other);
    expect(chosenOf([at(3, 1_000, 0.5, one), at(6, 990, 0.5, other)], {})?.fit).toBe(one);
  });
});

describe("where people are asked, as nothing can be joined", () => {
  it("is where most is found for its questions, a fifth of them the same at least", () => {
    expect(askedFrom([at(1, 100, 0, FIT, 60), at(2, 80, 0, FIT, 30)])?.limit).toBe(2);
    // 20 of 100 are the same, and then 19.
    expect(askedFrom([at(1, 100, 0, FIT, 80)])?.limit).toBe(1);
    expect(askedFrom([at(1, 100, 0, FIT, 81)])).toBeNull();
  });
  it("is nowhere where fewer than ten are more than look-alikes account for", () => {
    expect(askedFrom([at(1, 15, 0, FIT, 5)])?.limit).toBe(1);
    expect(askedFrom([at(1, 15, 0, FIT, 5.1)])).toBeNull();
    expect(askedFrom([at(1, 15, 0, FIT, 40)])).toBeNull();
    expect(askedFrom([])).toBeNull();
  });
});

describe("the fits that are looked at once more", () => {
  it("are the three that have most more pairs than look-alikes account for", () => {
    const fits = [1, 2, 3, 4].map(fitOf);
    const list = fits.flatMap((fit, i) => [at(1, 100 + 10 * i, 0, fit, 20), at(2, 50, 0, fit, 45)]);
    expect(mostOf(list).map((f) => f.gain)).toEqual([4, 3, 2]);
  });
});

describe("what is known of limits in use", () => {
  const bits = [-4, 2, 5, 8, 8];
  const pairs = { count: bits.length, bits: Float64Array.from([...bits, 99]) } as unknown as Pairs;
  const choice = (more: Partial<Choice>): Choice =>
    ({
      basis: "counted",
      doubts: [],
      differing: [],
      answered: { right: 0, all: 0 },
      precision: 0.99,
      curve: [
        { bits: 2, wrong: 0.03, within: { low: 0.01, high: 0.08 } },
        { bits: 5, wrong: 0.004, within: { low: 0.001, high: 0.02 } },
        { bits: 8, wrong: 0, within: null },
      ],
      ...more,
    }) as Choice;
  const limits = (same: number): { same: number; ask: number } => ({ same: scoreOf(same), ask: 50 });

  it("is what was counted at the limit, between which shares, and the model's word on how many are found", () => {
    const known = estimateOfLimits(pairs, limits(5), choice({}));
    expect(known).toMatchObject({ precision: 0.996, basis: "counted", doubts: [] });
    expect(known.within!.low).toBeCloseTo(0.98, 9);
    expect(known.within!.high).toBeCloseTo(0.999, 9);
    const all = bits.reduce((n, b) => n + probabilityOf(b), 0);
    expect(known.recall).toBeCloseTo((probabilityOf(5) + 2 * probabilityOf(8)) / all, 6);
    expect(limitsWords(limits(5), known)).toContain("about 4 wrong in 1,000 (1 to 20 with 95\u00a0%)");
    // Between two limits the lower one's holds; below all of them the lowest one's; where there is no interval none is said.
    expect(estimateOfLimits(pairs, limits(4), choice({})).precision).toBe(0.97);
    expect(estimateOfLimits(pairs, limits(1), choice({})).precision).toBe(0.97);
    expect(estimateOfLimits(pairs, limits(8), choice({}))).not.toHaveProperty("within");
  });
  it("is the model's own word where that can be told, and nothing where nothing is joined", () => {
    const told = estimateOfLimits(pairs, limits(5), choice({ basis: "model" }));
    expect(told.precision).toBeCloseTo((probabilityOf(5) + 2 * probabilityOf(8)) / 3, 6);
    expect(told).not.toHaveProperty("within");
    const untold = estimateOfLimits(pairs, limits(5), choice({ basis: "model", precision: null }));
    expect(untold).toMatchObject({ precision: null, recall: null, basis: "model" });
    for (const none of [
      estimateOfLimits(pairs, { same: null, ask: 50 }, choice({})),
      estimateOfLimits(pairs, limits(9), choice({})),
      estimateOfLimits(pairs, limits(5), choice({ basis: null })),
    ])
      expect(none).toMatchObject({ precision: null, recall: null, basis: null });
  });
  it("names fields that differ and pairs that are decided, where there are any", () => {
    const plain = estimateOfLimits(pairs, limits(5), choice({}));
    expect([plain.differing, plain.answered]).toEqual([undefined, undefined]);
    const more = estimateOfLimits(pairs, limits(5), choice({ differing: [1], answered: { right: 3, all: 4 } }));
    expect([more.differing, more.answered]).toEqual([[1], { right: 3, all: 4 }]);
  });
  it("takes a pair that stands on the limit for joined", () => {
    expect(wordOf([1, 2, 3], 2)).toMatchObject({ joined: 2 });
    expect(wordOf([1, 2, 3], 2.001)).toMatchObject({ joined: 1 });
    expect(wordOf([], 2)).toEqual({ joined: 0, right: 0, all: 0 });
  });
});

describe("by what a cluster was joined", () => {
  it("has a lead only where a record had another pair", () => {
    const pairs = {
      count: 3,
      a: Int32Array.of(0, 1, 1),
      b: Int32Array.of(0, 1, 2),
    } as unknown as Pairs;
    const found = {
      scores: Float64Array.of(90, 88, 61),
      bands: Uint8Array.of(0, 0, 1),
      clusters: Int32Array.of(0, 1, 2, 0, 1),
    } as unknown as Resolution;
    const by = joinedBy({ known: { length: 3 }, incoming: { length: 2 } } as unknown as Matcher, pairs, found);
    expect([...by]).toEqual([
      [0, { score: 90, lead: null }],
      [1, { score: 88, lead: 27 }],
    ]);
  });
});

describe("limits set by hand", () => {
  const parsed = (limits: object): boolean =>
    matchSchema.safeParse({ fields: [{ in: ["name"], by: "words" }], limits }).success;
  it("ask no higher than they join", () => {
    expect([parsed({ same: 80, ask: 60 }), parsed({ same: 80, ask: 80 }), parsed({ same: 80, ask: 81 })]).toEqual([
      true,
      true,
      false,
    ]);
    expect([parsed({ ask: 99 }), parsed({ same: 1 }), parsed({})]).toEqual([true, true, true]);
  });
});

describe("parts of a building", () => {
  it("are a word for one with a number or a letter behind it, and nothing else", () => {
    const unit = (text: string): string => addressParts(text).unit;
    expect(["unit 3", "floor 12", "block b", "room 12a"].map(unit)).toEqual([
      "unit 3",
      "floor 12",
      "block b",
      "room 12a",
    ]);
    expect(["unit three", "block bc", "room x12", "floor 12ab", "room 3-4", "unit"].map(unit)).toEqual([
      "",
      "",
      "",
      "",
      "",
      "",
    ]);
    expect(unit("block b floor 3 12 mill street")).toBe("block b floor 3");
    expect(addressParts("block bc 7 mill")).toEqual({
      house: "7",
      unit: "",
      words: ["block", "bc", "mill"],
      codes: [],
    });
  });
});

describe("coarse features of a text", () => {
  it("are those of its first three words that have more than a letter", () => {
    const coarse = (text: string): number => {
      let count = 0;
      featuresOf("words", text, 0, { push: () => {}, append: () => {} }, { push: () => count++, append: () => {} });
      return count;
    };
    expect(["fen", "fen moor", "fen moor tarn", "fen moor tarn hill"].map(coarse)).toEqual([1, 2, 3, 3]);
    expect(["f moor", "f m tarn hill"].map(coarse)).toEqual([1, 1]);
  });
});

describe("how many pairs of each band stand beside the chart of scores", () => {
  const scores = Array.from({ length: 100 }, (_, i) => (i < 50 ? 2 : i === 63 ? 7 : 1));
  it("is counted by the bars where both limits lie between two of them, and else said to be about so many", () => {
    const of = (limits: { same: number | null; ask: number }): object =>
      wordsOfBars(scores, bandsOfBars(limits), limits);
    expect(of({ same: 64, ask: 50 })).toEqual({ same: "36", ask: "20", different: "100" });
    expect(of({ same: 63.9, ask: 50 })).toEqual({ same: "about 36", ask: "about 20", different: "100" });
    expect(of({ same: 63.2, ask: 45.7 })).toEqual({ same: "about 43", ask: "about 21", different: "about 92" });
    expect(of({ same: null, ask: 45.7 })).toEqual({ same: "0", ask: "about 64", different: "about 92" });
    expect(of({ same: null, ask: 99.985 })).toMatchObject({ ask: "about 0", different: "about 156" });
    // No pair lies in the bar of the limit: so it is known.
    const none = scores.map((n, i) => (i === 63 || i === 45 ? 0 : n));
    expect(wordsOfBars(none, bandsOfBars({ same: 63.9, ask: 45.7 }), { same: 63.9, ask: 45.7 })).toEqual({
      same: "36",
      ask: "21",
      different: "90",
    });
    expect(wordsOfPairs({ same: 1_200, ask: 3, different: 0 })).toEqual({ same: "1,200", ask: "3", different: "0" });
  });
});
