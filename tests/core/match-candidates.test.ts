import { describe, expect, it } from "vitest";
import { Matcher } from "@/core/match/match.ts";
import { aheadOf, findAhead, putAhead, takeAhead } from "@/core/match/pairs/ahead.ts";
import { CandidateIndex } from "@/core/match/pairs/candidates.ts";
import { IndexPart, layOut, roomFor } from "@/core/match/pairs/index-rows.ts";
import { joinPools } from "@/core/match/pairs/draw.ts";
import { MatchTable, RecordFeatures, Values } from "@/core/match/pairs/table.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { numbersFrom } from "@/core/kernel/random.ts";

const FIELDS: MatchField[] = [
  { in: ["name"], by: "person" },
  { in: ["town"], by: "words" },
  { in: ["no"], by: "edit", as: "code" },
];
const SYLLABLES = ["al", "ber", "cor", "dun", "el", "fen", "gar", "hol", "ing", "jor", "ka", "lis"];

/** Made-up names and towns, many of which have much in common. */
function recordsFrom(seed: number, count: number): string[][] {
  const below = numbersFrom(seed);
  const word = (): string => [0, 1, 2].map(() => SYLLABLES[below(SYLLABLES.length)]!).join("");
  const towns = Array.from({ length: 30 }, word);
  return Array.from({ length: count }, () => [`${word()} ${word()}`, towns[below(30)]!, String(below(5_000))]);
}

/** Tables of known and asked records of the first so many fields. */
function tablesOf(fields: number, known: readonly string[][], asked: readonly string[][]) {
  const values = FIELDS.slice(0, fields).map((f, i) => new Values(f, i));
  const [left, right] = [new MatchTable(values), new MatchTable(values)];
  for (const record of known) left.add(record.slice(0, fields));
  for (const record of asked) right.add(record.slice(0, fields));
  return { known: left, asked: right };
}

/** How alike all known records are to one by plain sums, as the index defines it; the best so many by the rarest features first. */
function bySums(known: MatchTable, asked: MatchTable, record: number, looksAtAll: boolean): Map<number, number> {
  const features = new RecordFeatures(known.values, roomFor(known.length));
  const sets = Array.from({ length: known.length }, (_, r) => {
    features.read(known, r);
    return new Set(features.list.subarray(0, features.count));
  });
  features.read(asked, record);
  const rows = [...features.list.subarray(0, features.count)]
    .map((feature) => sets.flatMap((set, r) => (set.has(feature) ? [r] : [])))
    .filter((row) => row.length > 0);
  const weight = (n: number): number => Math.max(1, Math.round(12 * (Math.log2(known.length + 1) - Math.log2(n))));
  const sums = new Map<number, number>();
  let looked = 0;
  for (const row of [...rows].sort((a, b) => a.length - b.length)) {
    if (looked + row.length > Math.round(2_000 + known.length / 500) && looked > 0 && row.length > 24) break;
    for (const r of row) sums.set(r, (sums.get(r) ?? 0) + weight(row.length));
    looked += row.length;
  }
  if (!looksAtAll) return sums;
  const pool = [...sums].sort((a, b) => b[1] - a[1]).slice(0, 40);
  return new Map(pool.map(([r]) => [r, rows.reduce((n, row) => n + (row.includes(r) ? weight(row.length) : 0), 0)]));
}

describe("the candidates of a record", () => {
  it.each([1, 2, 3])("are those that share most of what is rare, by %s fields", (fields) => {
    const { known, asked } = tablesOf(fields, recordsFrom(1, 1_500), recordsFrom(2, 25));
    const most = 10;
    const index = new CandidateIndex(known, most);
    for (let a = 0; a < asked.length; a++) {
      const found = [...index.found.subarray(0, index.find(asked, a))];
      const sums = bySums(known, asked, a, fields <= 2);
      const best = [...sums.values()].sort((x, y) => y - x).slice(0, most);
      expect(new Set(found).size).toBe(found.length);
      expect(found.length).toBe(best.length);
      // Sums are told apart in steps of four, in the pool as among those that are chosen.
      const theirs = found.map((r) => sums.get(r) ?? 0).sort((x, y) => y - x);
      const short = theirs.filter((sum, i) => sum < best[i]! - 4).length;
      expect(short).toBeLessThanOrEqual(fields <= 2 ? 2 : 0);
    }
  });

  it("are found where nothing is shared but one feature", () => {
    const { known, asked } = tablesOf(1, [["holing"], ["corkalis"], ["dundun"]], [["holgar"], ["zzz"]]);
    const index = new CandidateIndex(known, 10);
    expect([...index.found.subarray(0, index.find(asked, 0))]).toEqual([0]);
    expect(index.find(asked, 1)).toBe(0);
  });

  it("are found where all share one feature that many have", () => {
    const letters = [..."abcdefhjklmnoprstuvwxy"];
    const known = letters.flatMap((p, i) => [`${p}${p}ing${letters[i - 1] ?? "y"}f`, `${p}f${p}ing${p}`]);
    const tables = tablesOf(
      1,
      known.map((k) => [k]),
      [["zzingqq"]],
    );
    const index = new CandidateIndex(tables.known, 10);
    expect(new Set(index.found.subarray(0, index.find(tables.asked, 0))).size).toBe(10);
  });

  it("are the same ones however often was asked before", () => {
    const { known, asked } = tablesOf(3, recordsFrom(3, 80), recordsFrom(4, 5));
    const index = new CandidateIndex(known, 4);
    const all = (): number[][] =>
      [0, 1, 2, 3, 4].map((a) => [...index.found.subarray(0, index.find(asked, a))].sort((x, y) => x - y));
    const first = all();
    // Sums of a search are told from those before by its number, which begins again some time.
    const text = String(first);
    let others = 0;
    for (let i = 0; i < 7_000; i++) if (String(all()) !== text) others++;
    expect(others).toBe(0);
  });

  it("are the same ones of rows that were laid out in parts", () => {
    const { known, asked } = tablesOf(2, recordsFrom(5, 700), recordsFrom(6, 40));
    const parts = [new IndexPart(known, 0, 300), new IndexPart(known, 300, 700)];
    const features = parts.flatMap((part) => part.features((bytes) => new ArrayBuffer(bytes)));
    const rows = layOut(
      parts.map((part) => part.counts),
      features,
      (length) => new Int32Array(length),
    );
    for (const part of parts) part.fill(rows.entries);
    const [one, two] = [new CandidateIndex(known, 10), new CandidateIndex(known, 10, rows)];
    for (let a = 0; a < asked.length; a++) {
      expect(two.find(asked, a)).toBe(one.find(asked, a));
      expect([...two.found]).toEqual([...one.found]);
    }
  });
});

describe("candidates that are found ahead", () => {
  it("are of the first records, until it is enough", () => {
    const ahead = aheadOf(5, 3);
    const found = new Int32Array(3);
    const looked: number[] = [];
    const find = (a: number): number => {
      looked.push(a);
      found.fill(a + 10);
      if (a === 2) Atomics.store(ahead.enough, 0, 1);
      return a;
    };
    putAhead(ahead, 1, 2, Int32Array.of(77, 78, 0));
    putAhead(ahead, 5, 1, Int32Array.of(99, 0, 0));
    findAhead(ahead, find, found);
    expect(looked).toEqual([0, 2]);
    found.fill(0);
    expect([0, 1, 2, 3, 4, 5].map((a) => takeAhead(ahead, a, found))).toEqual([0, 2, 2, -1, -1, -1]);
    takeAhead(ahead, 2, found);
    expect([...found]).toEqual([12, 12, 0]);
    takeAhead(ahead, 1, found);
    expect([...found]).toEqual([77, 78, 0]);
  });

  it("are kept while pairs are drawn, of the drawn records alone, and are what the index finds", () => {
    const matcher = new Matcher(FIELDS, { among: false });
    for (const record of recordsFrom(8, 600)) matcher.known.add(record);
    for (const record of recordsFrom(9, 3_100)) matcher.incoming.add(record);
    matcher.prepare();
    const ahead = matcher.keepAhead();
    const { records } = matcher.draw(matcher.meetings({}), 0);
    const index = new CandidateIndex(matcher.known, 16);
    const kept = [...ahead.counts.keys()].filter((a) => ahead.counts[a]! >= 0);
    expect(kept).toHaveLength(records);
    for (const a of kept) {
      const count = index.find(matcher.incoming, a);
      const found = new Int32Array(index.found.length);
      expect(takeAhead(ahead, a, found)).toBe(count);
      expect([...found.subarray(0, count)]).toEqual([...index.found.subarray(0, count)]);
    }
  });

  it("give the pairs that are found without", () => {
    const records = recordsFrom(7, 400);
    const pairsOf = (ahead: boolean) => {
      const matcher = new Matcher(FIELDS, { among: true });
      for (const record of [...records, ...records.slice(0, 80)]) matcher.incoming.add(record);
      matcher.prepare();
      matcher.estimate();
      if (ahead) {
        matcher.keepAhead();
        matcher.findAhead();
      }
      const pairs = [matcher.pairs({}), matcher.pairs({ before: 300 })];
      return pairs.map((p) => [[...p.a.subarray(0, p.count)], [...p.b.subarray(0, p.count)]]);
    };
    expect(pairsOf(true)).toEqual(pairsOf(false));
  });
});

describe("pairs that are drawn in shares", () => {
  it("are those that are drawn at once", () => {
    const matcher = new Matcher(FIELDS.slice(0, 2), { among: false });
    for (const record of recordsFrom(8, 900)) matcher.known.add(record.slice(0, 2));
    for (const record of recordsFrom(9, 333)) matcher.incoming.add(record.slice(0, 2));
    matcher.prepare();
    const meetings = matcher.meetings({});
    const shares = [0, 1, 2].map((part) => matcher.draw(meetings, 0, { part, of: 3 }));
    expect(shares.map((s) => s.count > 0)).toEqual([true, true, true]);
    expect(joinPools(shares)).toEqual(matcher.draw(meetings, 0));
    expect(joinPools([shares[0]!])).toBe(shares[0]);
  });
});
