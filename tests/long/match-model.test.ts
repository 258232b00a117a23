import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { CandidateIndex } from "@/core/match/pairs/candidates.ts";
import { MISSING, bounded, looseField, orderedField } from "@/core/match/model/density.ts";
import { drawPairs, type Pool } from "@/core/match/pairs/draw.ts";
import { Likeness, levelsOf } from "@/core/match/pairs/likeness.ts";
import { RecordPairs, frequenciesOf } from "@/core/match/pairs/record-pairs.ts";
import { Matcher } from "@/core/match/match.ts";
import { limitsOf } from "@/core/match/limits.ts";
import { answersWords, measuredWords, wilson, withMore } from "@/core/match/model/measured.ts";
import { NO_RIVALS, weighRivals } from "@/core/match/model/rivals.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { scoreOf } from "@/core/match/model/score.ts";
import { MatchTable, Values } from "@/core/match/pairs/table.ts";
import { eachAlone } from "@/core/match/model/patterns.ts";
import { LevelCounts, restDensity } from "@/core/match/model/tree.ts";
import { proposedFor } from "../../demo/circumstances/measure.ts";
import { CIRCUMSTANCES, makeSet } from "../../demo/circumstances/sets.ts";
import { Random } from "../../demo/random.ts";
import { slow } from "../support/slow.ts";

const FIELDS: MatchField[] = [
  { in: ["name"], by: "person" },
  { in: ["town"], by: "equal" },
  { in: ["state"], by: "equal" },
];

/** Records of people in towns, each town in one state; one in twenty has no town. */
function records(count: number, seed = 7): string[][] {
  const random = new Random(seed);
  return Array.from({ length: count }, () => {
    const town = random.whole(0, 19);
    const name = `${random.pick(["Ada", "Bo", "Cy", "Dee"])} ${random.pick(["Tarn", "Ness", "Fell", "Mere", "Holt"])}`;
    return random.chance(0.05) ? [name, "", ""] : [name, `town${town}`, `state${town % 4}`];
  });
}

function drawn(count: number, most: number): { pool: Pool; values: Values[]; rows: string[][] } {
  const values = FIELDS.map((f, i) => new Values(f, i));
  const table = new MatchTable(values);
  const rows = records(count);
  for (const row of rows) table.add(row);
  const stretch = { table, from: 0, to: table.length };
  const pairs = new RecordPairs(
    values,
    values.map((v) => new Likeness(v)),
    values.map(levelsOf),
    stretch,
    stretch,
    frequenciesOf(stretch, values),
  );
  const index = new CandidateIndex(table, 16);
  return { pool: drawPairs(pairs, { find: (a) => index.find(table, a), found: index.found }, most, 16), values, rows };
}

describe("pairs that are drawn", () => {
  const { pool, rows } = drawn(1_000, 250);

  it("stand for all pairs of the records that they are of", () => {
    expect(pool).toMatchObject({ records: 250, all: 1_000, others: 999 });
    const sum = pool.weight.reduce((a, b) => a + b, 0);
    expect(sum / (pool.records * pool.others)).toBeGreaterThan(0.93);
    expect(sum / (pool.records * pool.others)).toBeLessThan(1.07);
  });

  it("stand for pairs of equal values, which are few, as well", () => {
    let [weighed, all, equal] = [0, 0, 0];
    for (let p = 0; p < pool.count; p++) {
      if (pool.levels[p * 3 + 1] === 0) weighed += pool.weight[p]!;
    }
    for (const [i, a] of rows.entries()) {
      for (const [j, b] of rows.entries()) {
        if (i === j) continue;
        all++;
        if (a[1] !== "" && a[1] === b[1]) equal++;
      }
    }
    const share = weighed / (pool.records * pool.others);
    expect(share / (equal / all)).toBeGreaterThan(0.9);
    expect(share / (equal / all)).toBeLessThan(1.1);
  });

  it("are never of a record with itself, and those of one record stand together", () => {
    const met = new Set<number>();
    let last = -1;
    for (const owner of pool.owner) {
      if (owner === last) continue;
      expect(met.has(owner)).toBe(false);
      met.add((last = owner));
    }
    expect(met.size).toBe(250);
  });

  it("say where a value is missing", () => {
    let missing = 0;
    for (let p = 0; p < pool.count; p++) {
      if (pool.levels[p * 3 + 1] !== MISSING) continue;
      missing++;
      expect(pool.rarity[p * 3 + 1]).toBe(0);
    }
    expect(missing).toBeGreaterThan(0);
  });
});

describe("what pairs that are not the same are like", () => {
  const { pool, values } = drawn(1_000, 500);
  const widths = values.map((v) => v.levels.length + 2);
  const counts = new LevelCounts(widths);
  counts.add(eachAlone(pool), () => 1);
  const u = widths.map((n, f) => {
    const seen = [...counts.single[f]!].map((x) => x + 1);
    const all = seen.reduce((a, b) => a + b, 0);
    return Array.from({ length: n }, (_, l) => seen[l]! / all);
  });

  it("lets a field hang on the one that determines it, and no other", () => {
    const { edges } = restDensity(counts, u, true, null);
    expect(edges.map((e) => [e.field, e.parent])).toEqual([[2, 1]]);
    const [given] = edges[0]!.by;
    // Of one town, of one state: that says no more than the town.
    expect(given!.shares[0]).toBeGreaterThan(0.98);
    expect(given!.weights[0]).toBeCloseTo(Math.log2(given!.shares[0]! / u[2]![0]!), 6);
    expect(given!.common[0]).toBeGreaterThan(0.6);
    // Of other towns, of one state about as often as towns have the state in common.
    expect(edges[0]!.by[1]!.shares[0]).toBeLessThan(u[2]![0]!);
  });

  it("hangs nothing on anything where that is not wanted", () => {
    expect(restDensity(counts, u, false, null).edges).toEqual([]);
  });

  it("fills a tree that was built before from other counts", () => {
    const { edges } = restDensity(counts, u, true, null);
    const half = new LevelCounts(widths, edges);
    half.add(eachAlone(pool), () => 0.5);
    const again = restDensity(counts.without(half), u, true, edges);
    expect(again.edges.map((e) => [e.field, e.parent])).toEqual([[2, 1]]);
    again.edges[0]!.by[0]!.shares.forEach((x, l) => expect(x).toBeCloseTo(edges[0]!.by[0]!.shares[l]!, 1));
  });
});

describe("shares of levels", () => {
  const shares = fc
    .array(fc.double({ min: 0.001, max: 1, noNaN: true }), { minLength: 3, maxLength: 8 })
    .map((list) => list.map((x) => x / list.reduce((a, b) => a + b, 0)));

  it("are held under a bound, and stay shares", () => {
    fc.assert(
      fc.property(shares, fc.double({ min: 0.01, max: 0.9, noNaN: true }), (list, most) => {
        const which = list.map((_, l) => l >= 2);
        const held = bounded(list, which, most);
        expect(held.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 9);
        expect(held.reduce((n, x, l) => n + (which[l] ? x : 0), 0)).toBeLessThanOrEqual(
          Math.max(most, 0) + 1e-9 < 1 ? Math.max(most, 0) + 1e-9 : 1,
        );
      }),
    );
    expect(bounded([0.7, 0.2, 0.1], [false, false, true], 0.35)).toEqual([0.7, 0.2, 0.1]);
  });

  it("never let a lower level speak louder for the same than a higher one", () => {
    fc.assert(
      fc.property(shares, (m) => {
        const u = m.map((_, l) => (l + 1) / m.length);
        const { weights } = orderedField(m, u, m);
        for (let l = 1; l < weights.length; l++) expect(weights[l]).toBeLessThanOrEqual(weights[l - 1]! + 1e-9);
      }),
    );
  });

  it("say how much of them is more than chance", () => {
    const { common, weights } = looseField([0.5, 0.5], [0.25, 0.75]);
    expect(common).toEqual([0.5, 0]);
    expect(weights[0]).toBe(1);
  });
});

describe("rivals", () => {
  const a = [0, 0, 1, 2];
  const b = [5, 6, 6, 7];

  it("take from each other's odds, on the sides where there is one same one at most", () => {
    const bits = Float64Array.from([4, 4, 4, 4]);
    weighRivals(bits, a, b, 4, { byA: true, byB: false });
    expect(bits[0]).toBeCloseTo(4 - Math.log2(17), 9);
    expect(bits[1]).toBeCloseTo(4 - Math.log2(17), 9);
    expect([bits[2], bits[3]]).toEqual([4, 4]);
    const both = Float64Array.from([4, 4, 4, 4]);
    weighRivals(both, a, b, 4, { byA: true, byB: true });
    expect(both[1]).toBeCloseTo(4 - Math.log2(33), 9);
    expect(both[2]).toBeCloseTo(4 - Math.log2(17), 9);
    expect(both[3]).toBe(4);
  });

  it("leave alone what has none, and all where either side may have several", () => {
    const bits = Float64Array.from([60, 3, 4, 4]);
    weighRivals(bits, a, b, 4, NO_RIVALS);
    expect([...bits]).toEqual([60, 3, 4, 4]);
    weighRivals(bits, a, [-1, -1, 6, 7], 4, { byA: true, byB: true });
    expect([...bits]).toEqual([60, 3, 4, 4]);
  });

  it("can't take away what is beyond doubt", () => {
    const bits = Float64Array.from([60, -8]);
    weighRivals(bits, [0, 0], [1, 2], 2, { byA: true, byB: true });
    expect(bits[0]).toBeCloseTo(60, 3);
    expect(bits[1]).toBeLessThan(-60);
  });
});

describe("what is measured", () => {
  it("has the interval of its share", () => {
    // Newcombe (1998), table I: 81 of 263, 15 of 148, 0 of 20, 1 of 29.
    for (const [right, all, low, high] of [
      [81, 263, 0.2553, 0.3662],
      [15, 148, 0.0624, 0.1605],
      [0, 20, 0, 0.1611],
      [1, 29, 0.0061, 0.1718],
    ] as const) {
      const at = wilson(right, all)!;
      expect(at.low).toBeCloseTo(low, 4);
      expect(at.high).toBeCloseTo(high, 4);
      expect(at.share).toBe(right / all);
    }
    expect(wilson(0, 0)).toBeNull();
  });

  it("is said with how far it is known, and what more answers would bring", () => {
    expect(measuredWords(33, 34)).toBe("of 34 decided pairs 33 are the same, 97.1 % (85.1 to 99.5 %)");
    expect(measuredWords(0, 0)).toBeNull();
    const { now, then } = withMore(9, 10, 20);
    expect(then).toBeLessThan(now);
    expect(withMore(0, 0, 20).now).toBe(1);
  });

  it("is set beside what the scores had expected", () => {
    const answers = { answered: 20, same: 14, expected: 11.3, otherwise: 4, joined: 310, parted: 2 };
    expect(answersWords(answers)).toEqual([
      "14 of 20 answered questions were the same, where the scores had expected 11; people said otherwise than was likelier in 4 (20 %).",
      "2 of 310 pairs that were joined without a question were taken apart.",
    ]);
    expect(answersWords({ ...answers, answered: 0, parted: 0 })).toEqual([]);
  });
});

describe("what people have decided", () => {
  slow("bears out pairs that could not be told from look-alikes before", async () => {
    const set = makeSet({ ...CIRCUMSTANCES.find((c) => c.name === "people, 1 % the same")!, size: 3_000 }, 7);
    const { section, compared } = (await proposedFor(set))!;
    const matcher = new Matcher(section.fields, { among: false });
    const [a, b] = [set.a.rows.map(compared), set.b!.rows.map(compared)];
    for (const row of a) matcher.incoming.add(row);
    for (const row of b) matcher.known.add(row);
    matcher.prepare();
    const found = (leastScore: number): { a: number; b: number; is: boolean }[] => {
      const pairs = matcher.pairs({ leastScore: 20 });
      matcher.weighRivals(pairs);
      return Array.from({ length: pairs.count }, (_, i) => i)
        .filter((i) => scoreOf(pairs.bits[i]!) >= leastScore)
        .map((i) => ({ a: pairs.a[i]!, b: pairs.b[i]!, is: set.a.thing[pairs.a[i]!] === set.b!.thing[pairs.b[i]!] }));
    };
    const before = matcher.estimate();
    expect(before.choice.same).toBeNull();
    const asked = found(limitsOf({}, before.choice).ask).slice(0, 60);
    expect(asked.length).toBeGreaterThan(15);
    const labels = asked.map((p) => ({ a: a[p.a]!, b: b[p.b]!, same: p.is }));
    const { choice } = matcher.estimate({ labels });
    const { same } = limitsOf({}, choice);
    expect(same).not.toBeNull();
    expect(choice.answered.all).toBeGreaterThan(10);
    const joined = found(same!);
    expect(joined.length).toBeGreaterThan(10);
    expect(joined.filter((p) => p.is).length / joined.length).toBeGreaterThan(0.95);
  });
});
