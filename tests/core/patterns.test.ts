import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MISSING } from "@/core/match/model/density.ts";
import { eachAlone, patternsOf, some, type Patterns } from "@/core/match/model/patterns.ts";
import { LevelCounts } from "@/core/match/model/tree.ts";
import type { Pool } from "@/core/match/pairs/draw.ts";

/** Pairs that agree in all that is estimated from, put together. */

const WIDTH = 3;
const LEVELS = 6;

/** A pool in which many pairs agree. */
const pools = fc
  .array(
    fc.record({
      levels: fc.array(fc.constantFrom(0, 1, 5, MISSING), { minLength: WIDTH, maxLength: WIDTH }),
      rarity: fc.array(fc.constantFrom(0, 1.5, -0.25), { minLength: WIDTH, maxLength: WIDTH }),
      weight: fc.constantFrom(0.5, 1, 3.25),
    }),
    { maxLength: 60 },
  )
  .map((pairs): Pool => ({
    records: 1,
    all: 1,
    others: 1,
    count: pairs.length,
    owner: new Int32Array(pairs.length),
    other: new Int32Array(pairs.length),
    candidate: new Uint8Array(pairs.length),
    alike: new Uint8Array(pairs.length * WIDTH),
    drawn: new Int32Array(1),
    weight: Float32Array.from(pairs, (p) => p.weight),
    levels: Uint8Array.from(pairs.flatMap((p) => p.levels)),
    rarity: Float32Array.from(pairs.flatMap((p) => p.rarity)),
  }));

const row = <T>(list: ArrayLike<T>, p: number): T[] => Array.from({ length: WIDTH }, (_, f) => list[p * WIDTH + f]!);
const textOf = ({ levels, rarity }: Pick<Patterns, "levels" | "rarity">, p: number): string =>
  JSON.stringify([row(levels, p), row(rarity, p)]);

describe("patterns of pairs", () => {
  it("are those that the pairs have, each once, with what its pairs weigh", () => {
    fc.assert(
      fc.property(pools, (pool) => {
        const expected = new Map<string, { weight: number; squares: number }>();
        for (let p = 0; p < pool.count; p++) {
          const sums = expected.get(textOf(pool, p)) ?? { weight: 0, squares: 0 };
          sums.weight += pool.weight[p]!;
          sums.squares += pool.weight[p]! ** 2;
          expected.set(textOf(pool, p), sums);
        }
        const found = patternsOf(pool, WIDTH);
        expect(Array.from({ length: found.count }, (_, p) => textOf(found, p))).toEqual([...expected.keys()]);
        expect([...found.weight]).toEqual([...expected.values()].map((x) => x.weight));
        expect([...found.squares]).toEqual([...expected.values()].map((x) => x.squares));
      }),
    );
  });

  it("count as their pairs do, by field, by two fields, and in how many pairs a level is worth", () => {
    fc.assert(
      fc.property(pools, (pool) => {
        const counted = (patterns: Patterns): LevelCounts => {
          const counts = new LevelCounts(Array<number>(WIDTH).fill(LEVELS));
          // What is left of a pair follows from its pattern.
          counts.add(patterns, (p) =>
            patterns.levels[p * WIDTH] === 1 ? 0.25 : patterns.rarity[p * WIDTH] === 0 ? 0 : 1,
          );
          return counts;
        };
        const [one, other] = [counted(eachAlone(pool)), counted(patternsOf(pool, WIDTH))];
        for (let f = 0; f < WIDTH; f++)
          for (let l = 0; l < LEVELS; l++) {
            expect(other.single[f]![l]).toBeCloseTo(one.single[f]![l]!, 9);
            expect(other.meanWeight(f, l)).toBeCloseTo(one.meanWeight(f, l), 9);
            for (let g = 0; g < f; g++)
              for (let m = 0; m < LEVELS; m++) expect(other.beside(f, l, g, m)).toBeCloseTo(one.beside(f, l, g, m), 9);
          }
      }),
    );
  });

  it("are kept where a test lets them through, with which they were", () => {
    fc.assert(
      fc.property(pools, (pool) => {
        const all = patternsOf(pool, WIDTH);
        const wanted = Array.from({ length: all.count }, (_, p) => p).filter((p) => all.weight[p]! > 1);
        const { patterns, from } = some(all, WIDTH, (p) => all.weight[p]! > 1);
        expect([...from]).toEqual(wanted);
        expect(Array.from({ length: patterns.count }, (_, p) => textOf(patterns, p))).toEqual(
          wanted.map((p) => textOf(all, p)),
        );
        expect([...patterns.weight]).toEqual(wanted.map((p) => all.weight[p]));
        expect([...patterns.squares]).toEqual(wanted.map((p) => all.squares[p]));
      }),
    );
  });
});
