import { describe, expect, it } from "vitest";
import { z } from "zod";
import { Heap, cellText, emptyCells } from "@/core/kernel/bytes.ts";
import { currencyWords } from "@/core/type/currency.ts";
import { typePart, type TypeId } from "@/core/type/index.ts";
import { jsonValue } from "@/core/type/json.ts";
import { plainNumber } from "@/core/type/written-number.ts";
import { yesAndNo } from "@/core/type/yes-no.ts";

/** Types at the edges of what they take. */

/** What a value becomes; null where it is not of the type. `next`: what lies after it in memory, of another cell. */
function taken(type: TypeId, options: object, text: string, next = ""): string | null {
  const heap = new Heap(new Uint8Array(1), 0);
  const cells = emptyCells(1);
  cells.start[0] = heap.append(text);
  cells.end[0] = heap.length;
  heap.append(next);
  const bad = new Int32Array(1);
  const part = typePart(type);
  return part.convert(z.object(part.options).parse(options))(heap, cells, 1, bad) === 0
    ? cellText(heap, cells, 0)
    : null;
}

const fits = (type: TypeId, options: object, column: string, labels: string[] | null = null): boolean =>
  typePart(type).fits({ type: column, labels }, options);

describe("a column of a database", () => {
  it.each<[TypeId, object, string, boolean]>([
    ["code", { values: ["BHG", "CWA"] }, "character varying(3)", true],
    ["code", { values: ["BHG", "CWA"] }, "character varying(2)", false],
    ["code", { values: ["BHG", "CWAL"] }, "character varying(3)", false],
    ["code", { values: ["ÄÖÜ"] }, "character varying(3)", true],
    ["code", { values: ["BHG"] }, "text", true],
    ["code", { values: ["BHG"] }, "integer", false],
    ["time", {}, "time without time zone", true],
    ["time", {}, "time(6) without time zone", true],
    ["time", {}, "time(7) without time zone", false],
    ["time", {}, "time with time zone", false],
    ["time", {}, "time without time zone[]", false],
    ["time", {}, "daytime without time zone", false],
    ["json", {}, "jsonb", true],
    ["json", {}, "json", true],
    ["json", {}, "text", false],
    ["money", { currency: "EUR" }, "numeric(16,2)", true],
    ["money", { currency: "EUR" }, "numeric(15,2)", false],
    ["money", { currency: "EUR" }, "numeric(16,1)", false],
    ["money", { currency: "EUR" }, "numeric", true],
    ["money", {}, "text", true],
    ["money", {}, "character varying(24)", true],
    ["money", {}, "character varying(23)", false],
    ["money", {}, "numeric", false],
    ["boolean", {}, "boolean", true],
    ["boolean", {}, "text", false],
    ["list", { of: "date", by: ";" }, "date[]", true],
    ["list", { of: "date", by: ";" }, "text[]", false],
  ])("for %s %j: %s takes all of its values: %s", (type, options, column, takes) => {
    expect(fits(type, options, column)).toBe(takes);
  });

  it("of enumerated values takes those codes alone that are among them", () => {
    const values = ["wild", "garden"];
    expect(fits("code", { values }, "seed_source", ["wild", "garden", "other"])).toBe(true);
    expect(fits("code", { values }, "seed_source", ["wild"])).toBe(false);
    expect(fits("code", { values: [] }, "seed_source", [])).toBe(true);
  });
});

describe("a list", () => {
  it.each([
    ["decimal", "1;+2.50;-3", '{"1","+2.50","-3"}'],
    ["decimal", "12345678901234567890.123;0", '{"12345678901234567890.123","0"}'],
    ["decimal", "1;x2", null],
    ["decimal", "1;2x", null],
    ["decimal", "1;2,5", null],
    ["decimal", ".5", null],
    ["integer", "1;+2;-3", '{"1","+2","-3"}'],
    ["integer", "123456789012345678", '{"123456789012345678"}'],
    ["integer", "1234567890123456789", null],
    ["integer", "a1", null],
    ["integer", "1a", null],
    ["date", "2026-02-28;2024-02-29", '{"2026-02-28","2024-02-29"}'],
    ["date", "2026-02-29", null],
    ["text", 'an "elm"; a\\b', '{"an \\"elm\\"","a\\\\b"}'],
    ["text", '["a", 1.50]', '{"a","1.50"}'],
    ["text", "[[1]]", null],
    ["text", "[null]", null],
  ] as const)("of %s: %s", (of, text, to) => {
    expect(taken("list", { of, by: ";" }, text)).toBe(to);
  });
});

describe("JSON", () => {
  const nested = (n: number, inside = "1"): string => "[".repeat(n) + inside + "]".repeat(n);

  it("is no deeper than its limit, wherever brackets stand in texts", () => {
    let deepest = 1;
    while (jsonValue(nested(deepest + 1)) !== undefined) deepest++;
    expect(deepest).toBeGreaterThan(20);
    expect(jsonValue(`{"a":${nested(deepest - 1)}}`)).toBeDefined();
    expect(jsonValue(`{"a":${nested(deepest)}}`)).toBeUndefined();
    // Side by side is not within each other.
    expect(jsonValue(`[${Array.from({ length: 2 * deepest }, () => "[1],{}").join()}]`)).toBeDefined();
    const brackets = "[".repeat(2 * deepest);
    expect(jsonValue(`["${brackets}"]`)).toEqual([brackets]);
    expect(jsonValue(`["\\"${brackets}"]`)).toEqual([`"${brackets}`]);
    expect(jsonValue(nested(deepest, `"a","]]]]"`))).toBeDefined();
    expect(jsonValue(`["]]]]", ${nested(deepest)}]`)).toBeUndefined();
  });

  it("keeps whole characters alone, however they are written", () => {
    expect(jsonValue('"\\ud83c\\udf31"')).toBe("🌱");
    expect(jsonValue('"\\ud83c"')).toBeUndefined();
    expect(jsonValue('"\\udf31\\ud83c"')).toBeUndefined();
    expect(jsonValue('"\\\\ud83c"')).toBe("\\ud83c");
    expect(jsonValue('"\\u0000"')).toBeUndefined();
    expect(jsonValue('"\\u00e9"')).toBe("é");
  });
});

describe("a written number", () => {
  it.each([
    ["EUR 12.50", ".", "12.50"],
    ["12,50 €", ",", "12.50"],
    ["12 apples", ".", null],
    [".5", ".", "0.5"],
    ["5.", ".", "5"],
    [".", ".", null],
    ["1 234", ".", "1234"],
    ["1,234,567", ".", "1234567"],
    ["1,234.567", ".", "1234.567"],
    ["1,234 567", ".", null],
    ["12,34,567", ".", "1234567"],
    ["12,34,56", ".", null],
    ["12,34,5678", ".", null],
    ["1.234.567", ",", "1234567"],
    ["1,2,3", ".", null],
    ["x,234", ".", null],
    ["1234,567", ".", null],
    [",234", ".", null],
    ["1.2.3", ".", null],
    ["1.2x", ".", null],
    ["(12)", ".", "-12"],
    ["(12", ".", null],
    ["--12", ".", null],
    ["+12", ".", "12"],
    ["-12", ".", "-12"],
    ["١٢٫٥", "٫", "12.5"],
  ])("%s with the mark %s is %s", (text, mark, number) => {
    expect(plainNumber(text, mark, false)).toBe(number);
  });

  it("of a share is a hundredth, with no digit lost", () => {
    expect(plainNumber("12 %", ".", true)).toBe("0.12");
    expect(plainNumber("%5", ".", true)).toBe("0.05");
    expect(plainNumber("100%", ".", true)).toBe("1");
    expect(plainNumber("0.5%", ".", true)).toBe("0.005");
    expect(plainNumber("1234.5%", ".", true)).toBe("12.345");
    expect(plainNumber("12 %", ".", false)).toBe("12");
    expect(plainNumber("12", ".", true)).toBe("12");
  });
});

describe("a decimal", () => {
  it.each([
    ["12345", "12345"],
    ["123456", null],
    ["12345.67", "12345.67"],
    ["12345.678", null],
    ["-12345.67", "-12345.67"],
    ["5.", "5."],
    [".5", ".5"],
    ["-", null],
    ["1.2.3", null],
    ["12a", null],
  ])("of five digits before the point and two after it: %s", (text, to) => {
    expect(taken("decimal", { precision: 7, scale: 2 }, text)).toBe(to);
  });
});

describe("a value ends where its cell does", () => {
  it.each<[TypeId, object, string, string]>([
    ["timestamp", { formats: ["yyyy-MM-dd'T'HH:mm:ssXXX"] }, "2026-05-01T10:00:00+0", "1:00"],
    ["timestamp", { formats: ["yyyy-MM-dd'T'HH:mm:ssXXX"] }, "2026-05-01T10:00:00", "Z"],
    ["date", { formats: ["d MMMM yyyy", "MMMM d yyyy"] }, "Apri", "l 1 2026"],
    ["date", { formats: ["yyyy d MMM"] }, "2026 1 Ma", "y"],
    ["decimal", { precision: 7, scale: 2 }, "1.x", "5"],
    ["list", { of: "decimal", by: ";" }, "1;-", "5"],
  ])("%s %j: “%s” before “%s” is none", (type, options, text, next) => {
    expect(taken(type, options, text, next)).toBeNull();
  });

  it("and what follows is not read with it", () => {
    expect(taken("decimal", { precision: 7, scale: 2 }, "12", ".5")).toBe("12");
    expect(taken("date", { formats: ["yyyy d MMM"] }, "2026 1 May", "x")).toBe("2026-05-01");
    expect(taken("date", { formats: ["yyyy d MMMM"] }, "2026 1 December", "")).toBe("2026-12-01");
  });
});

describe("an amount of money", () => {
  const nines = "9".repeat(14);
  it.each([
    [nines, `${nines}.00`],
    [`0${nines}`, `${nines}.00`],
    [`-00${nines}`, `-${nines}.00`],
    [`-${nines}`, `-${nines}.00`],
    [`1${nines}`, null],
    [`-1${nines}`, null],
    ["0.5", "0.50"],
    ["0.500", "0.50"],
    ["0.505", null],
  ])("%s is %s euros", (text, to) => {
    expect(taken("money", { currency: "EUR" }, text)).toBe(to);
  });

  it("has its settings in a line", () => {
    const line = typePart("money").line!;
    expect(line.take("eur decimal , 4")).toEqual({ currency: "EUR", decimal: ",", scale: 4 });
    expect(line.take("4 CHF")).toEqual({ currency: "CHF", scale: 4 });
    expect(line.take("3")).toEqual({ scale: 3 });
    expect(line.take("42 x3 3x 9")).toEqual({});
    expect(line.show({ currency: "EUR", decimal: ",", scale: 4 })).toBe("EUR decimal , 4");
    expect(line.show({})).toBe("");
  });

  it("says what is wanted", () => {
    const expected = (options: object): string =>
      typePart("money").expected(z.object(typePart("money").options).parse(options));
    expect(expected({ currency: "JPY" })).toBe("an amount in JPY, with at most 0 decimals");
    expect(expected({ decimal: "," })).toContain("such as 12,50 EUR;");
  });
});

describe("years", () => {
  it.each([
    ["0001-01-01T00:00:00Z", true],
    ["9999-12-31T23:59:59Z", true],
    ["0000-01-01T00:00:00Z", false],
  ])("%s is a moment: %s", (text, is) => {
    expect(taken("timestamp", {}, text) !== null).toBe(is);
  });

  it.each([
    ["2000-00-10", false],
    ["2000-13-10", false],
    ["2000-12-00", false],
    ["2000-12-32", false],
    ["2000-04-31", false],
    ["1900-02-29", false],
    ["2000-02-29", true],
    ["2000-01-01", true],
    ["2100-12-31", true],
  ])("%s is a day: %s", (text, is) => {
    expect(taken("date", {}, text) !== null).toBe(is);
    expect(taken("list", { of: "date" }, text) !== null).toBe(is);
  });
});

describe("settings as a line", () => {
  it("of moments are their formats, or the usual ones", () => {
    const line = typePart("timestamp").line!;
    expect(line.take("dd.MM.yyyy HH:mm, HH:mm d/M/yy")).toEqual({ formats: ["dd.MM.yyyy HH:mm", "HH:mm d/M/yy"] });
    expect(line.take("  ")).toEqual({});
    expect(line.take(",")).toEqual({});
  });

  it("of moments are shown by an example each, of three at most", () => {
    const part = typePart("timestamp");
    const expected = (formats: string[]): string => part.expected(z.object(part.options).parse({ formats }));
    expect(expected(["dd.MM.yyyy HH:mm", "d/M/yyyy HH:mm"])).toMatch(/written like \d\d\.\d\d\.\d{4} \d\d:\d\d or \d/);
    expect(
      expected(["dd.MM.yyyy HH:mm", "d/M/yyyy HH:mm", "yyyy-MM-dd HH:mm", "HH:mm d/M/yyyy"]).split(" or "),
    ).toHaveLength(3);
  });
});

describe("words", () => {
  it("of currencies are found small, large and with a capital; codes large alone", () => {
    const found = (text: string): string => text.replace(currencyWords(), "·");
    expect(found("12 zł")).toBe("12 ·");
    expect(found("12 Zł")).toBe("12 ·");
    expect(found("12 ZŁ")).toBe("12 ·");
    expect(found("Kč 12")).toBe("· 12");
    expect(found("12 złoty")).toBe("12 złoty");
    expect(found("12 EUR")).toBe("12 ·");
    expect(found("12 eur")).toBe("12 eur");
  });

  it("for yes and no are those of the language that has all of them, each once", () => {
    const own = yesAndNo(["ja", "nein"])!;
    expect(own.yes).toContain("ja");
    expect(own.no).toContain("nein");
    expect(new Set(own.yes).size).toBe(own.yes.length);
    expect(yesAndNo(["ja", "perhaps"])).toBeNull();
    expect(yesAndNo(["", "ja"])).toEqual(yesAndNo(["ja"]));
    expect(yesAndNo([""])).toBeNull();
  });
});
