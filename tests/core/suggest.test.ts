import { describe, expect, it } from "vitest";
import { suggestColumn } from "@/core/map/suggest.ts";
import type { ColumnProfile, TypeCandidate } from "@/core/profile/facts.ts";
import type { Field } from "@/core/field/field.ts";

const column = (name: string, more: Partial<ColumnProfile> = {}): ColumnProfile =>
  ({ name, filled: 100, common: [], types: [], length: { least: 1, most: 9, mean: 5 }, ...more }) as ColumnProfile;
const typed = (type: string, fits: number): Partial<ColumnProfile> => ({
  types: [{ type, fits } as unknown as TypeCandidate],
});
const field = (type: string, more: object = {}): Field => ({ name: "weight", type, ...more }) as Field;
const common = (...values: [string, number][]): Partial<ColumnProfile> => ({
  common: values.map(([value, count]) => ({ value, count, first: 1 })),
});

describe("the column that a field has moved to", () => {
  it.each([
    ["integer", "integer", true],
    ["integer", "decimal", false],
    ["decimal", "integer", true],
    ["decimal", "decimal with a comma", true],
    ["date", "date yyyy-MM-dd", true],
    ["date", "integer", false],
    ["timestamp", "timestamp", true],
    ["timestamp", "date yyyy-MM-dd", false],
    ["timestamp", "timestamp of a kind", false],
    ["date", "written date", true],
    ["date", "no date", false],
    ["uuid", "UUID", true],
    ["uuid", "UUID of a kind", false],
    ["uuid", "a UUID", false],
    ["json", "JSON", true],
    ["time", "time HH:mm", true],
    ["time", "timestamp", false],
    // An amount without a currency of its own must bring one.
    ["money", "written number", true],
    ["money", "integer", false],
    ["money", "a written number", false],
    ["money", "written numbers", false],
  ])("for the type %s is one of %s: %s", (type, found, is) => {
    const suggestion = suggestColumn(field(type), [column("x1", typed(found, 100))]);
    expect(suggestion?.column ?? null).toBe(is ? "x1" : null);
    if (is) expect(suggestion!.why).toBe("100 % of its values would do");
  });

  it("of an amount in one currency may be of numbers alone", () => {
    const price = field("money", { currency: "EUR" });
    for (const type of ["integer", "decimal with a comma", "written number"])
      expect(suggestColumn(price, [column("x1", typed(type, 100))])?.column).toBe("x1");
    expect(suggestColumn(price, [column("x1", typed("no integer", 100))])).toBeNull();
  });

  it("of yes and no is by the field's own words, in any case", () => {
    const own = field("boolean", { words: { yes: ["Ja"], no: ["Nein"] } });
    const found = (...values: [string, number][]): string | undefined =>
      suggestColumn(own, [column("x1", common(...values))])?.column;
    expect(found([" ja ", 60], ["NEIN", 40])).toBe("x1");
    expect(found(["yes", 60], ["no", 40])).toBeUndefined();
    expect(found(["ja", 40], ["perhaps", 60])).toBeUndefined();
    expect(suggestColumn(field("boolean"), [column("x1", common(["ja", 100]))])).toBeNull();
  });

  it("of text with a near name may be no longer than the field, and no numbers", () => {
    const found = (more: object, profile: Partial<ColumnProfile> = {}): string | undefined =>
      suggestColumn(field("text", more), [column("weigth", profile)])?.column;
    expect(found({})).toBe("weigth");
    expect(found({ length: 5 })).toBe("weigth");
    expect(found({ length: 4 })).toBeUndefined();
    expect(found({}, typed("integer", 90))).toBe("weigth");
    expect(found({}, typed("integer", 91))).toBeUndefined();
  });

  it("of times of day may have several forms, that do together", () => {
    const times = column("x1", {
      types: [
        { type: "time HH:mm", fits: 60 },
        { type: "time HH:mm:ss", fits: 40 },
        { type: "integer", fits: 90 },
      ] as unknown as TypeCandidate[],
    });
    expect(suggestColumn(field("time"), [times])?.why).toBe("100 % of its values would do");
  });

  it("is the one that does best, and the first of those that do alike", () => {
    const [a, b, c] = [90, 100, 100].map((fits, i) => column(`weigth${i}`, typed("integer", fits)));
    expect(suggestColumn(field("integer"), [a!, b!, c!])?.column).toBe("weigth1");
  });

  it("has a name like the field's where that is longer than three letters, and two of them differ at most", () => {
    const near = (name: string, other: string) =>
      suggestColumn({ ...field("text"), name }, [column(other)])?.column ?? null;
    expect(near("weight", "wieght")).toBe("wieght");
    expect(near("weight", "weigths")).toBe("weigths");
    expect(near("weight", "hoigth")).toBeNull();
    expect(near("day", "daybook")).toBeNull();
    expect(near("days", "daysbook")).toBe("daysbook");
    expect(near("weight", "we")).toBeNull();
  });

  it("must do for four of five values", () => {
    const near = (fits: number) => suggestColumn(field("integer"), [column("weights", typed("integer", fits))]);
    expect(near(79)).toBeNull();
    expect(near(80)?.why).toBe("80 % of its values would do, its name is like one that the field has had");
    // What fits in part needs a name or a place that speaks for it.
    expect(suggestColumn(field("integer"), [column("x1", typed("integer", 80))])).toBeNull();
  });

  it("has the codes of the field, in whatever case", () => {
    const land = field("code", { values: ["GB", "FR"] });
    expect(suggestColumn(land, [column("l", common(["gb", 60], [" FR ", 40]))])?.column).toBe("l");
    expect(suggestColumn(land, [column("l", common(["gb", 60], ["xx", 40]))])).toBeNull();
    const yes = field("boolean", { words: { yes: ["Yes"], no: ["No"] } });
    expect(suggestColumn(yes, [column("y", common(["yes", 50], ["NO", 50]))])?.column).toBe("y");
  });

  it("is of text only where its name or its place speaks for it", () => {
    const text = { ...field("text"), title: "Collector", also: ["gathered by"] };
    expect(suggestColumn(text, [column("remarks")])).toBeNull();
    expect(suggestColumn(text, [column("Colector")])?.column).toBe("Colector");
    expect(suggestColumn(text, [column("Gathered_By_2")])?.column).toBe("Gathered_By_2");
    const stood = (name: string) => name === "c7";
    expect(suggestColumn(text, [column("c7")], stood)?.why).toContain("stands where the field's column stood before");
    // Numbers seldom become text, and long texts don't go into a short field.
    expect(suggestColumn(text, [column("Colector", typed("integer", 95))])).toBeNull();
    const long = column("Colector", { length: { least: 1, most: 900, mean: 300 } });
    expect(suggestColumn({ ...text, length: 40 }, [long])).toBeNull();
  });

  it("is the one for which most speaks, and none that is empty", () => {
    const columns = [column("x1", typed("integer", 100)), column("weihgt", typed("integer", 95))];
    expect(suggestColumn(field("integer"), columns)?.column).toBe("weihgt");
    expect(suggestColumn(field("integer"), [column("weight_g", { ...typed("integer", 0), filled: 0 })])).toBeNull();
    expect(suggestColumn(field("integer"), [])).toBeNull();
  });
});
