import { describe, expect, it } from "vitest";
import { MemorySpill } from "@/core/check/repeats.ts";
import { casingOf, notesOf } from "@/core/profile/notes.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { openFile } from "@/core/read/source.ts";
import { memoryFile } from "../support/formats.ts";
import { columnOf, profileOf } from "../support/profile.ts";

/** What a steward is told of a delivery without asking. */

const says = async (values: readonly (string | number)[]): Promise<string[]> =>
  notesOf(await columnOf(values)).map((n) => n.says);
const many = (value: string | number, times: number): (string | number)[] => Array.from({ length: times }, () => value);
const upTo = (n: number): number[] => Array.from({ length: n }, (_, i) => i);

describe("records that come twice", () => {
  it("are counted, alike in all columns only, and shown with the first of them", async () => {
    const { duplicates } = await profileOf({
      a: ["x", "y", "x", "x", "y", "x"],
      b: ["1", "1", "1", "2", "1", "1"],
    });
    expect(duplicates).toEqual({
      count: 3,
      some: [
        { record: 3, of: 1 },
        { record: 5, of: 2 },
        { record: 6, of: 1 },
      ],
    });
  });

  it("are told apart where the same text stands in other cells", async () => {
    expect((await profileOf({ a: ["ab", "a"], b: ["c", "bc"] })).duplicates!.count).toBe(0);
  });

  it("are the same whatever the order of a file's columns", async () => {
    const fold = new ProfileFold(new MemorySpill(), 100);
    for (const [name, text] of [
      ["one.csv", "a,b\n1,x\n2,y\n"],
      ["two.csv", "b,a\nx,1\nz,2\n"],
    ] as const) {
      for await (const opened of openFile(memoryFile(name, text), {}, async () => memoryFile("", ""), { next: 0 }))
        for await (const block of opened.blocks) fold.add(block, opened.columns());
    }
    expect(fold.finish().duplicates!.count).toBe(1);
  });

  it("are at most ten that are shown, the first ones", async () => {
    const { duplicates } = await profileOf({ a: many("same", 40) });
    expect(duplicates!.count).toBe(39);
    expect(duplicates!.some.map((d) => d.record)).toEqual(upTo(10).map((i) => i + 2));
  });
});

describe("days", () => {
  it("that programs put where they know none are told with their number", async () => {
    const days = ["1970-01-01", "1970-01-01", "9999-12-31", "2026-05-31", "2025-01-01"];
    expect(await says([...days, ...many("2024-03-02", 20)])).toEqual(
      expect.arrayContaining([
        "2 × 1970-01-01, which programs put where they know no day",
        "1 × 9999-12-31, which programs put where they know no day",
      ]),
    );
    expect(
      (await columnOf(["01.01.1900", "31.12.1899", "02.02.1902"])).defaultDates!.map((d) => d.value).sort(),
    ).toEqual(["01.01.1900", "31.12.1899"]);
    expect((await columnOf(["1970-01-01T00:00:00", "1970-01-01T10:00:00"])).defaultDates).toMatchObject([
      { value: "1970-01-01", count: 2 },
    ]);
  });

  it("are in the future by the day on which they came, and only where they are so in every reading", async () => {
    const future = async (values: string[]): Promise<number> => {
      const fold = new ProfileFold(new MemorySpill(), 100, "2026-06-15");
      for await (const opened of openFile(
        memoryFile("f.csv", `day,n\n${values.map((v, i) => `${v},${i}`).join("\n")}\n`),
        {},
        async () => memoryFile("", ""),
        { next: 0 },
      ))
        for await (const block of opened.blocks) fold.add(block, opened.columns());
      return fold.finish().columns[0]!.future!;
    };
    expect(await future(["2026-06-15", "2026-06-16", "2027-01-01"])).toBe(2);
    // The fifth of December, or the twelfth of May.
    expect(await future(["12/05/2026", "13/07/2026", "07/20/2026"])).toBe(2);
  });
});

describe("notes of a column", () => {
  it.each([
    ["numbers among words", [...many("oak", 50), ...many("elm", 49), 7], "1 number among words"],
    ["words among numbers", [...upTo(99), "soon"], "1 among numbers is none"],
    ["a default", [...many("0", 80), ...upTo(20)], "81 % have “0”: it may be a default"],
    ["units", [...many("2 kg", 5), ...many("300 g", 4)], "units: kg 5, g 4"],
    ["currencies", [...many("2 EUR", 5), ...many("$3", 4)], "currencies: EUR 5, $ 4"],
    ["twins", [...many("Fen", 9), "FEN", "fen", "Cray"], "2 values differ in case only"],
    ["another case", [...many("OAK", 60), ...many("ELM", 40), "Ash"], "1 in another case"],
    ["spaces", ["a ", "b", "c"], "1 with loose spaces"],
    ["far out", [...upTo(50), 9000], "1 far out"],
  ])("%s", async (_, values, note) => expect(await says(values as string[])).toContain(note));

  it("of nothing unusual are none", async () => {
    expect(await says(upTo(40).map((i) => ["oak", "elm", "ash", "fir"][i % 4]!))).toEqual([]);
  });

  it("lead to their records, as these are asked for", async () => {
    const notes = notesOf(await columnOf([...upTo(50), 9000]));
    const far = notes.find((n) => n.says === "1 far out")!.records!;
    const [low, high] = far.value!.split("..").map(Number);
    expect(far.is).toBe("outside");
    expect([low! < 0, high! > 49 && high! < 9000]).toEqual([true, true]);
    const twice = [...upTo(300).map((i) => `SMH-${i}`), "SMH-7"];
    expect(notesOf(await columnOf(twice)).find((n) => n.says === "nearly a key: 1 repeat")!.records).toEqual({
      is: "again",
    });
  });

  it("name the usual case", () => {
    expect(casingOf({ casing: { upper: 5, lower: 2, mixed: 1 } })).toEqual({ usual: "upper", others: 3 });
    expect(casingOf({ casing: { upper: 0, lower: 2, mixed: 9 } })).toEqual({ usual: "mixed", others: 2 });
  });
});
