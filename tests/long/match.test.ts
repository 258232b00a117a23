import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { editDistance } from "@/core/kernel/distance.ts";
import { clusterRecords } from "@/core/match/cluster.ts";
import { COMPARATOR_IDS, comparatorPart } from "@/core/match/compare/index.ts";
import { Matcher } from "@/core/match/match.ts";
import { BANDS, limitsOf } from "@/core/match/limits.ts";
import { sameShare } from "@/core/match/model/model.ts";
import { scoreOf } from "@/core/match/model/score.ts";
import { estimateOfLimits, resolvePairs } from "@/core/match/resolve.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { compareValues } from "@/core/match/keep/part.ts";
import { keepCluster, keepRecord } from "@/core/match/survive.ts";
import { whyWords } from "@/core/match/why.ts";
import { withWordLists } from "@/core/match/word-lists.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { listsOf, usedIn, usesOfList } from "@/core/plan/uses.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { planOf } from "../support/plans.ts";
import { slow } from "../support/slow.ts";
import { PERSON_FIELDS, peopleWithRepeats, type Circumstances, type Person } from "../../demo/people.ts";

describe.each(COMPARATOR_IDS)("comparator %s", (id) => {
  const part = comparatorPart(id);
  it.each(part.examples)("$a and $b with $options", ({ options, a, b, likeness }) => {
    const prepare = part.prepare(options);
    const compare = part.compare(options);
    expect(compare(prepare(a), prepare(b))).toBeCloseTo(likeness, 2);
    expect(compare(prepare(b), prepare(a))).toBeCloseTo(likeness, 2);
    expect(compare(prepare(a), prepare(a))).toBe(1);
  });
});

const PEOPLE_FIELDS: MatchField[] = [
  { in: ["given"], by: "person" },
  { in: ["family"], by: "person" },
  { in: ["born"], by: "date" },
  { in: ["town"], by: "words", as: "place" },
  { in: ["phone"], by: "edit", as: "code" },
];
const LIMITS = { same: 80, ask: 50 };

function matcherOf(rows: readonly (readonly string[])[], fields: readonly MatchField[] = PEOPLE_FIELDS): Matcher {
  const matcher = new Matcher(fields, { among: true });
  for (const row of rows) matcher.incoming.add(row);
  matcher.prepare();
  return matcher;
}

describe("people written in several ways", () => {
  const { records, person } = peopleWithRepeats(11, 4000);
  const matcher = matcherOf(records.map((r) => PERSON_FIELDS.map((f) => r[f])));
  const { choice } = matcher.estimate();
  const pairs = matcher.pairs({ leastScore: 50 });
  const counts = new Map<number, number>();
  for (const p of person) counts.set(p, (counts.get(p) ?? 0) + 1);
  const truth = [...counts.values()].reduce((n, c) => n + (c * (c - 1)) / 2, 0);
  const right = (least: number): [number, number] => {
    let [found, all] = [0, 0];
    for (let i = 0; i < pairs.count; i++) {
      if (scoreOf(pairs.bits[i]!) < least) continue;
      all++;
      if (person[pairs.a[i]!] === person[pairs.b[i]!]) found++;
    }
    return [found / all, found / truth];
  };

  it("are found without labels and without tuning", () => {
    const [precision, recall] = right(50);
    expect((2 * precision * recall) / (precision + recall)).toBeGreaterThan(0.97);
  });

  it("are all but never joined wrongly", () => {
    expect(right(80)[0]).toBeGreaterThan(0.995);
  });

  it("are not said to be so and so many, as nothing has checked it", () => {
    const { precision, recall, basis, doubts } = estimateOfLimits(pairs, LIMITS, choice);
    expect([precision, recall, basis, doubts]).toEqual([null, null, "model", ["one-file"]]);
  });

  it("make clusters of one person each", () => {
    const { clusters } = resolvePairs(matcher, pairs, LIMITS);
    let joined = 0;
    let wrong = 0;
    clusters.forEach((first, r) => {
      if (first === r) return;
      joined++;
      if (person[first] !== person[r]) wrong++;
    });
    expect(joined).toBeGreaterThan(500);
    expect(wrong / joined).toBeLessThan(0.005);
  });

  it("are the same pairs whichever part of the records is asked for", () => {
    const first = matcher.pairs({ leastScore: 50, to: 1500 });
    const second = matcher.pairs({ leastScore: 50, from: 1500 });
    expect(first.count + second.count).toBe(pairs.count);
  });
});

describe("people of whom some live together, and some have moved", () => {
  const SHARED = PEOPLE_FIELDS.map((f) => (f.in[0] === "phone" ? { ...f, shared: true } : f));
  /** How good the pairs from a score on are, and what the model is. */
  const found = (fields: readonly MatchField[], circumstances: Circumstances, least = 50, count = 5000, seed = 23) => {
    const { records, person } = peopleWithRepeats(seed, count, circumstances);
    const matcher = matcherOf(
      records.map((r) => PERSON_FIELDS.map((f) => r[f])),
      fields,
    );
    const { summary: model } = matcher.estimate();
    const pairs = matcher.pairs({ leastScore: least });
    let right = 0;
    for (let i = 0; i < pairs.count; i++) if (person[pairs.a[i]!] === person[pairs.b[i]!]) right++;
    const sizes = new Map<number, number>();
    for (const p of person) sizes.set(p, (sizes.get(p) ?? 0) + 1);
    const truth = [...sizes.values()].reduce((n, c) => n + (c * (c - 1)) / 2, 0);
    const kinds = (model.kinds ?? []).map((k) => k.kind);
    return { matcher, model, pairs, records, person, kinds, precision: right / pairs.count, recall: right / truth };
  };

  slow("has hardly ever more kinds of pairs where nobody does, and joins as well where it has", () => {
    const several = [30, 31, 32].map((seed) => found(SHARED, {}, 50, 5000, seed));
    expect(several.filter(({ kinds }) => kinds.length > 0).length).toBeLessThanOrEqual(1);
    for (const { precision } of several) expect(precision).toBeGreaterThan(0.99);
  });

  slow("does not join a household", () => {
    const { kinds, precision, recall } = found(SHARED, { households: 0.3 });
    expect(kinds).toContain("related");
    expect(precision).toBeGreaterThan(0.95);
    expect(recall).toBeGreaterThan(0.95);
    expect(found(SHARED, { households: 0.3 }, 80).precision).toBeGreaterThan(0.995);
    // Nor where nobody has said that people share their phone, or the opposite was said.
    expect(found(PEOPLE_FIELDS, { households: 0.3 }, 80).precision).toBeGreaterThan(0.99);
    const own = PEOPLE_FIELDS.map((f) => ({ ...f, shared: false }));
    expect(found(own, { households: 0.3 }, 80).precision).toBeGreaterThan(0.99);
  });

  slow("finds those who have moved", () => {
    const { kinds, precision, recall } = found(SHARED, { moved: 0.3 });
    expect(kinds).toContain("moved");
    expect(precision).toBeGreaterThan(0.98);
    expect(recall).toBeGreaterThan(0.9);
  });

  slow("tells both apart, and says for each pair what speaks for it", () => {
    const both = { moved: 0.3, households: 0.3 };
    const { matcher, kinds, precision, recall, person, records, model } = found(SHARED, both, 64);
    expect(kinds).toEqual(["related", "moved"]);
    expect((2 * precision * recall) / (precision + recall)).toBeGreaterThan(0.92);
    expect(sameShare(model)).toBeGreaterThan(model.prior);
    // Two of one household: what they have in common says nothing, what differs all the more.
    const home = (r: Person): string => `${r.family} ${r.town} ${r.phone}`;
    const two = records.findIndex(
      (r, i) =>
        r.phone !== "" &&
        records.some((o, j) => j < i && person[j] !== person[i] && home(o) === home(r) && o.given !== r.given),
    );
    const other = records.findIndex((o, j) => person[j] !== person[two] && home(o) === home(records[two]!));
    const { shares, bits } = matcher.explain(two, other);
    for (const f of [1, 3, 4]) expect(Math.abs(shares[f]!)).toBeLessThan(2);
    expect(shares[2]!).toBeLessThan(-3);
    expect(scoreOf(bits)).toBeLessThan(50);
  });

  slow.each([
    ["among rows of a target", true],
    ["against a file of known ones", false],
  ])("knows of households from the known records where few arrive, %s", (_, among) => {
    const { records, person } = peopleWithRepeats(29, 5000, { households: 0.3 });
    // What is known has each person once; what arrives are other writings of twelve of them.
    const seen = new Set<number>();
    const first = person.map((p) => !seen.has(p) && seen.add(p));
    const cells = (i: number): string[] => PERSON_FIELDS.map((f) => records[i]![f]);
    const known = person.flatMap((_, i) => (first[i] ? [i] : []));
    const arriving = person.flatMap((_, i) => (first[i] ? [] : [i])).slice(0, 12);
    const matcher = new Matcher(SHARED, { among });
    for (const i of known) matcher.known.add(cells(i));
    for (const i of arriving) matcher.incoming.add(cells(i));
    matcher.prepare();
    const start = among ? known.length : 0;
    const { choice } = matcher.estimate({ start, delivery: false });
    const leastScore = limitsOf({}, choice).same!;
    const pairs = matcher.pairs({ leastScore, from: start, before: known.length });
    let right = 0;
    for (let i = 0; i < pairs.count; i++) {
      if (person[arriving[pairs.a[i]! - start]!] === person[known[pairs.b[i]!]!]) right++;
    }
    expect(right / arriving.length).toBeGreaterThan(0.85);
    expect(right / pairs.count).toBeGreaterThan(0.85);
  });

  it("finds the same whether all records are judged at once or one pair at a time", () => {
    const { matcher, pairs } = found(SHARED, { moved: 0.3, households: 0.3 }, 50, 3000);
    for (let i = 0; i < pairs.count; i += 7) {
      const { bits, shares } = matcher.explain(pairs.a[i]!, pairs.b[i]!);
      expect(bits).toBeCloseTo(pairs.bits[i]!, 4);
      shares.forEach((share, f) => expect(share).toBeCloseTo(pairs.shares[i * 5 + f]!, 4));
    }
  });
});

describe("what people decided", () => {
  const rows = Array.from({ length: 300 }, (_, i) => [
    `Person${i} Tarn${i * 7}`,
    `19${(i % 80) + 10}-0${(i % 9) + 1}-11`,
  ]);
  rows.push(["Sorrel Ness", "1960-02-03"], ["Sorel Ness", "1960-02-03"]);
  const fields: MatchField[] = [
    { in: ["name"], by: "person", weights: [9, 8, 7, 4, 1, -2, -8] },
    { in: ["born"], by: "date", weights: [9, 5, 4, 1, -2, -8] },
  ];
  const matcher = matcherOf(rows, fields);
  matcher.estimate();
  const pairs = matcher.pairs({ leastScore: 5 });
  const at = Array.from({ length: pairs.count }, (_, i) => i).find((i) => pairs.a[i] === 301 && pairs.b[i] === 300)!;

  it("stands above the score", () => {
    const limits = { same: scoreOf(pairs.bits[at]!) + 1, ask: 10 };
    expect(BANDS[resolvePairs(matcher, pairs, limits).bands[at]!]).toBe("ask");
    const same = resolvePairs(matcher, pairs, limits, (i) => (i === at ? "same" : null));
    expect(BANDS[same.bands[at]!]).toBe("same");
    expect(same.clusters[301]).toBe(300);
    const low = { same: 10, ask: 10 };
    const different = resolvePairs(matcher, pairs, low, (i) => (i === at ? "different" : null));
    expect(different.clusters[301]).toBe(301);
  });

  it("takes the weights that were set by hand", () => {
    const { shares } = matcher.explain(301, 300);
    expect(shares[0]).toBeGreaterThan(6);
    expect(shares[1]).toBeCloseTo(9, 0);
  });
});

it("compares long texts, each pair once", () => {
  const long = (seed: number): string =>
    Array.from({ length: 400 }, (_, i) => `word${(i * seed * 7919) % 5003}`).join(" ");
  const rows = [1, 2, 3, 1, 2].map((seed) => [long(seed)]);
  rows[3]![0] = `${rows[3]![0]!} more`;
  const matcher = matcherOf(rows, [{ in: ["note"], by: "q-gram" }]);
  matcher.estimate();
  const pairs = matcher.pairs({ leastScore: 0 });
  const keys = Array.from({ length: pairs.count }, (_, i) => `${pairs.b[i]}-${pairs.a[i]}`);
  expect(new Set(keys).size).toBe(keys.length);
  expect(keys).toEqual(expect.arrayContaining(["0-3", "1-4"]));
});

describe("words that mean the same, from a reference list", () => {
  const list = {
    name: "forms",
    version: 2,
    columns: ["word", "means"],
    key: "word",
    accepted: "means",
    entries: [
      ["Sorrel", ""],
      ["Sory", "Sorrel"],
      ["Quill Fen", ""],
      ["Qf", "Quill Fen"],
    ],
  };
  const section = parsePlan({
    format: "good-sieve/plan@1",
    feed: "x",
    contract: { fields: ["who", "place"].map((name) => ({ name, type: "text" })) },
    match: {
      fields: [
        { in: ["who"], by: "person", variants: { Sorrel: ["Sor"] }, variants_from: "forms" },
        { in: ["place"], by: "words", as: "place", variants_from: "forms" },
      ],
    },
    load: { target: "x" },
  });
  const lists = new Map([["forms", list]]);

  it("stand beside those of the plan, in all that compares", () => {
    const { fields } = compilePlan(section, lists).plan.match!;
    expect(fields.map((f) => f["variants"])).toEqual([
      { Sorrel: ["Sor", "Sory"], "Quill Fen": ["Qf"] },
      { Sorrel: ["Sory"], "Quill Fen": ["Qf"] },
    ]);
    expect(whyWords(fields[0]!, "Sory Tarn", "Sorrel Tarn", 5)).toBe("sory is a form of sorrel");
    expect(whyWords(fields[1]!, "QF north", "Quill Fen N.", 5)).toBe("equal but for how it is written");
  });

  it("lead to one another where the letters do not", () => {
    const pairs = (variants: Record<string, string[]> | undefined): number => {
      const matcher = new Matcher([{ in: ["who"], by: "person", variants, weights: [20, 15, 12, 8, 0, -4, -12] }], {
        among: true,
      });
      for (const who of ["Xan", "Melisande", "Ivo", "Brutus"]) matcher.incoming.add([who]);
      matcher.prepare();
      matcher.estimate();
      return matcher.pairs({ leastScore: 50 }).count;
    };
    expect([pairs(undefined), pairs({ Melisande: ["Xan"] })]).toEqual([0, 1]);
  });

  it("are known to be asked, and are passed over where the list is not at hand", () => {
    expect(listsOf(section)).toEqual(["forms"]);
    expect(usesOfList(section, "forms").map((u) => u.says)).toEqual([
      "words that mean the same in who",
      "words that mean the same in place",
    ]);
    expect(compilePlan(section).plan.match).toBe(section.match);
    expect(
      withWordLists(section.match!, new Map([["forms", { ...list, accepted: undefined }]])).fields[1]!["variants"],
    ).toEqual({});
  });
});

describe("clusters", () => {
  const evidence = (table: Record<string, number>) => (a: number, b: number) =>
    table[`${Math.min(a, b)}-${Math.max(a, b)}`] ?? -10;

  it("take in a record that all others speak for", () => {
    const bits = evidence({ "0-1": 12, "1-2": 9, "0-2": 7 });
    const links = [
      { a: 0, b: 1, bits: 12 },
      { a: 1, b: 2, bits: 9 },
    ];
    expect([...clusterRecords(3, links, bits, 4)]).toEqual([0, 0, 0]);
  });

  it("do not join strangers by a chain of links", () => {
    const bits = evidence({ "0-1": 9, "1-2": 9, "2-3": 9 });
    const links = [0, 1, 2].map((a) => ({ a, b: a + 1, bits: 9 }));
    expect([...clusterRecords(4, links, bits, 4)]).toEqual([0, 0, 2, 2]);
  });

  it("never join what a person has parted", () => {
    const bits = (a: number, b: number): number => (a + b === 2 ? -Infinity : 30);
    const links = [
      { a: 0, b: 1, bits: 30 },
      { a: 1, b: 2, bits: 30 },
    ];
    expect([...clusterRecords(3, links, bits, 4)]).toEqual([0, 0, 2]);
  });
});

describe("the kept record", () => {
  const members = [
    { values: ["Ness", "", "3"], recent: "2026-01-01" },
    { values: ["Sorrel Ness", "BHG", "12"], recent: "2025-01-01" },
    { values: ["Ness", "CWA", ""], recent: "2026-05-01" },
  ];
  it.each([
    ["first", ["Ness", "BHG", "3"]],
    ["last", ["Ness", "CWA", "12"]],
    ["recent", ["Ness", "CWA", "3"]],
    ["complete", ["Sorrel Ness", "BHG", "12"]],
    ["most frequent", ["Ness", "BHG", "3"]],
    ["longest", ["Sorrel Ness", "BHG", "12"]],
    ["greatest", ["Sorrel Ness", "CWA", "12"]],
    ["least", ["Ness", "BHG", "3"]],
  ] as const)("by %s", (rule, values) => {
    const kept = keepRecord(members, [rule, rule, rule]);
    expect(kept.values).toEqual(values);
    kept.from.forEach((m, f) => expect(members[m]!.values[f]).toBe(values[f]));
  });

  const people = planOf(
    [
      { name: "id", type: "text" },
      { name: "partner", type: "code", values: ["SMH", "BHG", "CWA"] },
      { name: "grams", type: "decimal", precision: 9, scale: 2 },
      { name: "remarks", type: "text" },
    ],
    {
      match: {
        fields: [{ in: ["remarks"], by: "words" }],
        trust: { field: "partner", order: ["SMH", "BHG"] },
        rank: "size(remarks) > 3 ? grams : grams - 100.0",
        keep: { "*": "trusted", grams: "ranked", remarks: "ranked" },
      },
    },
  );
  const of = (...records: string[][]) =>
    keepCluster(people.match!, people.contract.fields, ["id"], records, people.formulas);

  it("is of whom the plan trusts most, and of what its formula ranks highest", () => {
    const kept = of(
      ["a", "CWA", "20.00", "long words"],
      ["b", "BHG", "90.00", "x"],
      ["c", "SMH", "5.00", ""],
      ["d", "", "7.50", "more words"],
    );
    expect(kept).toEqual({ values: ["a", "SMH", "20.00", "long words"], from: [0, 2, 0, 0] });
    // A record for which the formula has no value comes last; nobody is trusted less than the unnamed.
    expect(of(["a", "CWA", "", "aaaa"], ["b", "", "1", "b"])).toMatchObject({ values: ["a", "CWA", "1", "b"] });
    expect(of(["a", "", "1", ""], ["b", "CWA", "1", ""]).values[1]).toBe("CWA");
  });

  it("needs it said whom to trust and what to rank by, and follows a field that is renamed", () => {
    const { trust: _, ...untrusted } = people.match!;
    expect(() => parsePlan({ ...people, match: untrusted })).toThrow("fault");
    const renamed = parsePlan(renameField(renameField(people, "partner", "garden"), "grams", "g"));
    expect(renamed.match).toMatchObject({
      trust: { field: "garden" },
      rank: "size(remarks) > 3 ? g : g - 100.0",
      keep: { g: "ranked" },
    });
    expect(usedIn(people, "partner").map((u) => u.says)).toContain("says whom to trust");
    const without = parsePlan(removeField(people, "partner"));
    expect(without.match).toMatchObject({ keep: { grams: "ranked", remarks: "ranked" } });
    expect(without.match!.trust).toBeUndefined();
    expect(parsePlan(removeField(people, "grams")).match!.rank).toBeUndefined();
  });

  it("is by the most frequent value wherever it comes, the earlier of those as frequent", () => {
    const chosen = (...values: string[]) =>
      keepRecord(
        values.map((v) => ({ values: [v] })),
        ["most frequent"],
      );
    expect(chosen("a", "b", "", "b")).toEqual({ values: ["b"], from: [1] });
    expect(chosen("a", "b", "b", "c", "c", "c")).toEqual({ values: ["c"], from: [3] });
    expect(chosen("b", "a", "a", "b")).toEqual({ values: ["b"], from: [0] });
  });

  it.each([
    ["2", "10", -8],
    ["10", "2", 8],
    ["x", "x", 0],
    ["", "a", -1],
    ["a", "", 1],
    ["-3", "a", -1],
    ["b", "a", 1],
  ])("takes numbers by their size and all else by letters: %o and %o", (a, b, order) => {
    expect(compareValues(a, b)).toBe(order);
  });

  it("has no value where no member has one", () => {
    expect(keepRecord([{ values: [""] }, { values: [""] }], ["longest"])).toEqual({ values: [""], from: [-1] });
  });
});

it("counts edits as the whole table does", () => {
  const letters = fc.string({ unit: fc.constantFrom("a", "b", "c", "é", "𝛼"), maxLength: 40 });
  fc.assert(
    fc.property(letters, letters, (a, b) => {
      const [x, y] = [Array.from(a), Array.from(b)];
      const d = Array.from({ length: x.length + 1 }, (_, i) => Array.from({ length: y.length + 1 }, (_, j) => i + j));
      for (let i = 1; i <= x.length; i++) {
        for (let j = 1; j <= y.length; j++) {
          const cost = x[i - 1] === y[j - 1] ? 0 : 1;
          d[i]![j] = Math.min(d[i - 1]![j]! + 1, d[i]![j - 1]! + 1, d[i - 1]![j - 1]! + cost);
          if (i > 1 && j > 1 && x[i - 1] === y[j - 2] && x[i - 2] === y[j - 1]) {
            d[i]![j] = Math.min(d[i]![j]!, d[i - 2]![j - 2]! + 1);
          }
        }
      }
      expect(editDistance(a, b)).toBe(d[x.length]![y.length]!);
    }),
    { numRuns: 500 },
  );
});
