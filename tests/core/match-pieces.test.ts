import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { comparatorPart } from "@/core/match/compare/index.ts";
import { soundex } from "@/core/match/compare/phonetic.ts";
import { softWords, wordLikeness } from "@/core/match/compare/soft.ts";
import { ranked } from "@/core/match/keep/by-member.ts";
import type { CountedMember } from "@/core/match/keep/part.ts";
import { limitsOf } from "@/core/match/limits.ts";
import type { Choice } from "@/core/match/model/choose.ts";
import { wrongOf, type Joined } from "@/core/match/model/count.ts";
import { curveOf } from "@/core/match/model/curve.ts";
import type { FieldFacts } from "@/core/match/model/fields.ts";
import type { Fit, Kind, KindName } from "@/core/match/model/kinds.ts";
import { summaryOf } from "@/core/match/model/model.ts";
import { neverFalling } from "@/core/match/model/ordered.ts";
import {
  RELATED_DIFFER,
  differingFields,
  differingOwn,
  relatedDiffer,
  sameAgree,
  seesLookalikes,
  withOtherNumbers,
} from "@/core/match/model/plausible.ts";
import { bitsOf } from "@/core/match/model/score.ts";
import { haveOtherNumbers } from "@/core/match/other-numbers.ts";
import { Likeness, levelsOf } from "@/core/match/pairs/likeness.ts";
import { NumberedTexts } from "@/core/match/pairs/numbered-texts.ts";
import { RecordPairs, frequenciesOf } from "@/core/match/pairs/record-pairs.ts";
import { MatchTable, Values } from "@/core/match/pairs/table.ts";
import { proposeMatchWithReasons } from "@/core/match/propose.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { stretchesOf, whyWords } from "@/core/match/why.ts";

const likeness = (by: string, a: string, b: string): number => {
  const part = comparatorPart(by as "words");
  const prepare = part.prepare({});
  return part.compare({})(prepare(a), prepare(b));
};

describe("how alike two values are", () => {
  it("counts every part of three letters that both have, wherever it stands", () => {
    expect(likeness("longest-part", "abcXdefYghi", "ghiZdefWabc")).toBeCloseTo(9 / 11, 5);
    expect(likeness("longest-part", "abcXdef", "defabcX")).toBeCloseTo(0.999, 5);
    expect(likeness("longest-part", "stationfen", "fenXstation")).toBeCloseTo(10 / 10.5, 5);
    expect(likeness("longest-part", "abXcd", "abYcd")).toBe(0);
  });
  it("sees days with the year alone in common, or the month or the day alone", () => {
    expect(likeness("date", "1987-04-09", "1987-11-21")).toBe(0.4);
    expect(likeness("date", "1987-04-09", "1990-04-21")).toBe(0.1);
    expect(likeness("date", "1987-04-09", "1990-11-09")).toBe(0.1);
  });
  it("puts each word with one other, equal ones first", () => {
    const of = (x: string, y: string): number => softWords(x.split(" "), y.split(" "), wordLikeness, 0.6, 0.5);
    expect(of("bo", "bo")).toBe(1);
    expect(of("bo bo", "bo bo")).toBe(1);
    // The second has no word left but the one that is like nothing, which counts against it.
    expect(of("bo bo", "bo xyz")).toBeCloseTo(2 / 5, 5);
    expect(of("bo", "bo bo")).toBeCloseTo(2 / 3, 5);
    expect(of("tarn", "tarm tarn")).toBeCloseTo(4 / 6, 5);
  });
  it("hears only letters of the alphabet", () => {
    expect(soundex("{Ne{ss}")).toBe(soundex("Ness"));
    expect(soundex("`Ness")).toBe("N200");
    expect(soundex("123")).toBe("");
  });
});

describe("why two values speak for or against", () => {
  const person: MatchField = { in: ["name"], by: "person" };
  it("speaks of one letter only where one word is left on each side", () => {
    expect(whyWords(person, "Sorrel Tarn", "Sorrel Tarm", 2)).toBe("one letter differs");
    expect(whyWords(person, "Sorrel Tarn", "Sorrel Tarm Fell", 2)).toBe("alike in most words");
    expect(whyWords(person, "Sorrel Fell Tarn", "Sorrel Tarm", 2)).toBe("alike in most words");
  });
  it("shows as many letters in common as there can be", () => {
    const common = (x: string, y: string): number => {
      if (x === "" || y === "") return 0;
      if (x[0] === y[0]) return 1 + common(x.slice(1), y.slice(1));
      return Math.max(common(x.slice(1), y), common(x, y.slice(1)));
    };
    const letters = fc.string({ unit: fc.constantFrom("a", "b", "c"), maxLength: 8 });
    fc.assert(
      fc.property(letters, letters, (a, b) => {
        for (const [side, text] of [
          [stretchesOf(a, b)[0], a],
          [stretchesOf(a, b)[1], b],
        ] as const) {
          expect(side.map((s) => s.text).join("")).toBe(text);
          expect(side.reduce((n, s) => n + (s.same ? s.text.length : 0), 0)).toBe(common(a, b));
        }
      }),
    );
  });
});

describe("whose value is kept by rank", () => {
  it("is that of a member with a rank, however low, before one without", () => {
    const members = [{}, { rank: -5 }, {}].map((m): CountedMember => ({ values: ["v"], filled: 1, ...m }));
    expect(ranked.choose([0, 1, 2], members, 0)).toBe(1);
    expect(ranked.choose([0, 2], members, 0)).toBe(0);
  });
});

describe("what is compared", () => {
  it("leaves the key out, and says why", () => {
    const fields = [
      { name: "number", type: "text" as const, length: 9 },
      { name: "family_name", type: "text" as const, length: 40 },
    ];
    const left = proposeMatchWithReasons(fields, ["number"])!;
    expect(JSON.stringify(left)).toContain('"in":["number"],"why":"the key, which another record');
  });
});

describe("texts of another thread", () => {
  it("are taken in their order, the empty one once", () => {
    const numbered = new NumberedTexts();
    numbered.take(["", "b", "a"]);
    expect(numbered.texts).toEqual(["", "b", "a"]);
  });
});

describe("values that stand in each other's fields", () => {
  const FIELDS: MatchField[] = [
    { in: ["given"], by: "person" },
    { in: ["family"], by: "person" },
    { in: ["born"], by: "date" },
  ];
  function pairsOf(...records: string[][]): RecordPairs {
    const values = FIELDS.map((f, i) => new Values(f, i));
    const table = new MatchTable(values);
    for (const record of records) table.add(record);
    const all = { table, from: 0, to: table.length };
    const likenesses = values.map((v) => new Likeness(v));
    return new RecordPairs(values, likenesses, values.map(levelsOf), all, all, frequenciesOf(all, values));
  }
  it("may be where both begin as the other does, among texts alone", () => {
    const pairs = pairsOf(
      ["sorrel", "tarn", "1987-04-09"],
      ["tarn", "sorrel", "1987-04-09"],
      ["sorrel", "tarn", "1988-04-09"],
      ["1", "x", "sorrel"],
      ["", "sorrel", ""],
    );
    const may = (a: number, b: number): boolean => pairs.mayCross(a, b);
    expect([may(0, 1), may(1, 0)]).toEqual([true, true]);
    expect([may(0, 2), may(2, 0), may(0, 3), may(0, 4)]).toEqual([false, false, false, false]);
    pairs.compare(0, 1);
    expect([...pairs.level]).toEqual([0, 0, 0]);
    pairs.compare(0, 2);
    expect([...pairs.level].slice(0, 2)).toEqual([0, 0]);
  });
  it("are not looked for between a text and a day", () => {
    const pairs = pairsOf(["1999-01-02", "", "1987-04-09"], ["1987-04-09", "", "1999-01-02"]);
    expect(pairs.mayCross(0, 1)).toBe(false);
  });
});

describe("whether a fit is to be believed", () => {
  const fact = (more: Partial<FieldFacts>): FieldFacts => ({
    levels: 2,
    u: [0.01, 0.99],
    believed: [0.9, 0.1],
    different: [false, true],
    telling: true,
    identifying: true,
    shared: false,
    measured: false,
    silent: null,
    byHand: null,
    ...more,
  });
  /** `differ`: by field how often its pairs differ. */
  const kind = (name: KindName, prior: number, ...differ: number[]): Kind => ({
    name,
    prior: [prior],
    fields: differ.map((x) => ({ shares: [1 - x, x], weights: [1, -1] }) as unknown as Kind["fields"][number]),
  });
  const fitOf = (...kinds: Kind[]): Fit => ({
    kinds,
    rest: { fields: [], edges: [] } as unknown as Fit["rest"],
    start: { kinds: kinds.map((k) => k.name), withTree: false },
    gain: 1,
    otherNumbers: kinds.map((k) => k.fields.map(() => 0)),
  });
  it("goes by fields that identify, where there are any, and that are its own", () => {
    const fit = fitOf(kind("same", 0.1, 0.2, 0.4, 0.8));
    const facts = [fact({}), fact({ identifying: false }), fact({ shared: true })];
    expect(differingOwn(fit, facts)).toBeCloseTo(0.2, 6);
    expect(differingFields(fit, facts)).toEqual([0]);
    const none = [fact({ identifying: false }), fact({ identifying: false }), fact({ shared: true })];
    expect(differingOwn(fit, none)).toBeCloseTo(0.6, 6);
    expect(differingFields(fit, none)).toEqual([1, 0]);
    expect(
      differingOwn(
        fit,
        facts.map((f) => ({ ...f, shared: true })),
      ),
    ).toBeCloseTo(1.4, 6);
    expect(differingOwn(fit, [fact({ silent: "noise" }), fact({ telling: false }), fact({})])).toBeCloseTo(0.8, 6);
  });
  describe("where values are next to each other", () => {
    const three = (more: Partial<FieldFacts> = {}): FieldFacts =>
      fact({ levels: 3, different: [false, false, true], ...more });
    /** `shares`: by field those of equal, nearly alike and different. */
    const near = (name: KindName, prior: number, ...shares: (readonly [number, number, number])[]): Kind => ({
      name,
      prior: [prior],
      fields: shares.map((list) => ({ shares: list, weights: [1, 1, -1] }) as unknown as Kind["fields"][number]),
    });
    const written = [0.7, 0.25, 0.05] as const;
    const next = [0.04, 0.95, 0.01] as const;
    it("does not take for the same what is nearly alike and hardly ever equal", () => {
      const facts = [three(), three()];
      expect(sameAgree(fitOf(near("same", 0.1, written, written)), facts)).toBe(true);
      expect(sameAgree(fitOf(near("same", 0.1, written, next)), facts)).toBe(false);
      // A quarter of what is alike is equal: that may be careless writing.
      expect(sameAgree(fitOf(near("same", 0.1, written, [0.24, 0.7, 0.06])), facts)).toBe(true);
      // Another kind of the same is held to it as well, where there is enough of it.
      const moved = (prior: number): Fit =>
        fitOf(near("same", 0.1, written, written), near("moved", prior, next, written));
      expect([sameAgree(moved(0.05), facts), sameAgree(moved(0.0005), facts)]).toEqual([false, true]);
    });
    it("says so of fields that tell things apart and are written, shared ones too, and names them first", () => {
      const same = fitOf(near("same", 0.1, [0.6, 0.2, 0.2], next));
      const facts = (more: Partial<FieldFacts>): FieldFacts[] => [three(), three(more)];
      expect(sameAgree(same, facts({ measured: true }))).toBe(true);
      expect(sameAgree(same, facts({ identifying: false }))).toBe(true);
      expect(sameAgree(same, facts({ silent: "noise" }))).toBe(true);
      expect(sameAgree(same, facts({ shared: true }))).toBe(false);
      expect(differingFields(same, facts({}))).toEqual([1, 0]);
      expect(differingOwn(same, facts({}))).toBeCloseTo(1.2, 6);
      expect(differingOwn(same, facts({ measured: true }))).toBeCloseTo(0.21, 6);
      // Of pairs that mostly differ it says nothing that the rest is nearly alike.
      expect(differingFields(fitOf(near("same", 0.1, written, [0.01, 0.4, 0.59])), facts({ shared: true }))).toEqual(
        [],
      );
    });
    it("finds other numbers where most of the same pairs have them, of shared fields where most are alike", () => {
      const fit = (other: number, shares: readonly [number, number, number] = written): Fit => ({
        ...fitOf(near("same", 0.1, written, shares), near("related", 0.1, written, written)),
        otherNumbers: [
          [0, other],
          [0, 1],
        ],
      });
      const facts = [three(), three()];
      expect(withOtherNumbers(fit(0.5), facts)).toEqual([]);
      expect(withOtherNumbers(fit(0.51), facts)).toEqual([1]);
      expect(sameAgree(fit(0.51), facts)).toBe(false);
      expect(withOtherNumbers(fit(0.9), [three(), three({ measured: true })])).toEqual([]);
      expect(withOtherNumbers(fit(0.9), [three(), three({ identifying: false })])).toEqual([]);
      const shared = [three(), three({ shared: true })];
      expect(withOtherNumbers(fit(0.9), shared)).toEqual([1]);
      expect(withOtherNumbers(fit(0.9, [0.2, 0.2, 0.6]), shared)).toEqual([]);
      expect(withOtherNumbers(fit(0.9, [0.2, 0.2, 0.6]), facts)).toEqual([1]);
    });
    it("takes for what only belongs together what is next to each other where the same is not", () => {
      const facts = [three(), three()];
      const fit = (same: readonly [number, number, number], related: readonly [number, number, number]): Fit =>
        fitOf(near("same", 0.1, written, same), near("related", 0.1, written, related));
      expect(relatedDiffer(fit(written, next), facts, 0.5)).toBe(true);
      expect(relatedDiffer(fit(written, written), facts, 0.5)).toBe(false);
      // What has some equal, or differs now and then, may be the same with a slip.
      expect(relatedDiffer(fit(written, [0.09, 0.86, 0.05]), facts, 0.5)).toBe(false);
      expect(relatedDiffer(fit(written, [0.01, 0.79, 0.2]), facts, 0.5)).toBe(false);
      // Where the same is so as well it is the same by another name.
      expect(relatedDiffer(fit(next, next), facts, 0.5)).toBe(false);
    });
  });
  it("asks of kinds of which there are enough, the least share among them", () => {
    const facts = [fact({}), fact({})];
    const related = (prior: number): Fit => fitOf(kind("same", 0.1, 0.01, 0.01), kind("related", prior, 0.2, 0.2));
    expect(relatedDiffer(related(0.0005), facts, 0.5)).toBe(true);
    expect(relatedDiffer(related(0.001), facts, 0.5)).toBe(false);
    expect(relatedDiffer(related(0.02), facts, 0.1)).toBe(true);
    expect(sameAgree(fitOf(kind("same", 0.1, 0.2, 0.05)), facts)).toBe(true);
    expect(sameAgree(fitOf(kind("same", 0.1, 0.2, 0.2)), facts)).toBe(false);
    expect(sameAgree(fitOf(kind("same", 0.1, 0.4, 0.05)), facts)).toBe(false);
  });
  it("adds up what only belongs together and looks the same", () => {
    const facts = [fact({})];
    const fit = (one: number, two: number): Fit =>
      fitOf(kind("related", one, 0.9), kind("same", 0.1, 0.01), kind("related-otherwise", two, 0.8));
    // A tenth of the one and a fifth of the other agree: of 0.1 that are the same, 2 in 100 may be so.
    expect(seesLookalikes(fit(0.01, 0.004), facts)).toBe(false);
    expect(seesLookalikes(fit(0.01, 0.006), facts)).toBe(true);
    expect(seesLookalikes(fit(0.006, 0.01), facts)).toBe(true);
    expect(RELATED_DIFFER.alone).toBeLessThan(0.8);
  });
  it("is summed up by its same pairs, wherever they stand among the kinds", () => {
    const fit = fitOf(kind("moved", 0.02, 0.1), kind("related", 0.05, 0.9), kind("same", 0.1, 0.03));
    const summary = summaryOf({ fit } as Parameters<typeof summaryOf>[0], [fact({})]);
    expect(summary.prior).toBe(0.1);
    expect(summary.fields[0]!.m).toEqual([0.97, 0.03]);
    expect(summary.kinds!.map((k) => k.kind)).toEqual(["related", "moved"]);
  });
});

describe("whether two values have other numbers", () => {
  it.each([
    ["flat 3 12 mill street", "flat 4 12 mill street", true],
    ["flat 3 12 mill street", "mill street 12 flat 3", false],
    ["12 mill street", "12 mill street 4711", false],
    ["mill street", "12 mill street", false],
    ["phase 1", "phase 2", true],
    ["st00101", "st00102", true],
    ["st00101", "st 101", false],
    ["unit 3 3", "unit 3", false],
    ["unit 3 3", "unit 3 4", true],
    ["sorrel ness", "s ness", false],
    ["", "12", false],
    ["2026-05-03", "2026-05-10", false],
    ["2026-05-03", "2026-05-11", true],
    ["2026-05-03", "2025-05-03", true],
    ["2026-01-01", "2025-12-31", false],
  ])("%s, %s: %s", (a, b, other) => {
    expect(haveOtherNumbers(a, b)).toBe(other);
    expect(haveOtherNumbers(b, a)).toBe(other);
  });
});

describe("how many of the pairs that would be joined are wrong", () => {
  it("is none without look-alikes, and all where they are as many", () => {
    expect(wrongOf(100, 0, 1_000, 1_000)).toBe(0);
    expect(wrongOf(100, 100, 1_000, 1_000)).toBeCloseTo(100, 6);
    expect(wrongOf(100, 250, 1_000, 1_000)).toBe(250);
    // Where nothing is joined there may be some all the same.
    expect(wrongOf(0, 0.5, 1_000, 1_000)).toBe(0.5);
  });
  it("is less the more are right, as these have no look-alike any more", () => {
    // 500 of 1,000 on both sides are right: a quarter of the look-alikes is left.
    expect(wrongOf(500 + 10, 40, 1_000, 1_000)).toBeCloseTo(10, 1);
    expect(wrongOf(500 + 20, 40, 1_000, 1_000_000)).toBeCloseTo(20, 1);
  });
  it("is at least what is more than there are records, each of which is itself but once", () => {
    expect(wrongOf(6_266, 3_000, 3_000, 3_000)).toBeGreaterThanOrEqual(3_266);
    expect(wrongOf(1_500, 10, 1_000, 1_000)).toBe(500);
  });
});

describe("what is known of limits by how many are wrong", () => {
  const at = (limit: number, joined: number, wrong: number, seen: number | null = 1): Joined =>
    ({ limit, joined, wrong, seen, alike: wrong }) as Joined;
  it("is never more at a higher limit, where a pair or two may be all there are", () => {
    const curve = curveOf([at(1, 1_000, 8), at(2, 900, 0.9), at(3, 2, 1), at(4, 0, 0.5)]);
    expect(curve.map((c) => c.bits)).toEqual([1, 2, 3, 4]);
    // One wrong of two at the highest limit says nothing of the nine hundred from the next one on.
    expect(curve.map((c) => c.wrong)).toEqual([0.008, 0.001, 0.001, 0.001]);
    expect(curveOf([at(1, 100, 90), at(2, 50, 1_000)]).map((c) => c.wrong)).toEqual([0.9, 0.9]);
    expect(curveOf([at(1, 10, 1_000), at(2, 0, 0.5)]).map((c) => c.wrong)).toEqual([1, 1]);
  });
  it("says between which shares where it was counted, with the share in between", () => {
    const [low, few, answered, none] = curveOf([
      at(1, 1_000, 20, 20),
      at(2, 500, 1, 1),
      at(3, 400, 1, null),
      at(4, 0, 0.5),
    ]);
    expect(low!.within!.low).toBeGreaterThan(0.006);
    expect(low!.within!.low).toBeLessThan(0.02);
    expect(low!.within!.high).toBeGreaterThan(0.02);
    expect(low!.within!.high).toBeLessThan(0.045);
    expect(few!.within!.low).toBe(0);
    expect(few!.within!.high).toBeLessThan(0.015);
    expect([answered!.within, none!.within]).toEqual([null, null]);
    for (const { wrong, within } of [low!, few!]) {
      expect(within!.low).toBeLessThanOrEqual(wrong);
      expect(within!.high).toBeGreaterThanOrEqual(wrong);
    }
  });
  it("puts neighbours that fall together by their weights", () => {
    expect(neverFalling([1, 2, 3], [1, 1, 1])).toEqual([1, 2, 3]);
    expect(neverFalling([3, 1, 2], [1, 1, 1])).toEqual([2, 2, 2]);
    expect(neverFalling([3, 1, 4], [1, 3, 1])).toEqual([1.5, 1.5, 4]);
    expect(neverFalling([5, 0], [0, 2])).toEqual([0, 0]);
    expect(neverFalling([], [])).toEqual([]);
  });
});

describe("limits from what was estimated", () => {
  const choice = (same: number | null, ask: number): Choice => ({ same, ask }) as Choice;
  it("are never below what they were, by more than a step of limits neither", () => {
    expect(limitsOf({}, choice(3.3, -1))).toEqual({ same: 64, ask: 45.7 });
    for (let bits = -20; bits < 59; bits += 0.3) {
      const { ask } = limitsOf({}, choice(null, bits));
      expect(bitsOf(ask)).toBeGreaterThan(bits - 1e-3);
      expect(bitsOf(ask)).toBeLessThan(bits + (bits < 40 ? 0.3 : 2));
    }
    expect(limitsOf({}, choice(null, 59)).ask).toBeLessThan(100);
    expect(limitsOf({}, choice(null, 60)).ask).toBe(100);
    expect(limitsOf({ same: 88, ask: 12 }, choice(3, 1))).toEqual({ same: 88, ask: 12 });
  });
});
