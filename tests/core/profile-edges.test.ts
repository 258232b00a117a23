import { describe, expect, it } from "vitest";
import { compareProfiles } from "@/core/profile/compare.ts";
import type { ColumnProfile } from "@/core/profile/facts.ts";
import { notesOf } from "@/core/profile/notes.ts";
import { proposeField } from "@/core/profile/propose.ts";
import { columnOf, profileOf } from "../support/profile.ts";

/** Where one thing that a profile says ends and another begins. */

const fill = <T>(n: number, of: (i: number) => T): T[] => Array.from({ length: n }, (_, i) => of(i));
const fitOf = (c: ColumnProfile, type: string): number => c.types.find((t) => t.type === type)?.fits ?? 0;
const says = async (values: (string | number)[]): Promise<string[]> =>
  notesOf(await columnOf(values)).map((n) => n.says);
async function of(values: (string | number)[]) {
  const { field, reasons } = proposeField({ ...(await columnOf(values)), name: "v" }, new Set());
  return { field, steps: reasons.flatMap((r) => (r.step ? [r.step as Record<string, unknown>] : [])) };
}
const changes = async (was: (string | number)[], is: (string | number)[]): Promise<string> =>
  compareProfiles(await profileOf({ v: was }), await profileOf({ v: is }))
    .flatMap((c) => c.changes)
    .join("; ");

describe("nearly a key", () => {
  const codes = fill(300, (i) => `K-${i}`);
  it("is what repeats less than one value in a hundred", async () => {
    expect(await says([...codes, "K-1", "K-2", "K-3"])).toContain("nearly a key: 3 repeats");
    expect(await says([...codes, "K-1", "K-2", "K-3", "K-4"])).not.toContainEqual(expect.stringContaining("key"));
  });
  it("is no column of fractions, and none of a hundred values or fewer", async () => {
    expect(await says([...fill(300, (i) => i + 0.25), 1.25])).not.toContainEqual(expect.stringContaining("key"));
    expect(await says([...fill(300, (i) => i), 1])).toContain("nearly a key: 1 repeat");
    expect(await says([...codes.slice(0, 99), "K-1"])).not.toContainEqual(expect.stringContaining("key"));
  });
  it("is not said of what has no repeats but for being empty once", async () => {
    expect(await says([...codes, ""])).not.toContainEqual(expect.stringContaining("key"));
    expect(await says(codes)).toContain("could be a key");
  });
});

describe("the mean of a column", () => {
  const around = (middle: number, by = 1) => fill(200, (i) => middle + (i % 5) * by);
  it("has changed where numbers of one type are far from those before", async () => {
    expect(await changes(around(10), around(50))).toContain("mean 52, was 12");
    expect(await changes(around(10), around(10))).not.toContain("mean");
  });
  it("is no matter of columns whose type is another now, or of numbers among words", async () => {
    const other = await changes(around(10), around(50, 1.25));
    expect(other).toContain("was integer");
    expect(other).not.toContain("mean");
    const words = fill(200, (i) => `word ${i}`);
    expect(await changes([...words, ...around(1).slice(0, 30)], [...words, ...around(900).slice(0, 30)])).not.toContain(
      "mean",
    );
  });
});

describe("numbers", () => {
  it("with a plus are those without", async () => {
    const c = await columnOf(["+3", "+5", "-2"]);
    expect(c.numbers).toMatchObject({ count: 3, least: -2, most: 5, mean: 2 });
  });

  it("lie far off beyond three times the middle half, and not at it", async () => {
    expect((await columnOf([1, 2, 3, 4, 5, 6, 7, 8, 19])).numbers).toMatchObject({ outliers: 0, fences: [-9, 19] });
    expect((await columnOf([1, 2, 3, 4, 5, 6, 7, 8, 19.5])).numbers).toMatchObject({ outliers: 1 });
    expect((await columnOf([-9, 2, 3, 4, 5, 6, 7, 8, 9])).numbers!.outliers).toBe(0);
  });

  it("have a mark between thousands where only one mark stands so", async () => {
    const thousands = (i: number, mark: string) => `${1 + (i % 9)}${mark}${100 + i}`;
    const points = await of(fill(60, (i) => (i % 3 ? thousands(i, ".") : String(i + 1))));
    expect(points).toMatchObject({ field: { type: "integer" }, steps: [{ do: "number", decimal: "," }] });
    const commas = await of(fill(60, (i) => (i % 3 ? thousands(i, ",") : String(i + 1))));
    expect(commas).toMatchObject({ field: { type: "integer" }, steps: [{ do: "number", decimal: "." }] });
    const both = await of(fill(60, (i) => (i % 3 ? thousands(i, i % 2 ? "," : ".") : String(i + 1))));
    expect(both.field.type).not.toBe("integer");
  });

  it("with units have their decimal comma made a point, where they have one", async () => {
    const comma = await of(fill(60, (i) => `${i + 1},${10 + i} kg`));
    expect(comma.field).toMatchObject({ type: "decimal", scale: 2 });
    expect(comma.steps).toMatchObject([
      { do: "replace", find: ",", with: "." },
      { do: "unit", to: "kg" },
    ]);
    const point = await of(fill(60, (i) => `${i + 1}.${10 + i} kg`));
    expect(point.steps).toMatchObject([{ do: "unit", to: "kg" }]);
    const whole = await of(fill(60, (i) => `${i + 1} kg`));
    expect(whole.steps).toMatchObject([{ do: "unit", to: "kg" }]);
    expect(whole.field.type).toBe("integer");
    // Where the unit stands only with some, commas without one count as well.
    const some = await of(fill(60, (i) => (i % 4 ? `${i + 1},${10 + i}` : `${i + 1} kg`)));
    expect(some.steps).toMatchObject([{ do: "replace" }, { do: "unit" }]);
  });
});

describe("days", () => {
  it("in eight digits have a year that can be believed", async () => {
    expect(fitOf(await columnOf(["31122020", "15062021"]), "date ddMMyyyy")).toBe(2);
    expect(fitOf(await columnOf(["31129999", "15060021", "12345678"]), "date ddMMyyyy")).toBe(0);
    expect(fitOf(await columnOf(["20201231", "20210615"]), "date yyyyMMdd")).toBe(2);
    // A column that is not all days is one of numbers.
    expect(fitOf(await columnOf(["20201231", "20210615", "99991332"]), "date yyyyMMdd")).toBe(0);
  });

  it("have one mark, and a month of one digit or two", async () => {
    const c = await columnOf(["2024-02/29", "2024-02.29", "2024--29", "2024-002-09", "31.12/2020", "31..2020"]);
    expect(c.types.filter((t) => /^date/.test(t.type))).toEqual([]);
  });

  it("are proposed in the formats that more than slips have, the most frequent first", async () => {
    const iso = (i: number) => `2021-0${1 + (i % 9)}-1${i % 10}`;
    const german = (i: number) => `2${i % 9}.0${1 + (i % 9)}.2021`;
    const words = fill(3, (i) => `1${i} May 2021`);
    const formats = async (values: string[]) => ((await of(values)).field as { formats?: readonly string[] }).formats;
    expect(await formats([...fill(100, german), ...fill(900, iso), ...words.slice(0, 1)])).toEqual([
      "yyyy-MM-dd",
      "dd.MM.yyyy",
    ]);
    expect(await formats([...fill(100, german), ...fill(900, iso), ...words])).toHaveLength(3);
    expect(await formats([...fill(30, german), ...fill(20, iso), ...words.slice(0, 1)])).toHaveLength(3);
  });
});

describe("the least and the greatest", () => {
  it("of values of which one begins another are the shorter and the longer", async () => {
    expect(await columnOf(["ba", "b", "bb", "bbb", "bab"])).toMatchObject({ least: "b", most: "bbb" });
  });
});
