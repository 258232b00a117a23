import { describe, expect, it } from "vitest";
import { MemorySpill, Repeats } from "@/core/check/repeats.ts";
import { random } from "../support/random.ts";

/** Values as pairs of words, each different from the others. */
function values(n: number, seed: number): [number, number][] {
  const roll = random(seed);
  return Array.from({ length: n }, () => [(roll() * 2 ** 32) >>> 0, (roll() * 2 ** 32) >>> 0]);
}

const found = (repeats: Repeats) => [...repeats.resolve()].flat().sort((x, y) => x.record - y.record);

describe("values that come again", () => {
  it.each([100, 49_999, 50_000, 50_001, 200_000])("are found all and exactly, with %i expected", (expected) => {
    const list = values(20_000, expected);
    const repeats = new Repeats(expected, new MemorySpill());
    list.forEach(([a, b], r) => repeats.add(a, b, r, 0, r + 2));
    list.slice(0, 5000).forEach(([a, b], i) => repeats.add(a, b, 20_000 + i, 1, i + 2));
    const all = found(repeats);
    expect(all.map((f) => f.record)).toEqual(Array.from({ length: 5000 }, (_, i) => 20_000 + i));
    expect(all.every((f, i) => f.first === i && f.line === i + 2 && f.file === 0)).toBe(true);
  });

  it("are told from values that agree in one of their two words", () => {
    const repeats = new Repeats(1000, new MemorySpill());
    for (let r = 0; r < 400; r++) repeats.add(7, r * 256, r, 0, r);
    for (let r = 0; r < 400; r++) repeats.add(r * 977, 5 * 256, 400 + r, 0, r);
    // Of the second lot only the value that is in the first as well: 7 is no multiple of 977.
    expect(found(repeats)).toEqual([]);
    repeats.add(7, 5 * 256, 800, 0, 9);
    expect(found(repeats)).toEqual([{ record: 800, first: 5, line: 5, file: 0 }]);
  });

  it("are rarely suspected where none comes again: of a hundred thousand, fewer than one in a thousand", () => {
    const repeats = new Repeats(100_000, new MemorySpill());
    const suspected = values(100_000, 3).filter(([a, b], r) => repeats.add(a, b, r, 0, r)).length;
    expect(suspected).toBeLessThan(100);
    expect(found(repeats)).toEqual([]);
  });

  it.each([1_000, 5_000, 50_000])("are rarely suspected where %i are expected and come, and none again", (expected) => {
    const repeats = new Repeats(expected, new MemorySpill());
    const suspected = values(expected, 11).filter(([a, b], r) => repeats.add(a, b, r, 0, r)).length;
    expect(suspected).toBeLessThanOrEqual(3 + expected / 1000);
  });

  it("that come three times are told twice, by the first of them", () => {
    const repeats = new Repeats(10, new MemorySpill());
    for (const r of [3, 8, 9]) repeats.add(1, 2, r, 0, r * 10);
    expect(found(repeats)).toEqual([
      { record: 8, first: 3, line: 30, file: 0 },
      { record: 9, first: 3, line: 30, file: 0 },
    ]);
  });
});
