import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { comparatorPart } from "@/core/match/compare/index.ts";
import { soundex } from "@/core/match/compare/phonetic.ts";
import { softWords, wordLikeness } from "@/core/match/compare/soft.ts";
import { ranked } from "@/core/match/keep/by-member.ts";
import type { CountedMember } from "@/core/match/keep/part.ts";
import type { FieldFacts } from "@/core/match/model/fields.ts";
import type { Fit, Kind, KindName } from "@/core/match/model/kinds.ts";
import { summaryOf } from "@/core/match/model/model.ts";
import {
  RELATED_DIFFER,
  differingFields,
  differingOwn,
  relatedDiffer,
  sameAgree,
  seesLookalikes,
} from "@/core/match/model/plausible.ts";
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
