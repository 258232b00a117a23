import { describe, expect, it } from "vitest";
import { measureReturned } from "../../demo/mends/returned.ts";
import { AlikeSearch, alikeIn, isWhole, type LookedFor } from "@/core/mend/alike.ts";

const held = (values: readonly string[], ...wrong: number[]): LookedFor => ({
  values,
  wrong: values.map((_, f) => wrong.includes(f)),
});

function found(looked: readonly LookedFor[], records: readonly (readonly string[])[]) {
  const search = new AlikeSearch(looked, looked[0]!.values.length);
  records.forEach((r, i) => search.offer(i, r));
  return search.finish().map(({ held: h, record, same, sound }) => [h, record, `${same} of ${sound}`]);
}

describe("a held record that comes again without its mark", () => {
  const seed = ["?", "Silene alba", "Moor", "2026-05-01", "12"];

  it("is found by what it has in common, whatever was wrong with it", () => {
    expect(
      found(
        [held(seed, 0)],
        [
          ["A-7", "Silene alba", "Moor", "2026-05-01", "12"],
          ["A-8", "Silene alba", "Fen", "2026-05-02", "9"],
        ],
      ),
    ).toEqual([[0, 0, "4 of 4"]]);
  });

  it("may have one of four sound values otherwise, and not two", () => {
    const looked = [held(seed, 0)];
    expect(found(looked, [["A", "Silene alba", "Moor", "2026-05-01", "13"]])).toEqual([[0, 0, "3 of 4"]]);
    expect(found(looked, [["A", "Silene alba", "Moor", "2026-05-02", "13"]])).toEqual([]);
  });

  it("is not told from several that are as like it", () => {
    const twin = ["A", "Silene alba", "Moor", "2026-05-01", "12"];
    expect(found([held(seed, 0)], [twin, ["B", ...twin.slice(1)]])).toEqual([]);
    // A likelier one that comes after two equals is it.
    const near = ["C", "Silene alba", "Moor", "2026-05-01", "13"];
    expect(found([held(seed, 0)], [near, near, twin])).toEqual([[0, 2, "4 of 4"]]);
  });

  it("has a record for itself, which the likest of several gets, and none of equals", () => {
    const record = ["A", "Silene alba", "Moor", "2026-05-01", "12"];
    const less = held(["?", "Silene alba", "Moor", "2026-05-01", "9"], 0);
    expect(found([less, held(seed, 0)], [record])).toEqual([[1, 0, "4 of 4"]]);
    expect(found([held(seed, 0), held(seed, 0)], [record])).toEqual([]);
  });

  it("is not found by a single value, or by what is wrong", () => {
    expect(found([held(["x", "", ""])], [["x", "y", "z"]])).toEqual([]);
    expect(found([held(["x", "y", "z"], 1, 2)], [["x", "y", "z"]])).toEqual([]);
    expect(found([held(["x", "y", ""])], [["x", "y", "z"]])).toEqual([[0, 0, "2 of 2"]]);
  });

  it("may be spelled otherwise, but has the digits that it had, and half of it is the very same", () => {
    const looked = [held(seed, 0)];
    const again = (...cells: string[]) => found(looked, [["A", ...cells]]);
    expect(again("Silene  Alba", "Moore", "2026-05-01", "12")).toEqual([[0, 0, "2 of 4"]]);
    expect(again("Silene alba", "Moore", "2026-05-01", "12")).toEqual([[0, 0, "3 of 4"]]);
    // Another day and another number are no spellings.
    expect(again("Silene alba", "Moore", "2026-05-02", "12")).toEqual([[0, 0, "2 of 4"]]);
    expect(again("Silene alba", "Moor", "2026-05-02", "13")).toEqual([]);
    expect(again("Silene albida", "Fen", "2026-05-01", "13")).toEqual([]);
    expect(again("Silena alba", "Moore", "2026-05-01", "13")).toEqual([]);
    const long = held(["?", "Silene alba", "Moor End", "Brindle", "Hollow", "Marrow"], 0);
    expect(found([long], [["A", "Silene albe", "Moor Ende", "Brindel", "Hollow", "Marow"]])).toEqual([]);
  });

  it("is rather the one that is spelled as it was", () => {
    const near = ["A", "Silene alba", "Moore", "2026-05-01", "12"];
    const less = ["B", "Silene alba", "Moore", "2026-05-01", "13"];
    const search = new AlikeSearch([held(seed, 0)], 5);
    [less, near].forEach((r, i) => search.offer(i, r));
    const [pair] = search.finish();
    expect(pair).toMatchObject({ record: 1, sound: 4, same: 3, near: 1, equals: 1 });
    expect(alikeIn(pair!)).toBe("3 of 4 sound fields the same, 1 spelled otherwise");
    expect(isWhole(pair!)).toBe(false);
    search.offer(2, ["C", ...seed.slice(1)]);
    expect(alikeIn(search.finish()[0]!)).toBe("4 of 4 sound fields the same");
    expect(isWhole(search.finish()[0]!)).toBe(true);
  });

  it("is another where both have a sound key and it is not the same", () => {
    const search = (own: LookedFor) => {
      const s = new AlikeSearch([own], 5, [0]);
      s.offer(3, ["A-7", "Silene alba", "Moor", "2026-05-01", "12"]);
      return s.finish().length;
    };
    expect(search(held(["A-8", ...seed.slice(1)]))).toBe(0);
    expect(search(held(["A-8", ...seed.slice(1)], 0))).toBe(1);
    expect(search(held(["A-7", ...seed.slice(1)]))).toBe(1);
  });

  it("is said to be the likest so far, or not", () => {
    const search = new AlikeSearch([held(seed, 0)], 5);
    const record = ["A", "Silene alba", "Moor", "2026-05-01", "13"];
    expect(search.offer(0, record)).toBe(true);
    expect(search.offer(1, record)).toBe(false);
    expect(search.offer(2, ["A", "Silene alba", "Moor", "2026-05-01", "12"])).toBe(true);
    expect(search.offer(3, ["A", "Carex", "Moor", "2026-05-01", "13"])).toBe(false);
  });

  it("is found by other values where very many have the same", () => {
    const many = Array.from({ length: 600 }, (_, i) => held(["Moor", `n${i}`, ""]));
    expect(found(many, [["Moor", "n7", "k"]])).toEqual([[7, 0, "2 of 2"]]);
  });
});

describe("held records that came again, of kinds that were made for something else", () => {
  const tried = (kind: string, errors: readonly [number, number], same = 0.5) =>
    measureReturned(kind, { seed: 77, size: 600, same, errors });

  it.each([
    ["people", 0.8],
    ["members", 0.7],
    ["organisations with branches", 0.7],
    ["publications", 0.7],
    ["people in Cyrillic letters", 0.65],
  ])("are shown and hardly ever wrongly: %s", (kind, least) => {
    const { came, shown, right, whole, wholeRight } = tried(kind, [0, 1]);
    expect(right / came).toBeGreaterThan(least);
    expect(right / shown).toBeGreaterThan(0.93);
    expect(wholeRight / whole).toBeGreaterThan(0.98);
  });

  it("are few that have not come, and none without any difference", () => {
    for (const kind of ["people", "registry", "publications"]) {
      const { held, shown, whole } = tried(kind, [0, 2], 0);
      expect(shown / held).toBeLessThan(0.04);
      expect(whole).toBe(0);
    }
  });
});
