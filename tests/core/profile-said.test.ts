import { describe, expect, it } from "vitest";
import { proposeField } from "@/core/profile/propose.ts";
import { columnOf, profileOf, proposed } from "../support/profile.ts";

/** What is proposed of a column, word by word: each number stands for values that can be counted in the test. */

const fill = <T>(n: number, of: (i: number) => T): T[] => Array.from({ length: n }, (_, i) => of(i));
const two = (n: number): string => String(n).padStart(2, "0");

/** The lines that speak for a column's field, and the field, without what nobody asks about here. */
async function said(values: readonly (string | number)[], name = "v", day = "2026-06-30"): Promise<string[]> {
  const { field, reasons } = proposeField({ ...(await columnOf(values, day)), name }, new Set());
  const { name: _, ...shape } = field;
  return [
    ...reasons.map((r) =>
      [`${r.part}: ${r.says}; ${r.why}`, r.step && JSON.stringify(r.step), r.ask && "asked"].filter(Boolean).join(" "),
    ),
    JSON.stringify(shape),
  ];
}

describe("what is said of words", () => {
  it("counts codes by what they are without spaces, each met twice", async () => {
    expect(await said([...fill(18, () => "GB"), " GB", "FR ", "FR", ...fill(3, () => " ")])).toMatchInlineSnapshot(`
      [
        "cleanse: trim the ends; 5 values have spaces at their ends or nothing else {"do":"trim"}",
        "type: code; 2 different values in 21",
        "values: FR, GB; all 21 values are one of these, each met twice or more",
        "{"type":"code","values":["FR","GB"]}",
      ]
    `);
  });
  it("makes codes capitals where four of five are", async () => {
    const codes = (lower: number) => fill(100, (i) => (i < lower ? "gb" : i % 2 ? "GB" : "FR"));
    expect(await said(codes(19))).toMatchInlineSnapshot(`
      [
        "cleanse: upper case; 1 value written in another case too {"do":"case","to":"upper"}",
        "type: code; 2 different values in 100",
        "values: FR, GB; all 100 values are one of these, each met twice or more",
        "required: required; filled in all 100 records",
        "{"type":"code","values":["FR","GB"],"required":true}",
      ]
    `);
    expect(await said(codes(20))).toMatchInlineSnapshot(`
      [
        "type: code; 3 different values in 100",
        "values: FR, GB, gb; all 100 values are one of these, each met twice or more",
        "required: required; filled in all 100 records",
        "{"type":"code","values":["FR","GB","gb"],"required":true}",
      ]
    `);
  });
  it("takes eight for each code, and no more than two in a hundred besides", async () => {
    const met = (each: number, others: number) => [
      ...fill(each * 3, (i) => ["red", "green", "blue"][i % 3]!),
      ...fill(others, (i) => `other ${i}`),
    ];
    expect(await said(met(8, 0))).toMatchInlineSnapshot(`
      [
        "type: code; 3 different values in 24",
        "values: blue, green, red; all 24 values are one of these, each met twice or more",
        "required: required; filled in all 24 records",
        "{"type":"code","values":["blue","green","red"],"required":true}",
      ]
    `);
    expect(await said([...met(7, 0), "red", "red"])).toMatchInlineSnapshot(`
      [
        "type: text; 3 different values",
        "length: at most 10 characters; the longest has 5",
        "required: required; filled in all 23 records",
        "{"type":"text","length":10,"required":true}",
      ]
    `);
    expect(await said(met(49, 3))).toMatchInlineSnapshot(`
      [
        "type: code; 3 different values in 150",
        "values: blue, green, red; 98.0 % of 150 values are one of these, each met twice or more; 3 would be held",
        "required: required; filled in all 150 records",
        "{"type":"code","values":["blue","green","red"],"required":true}",
      ]
    `);
    expect(await said(met(48, 3))).toMatchInlineSnapshot(`
      [
        "type: text; 6 different values",
        "length: at most 10 characters; the longest has 7",
        "required: required; filled in all 147 records",
        "{"type":"text","length":10,"required":true}",
      ]
    `);
  });
  it("says what most would do as, where it is more than half", async () => {
    expect(await said([...fill(6, (i) => i), ...fill(4, (i) => `word ${i}`)])).toMatchInlineSnapshot(`
      [
        "type: text; only 60.0 % of the values would do as integer",
        "length: at most 10 characters; the longest has 6",
        "required: required; filled in all 10 records",
        "{"type":"text","length":10,"required":true}",
      ]
    `);
    expect(await said([...fill(5, (i) => i), ...fill(5, (i) => `word ${i}`)])).toMatchInlineSnapshot(`
      [
        "type: text; 10 different values",
        "length: at most 10 characters; the longest has 6",
        "required: required; filled in all 10 records",
        "{"type":"text","length":10,"required":true}",
      ]
    `);
    expect(await said([...fill(97, (i) => i), "007", "008", "009"])).toMatchInlineSnapshot(`
      [
        "type: text; 3 numbers begin with 0, so it is a code and not a number",
        "length: at most 5 characters; the longest has 3",
        "required: required; filled in all 100 records",
        "{"type":"text","length":5,"required":true}",
      ]
    `);
  });
  it("takes a word for nothing where it is rare among numbers", async () => {
    expect(await said([...fill(7, (i) => i * 11), "None", "none", "n/a"])).toMatchInlineSnapshot(`
      [
        "cleanse: None, n/a mean empty; met 3 times, in 30.0 % of what is filled {"do":"empty-words","words":["None","n/a"]}",
        "type: whole number; all 7 values are digits",
        "least: at least 0; the least is 0",
        "{"type":"integer","least":0}",
      ]
    `);
    expect(await said([...fill(6, (i) => i * 11), "None", "none", "n/a"])).toMatchInlineSnapshot(`
      [
        "cleanse: None, n/a mean empty; met 3 times, in 33.3 % of what is filled; that may be a value, so it is not done unless you say so {"do":"empty-words","words":["None","n/a"]} asked",
        "type: whole number; all 6 values are digits",
        "least: at least 0; the least is 0",
        "required: required; filled in all 9 records",
        "{"type":"integer","least":0,"required":true}",
      ]
    `);
    expect(await said([...fill(9, (i) => `word ${i}`), "?"])).toMatchInlineSnapshot(`
      [
        "cleanse: ? means empty; met 1 time, in 10.0 % of what is filled {"do":"empty-words","words":["?"]}",
        "type: text; 9 different values",
        "length: at most 10 characters; the longest has 6",
        "{"type":"text","length":10}",
      ]
    `);
  });
});

describe("what is said of numbers", () => {
  it("limits those of a name to what they can be, and others where they begin near nothing", async () => {
    expect(await said([48.5, 59.25, 51], "Latitude")).toMatchInlineSnapshot(`
      [
        "type: decimal (6, 2); all 3 values are numbers with a decimal point, at most 2 digits before and 2 after it",
        "least: at least -90; what is called Latitude is from -90 to 90",
        "most: at most 90; what is called Latitude is from -90 to 90",
        "required: required; filled in all 3 records",
        "{"type":"decimal","precision":6,"scale":2,"least":-90,"most":90,"title":"Latitude","required":true}",
      ]
    `);
    expect(await said([48.5, 159.25], "lat")).toMatchInlineSnapshot(`
      [
        "type: decimal (7, 2); all 2 values are numbers with a decimal point, at most 3 digits before and 2 after it",
        "least: at least 0; the least is 48.5",
        "required: required; filled in all 2 records",
        "{"type":"decimal","precision":7,"scale":2,"least":0,"required":true}",
      ]
    `);
    expect(await said([48, 52])).toMatchInlineSnapshot(`
      [
        "type: whole number; all 2 values are digits",
        "required: required; filled in all 2 records",
        "{"type":"integer","required":true}",
      ]
    `);
    expect(await said([1, 2, 3, 10])).toMatchInlineSnapshot(`
      [
        "type: whole number; all 4 values are digits",
        "least: at least 0; the least is 1",
        "required: required; filled in all 4 records",
        "{"type":"integer","least":0,"required":true}",
      ]
    `);
    expect(await said([-1, 2, 3, 10])).toMatchInlineSnapshot(`
      [
        "type: whole number; all 4 values are digits",
        "required: required; filled in all 4 records",
        "{"type":"integer","required":true}",
      ]
    `);
  });
  it("has room for two digits more before the mark", async () => {
    expect(await said(["12345.5", "1.25", "7"])).toMatchInlineSnapshot(`
      [
        "type: decimal (9, 2); all 3 values are numbers with a decimal point, at most 5 digits before and 2 after it",
        "least: at least 0; the least is 1.25",
        "required: required; filled in all 3 records",
        "{"type":"decimal","precision":9,"scale":2,"least":0,"required":true}",
      ]
    `);
    expect(await said(["12345,5", "1,25", "7"])).toMatchInlineSnapshot(`
      [
        "cleanse: comma becomes point; 2 numbers have a decimal comma {"do":"replace","find":",","with":"."}",
        "type: decimal (9, 2); all 3 values are numbers with a decimal comma, at most 5 digits before and 2 after it",
        "least: at least 0; the least is 1.25",
        "required: required; filled in all 3 records",
        "{"type":"decimal","precision":9,"scale":2,"least":0,"required":true}",
      ]
    `);
    expect(await said([...fill(30, (i) => `${i}.5`), ...fill(30, (i) => `${i},25`)])).toMatchInlineSnapshot(`
      [
        "cleanse: comma becomes point; 30 numbers have a decimal comma {"do":"replace","find":",","with":"."}",
        "type: decimal (6, 2); all 60 values are numbers with a decimal point or comma, at most 2 digits before and 2 after it",
        "least: at least 0; the least is 0.25",
        "required: required; filled in all 60 records",
        "{"type":"decimal","precision":6,"scale":2,"least":0,"required":true}",
      ]
    `);
    expect(await said(["1.250", "2.500", "3.125"])).toMatchInlineSnapshot(`
      [
        "type: decimal (6, 3); all 3 values are numbers with a decimal point, at most 1 digit before and 3 after it; each has three after it, so that it may stand between thousands: look at some",
        "required: required; filled in all 3 records",
        "{"type":"decimal","precision":6,"scale":3,"required":true}",
      ]
    `);
  });
  it("takes a sign of one currency for it, and leaves several to people", async () => {
    expect(await said([...fill(30, (i) => `€ ${i},50`), "7"])).toMatchInlineSnapshot(`
      [
        "type: money, EUR; all 31 values are amounts with a decimal comma: € 30; 1 names no currency and is taken to be in EUR",
        "required: required; filled in all 31 records",
        "{"type":"money","currency":"EUR","decimal":",","required":true}",
      ]
    `);
    expect(await said(fill(30, (i) => `$${i}.50`))).toMatchInlineSnapshot(`
      [
        "cleanse: without $; a sign of 30 currencies, such as ARS, AUD, BBD; give the field the type money if you know which {"do":"number","decimal":"."}",
        "type: decimal (6, 2); all 30 values are numbers with a decimal point",
        "required: required; filled in all 30 records",
        "{"type":"decimal","precision":6,"scale":2,"required":true}",
      ]
    `);
    expect(await said(fill(30, (i) => `${i}.50 ${i % 2 ? "EUR" : "GBP"}`))).toMatchInlineSnapshot(`
      [
        "type: money, each with its currency; all 30 values name their currency: GBP 15, EUR 15",
        "required: required; filled in all 30 records",
        "{"type":"money","required":true}",
      ]
    `);
    expect(await said(fill(30, (i) => `${i % 2 ? "$" : "kr "}${i}.50`))).toMatchInlineSnapshot(`
      [
        "type: text; amounts in currencies that can’t all be told: kr 15, $ 15",
        "length: at most 10 characters; the longest has 8",
        "required: required; filled in all 30 records",
        "{"type":"text","length":10,"required":true}",
      ]
    `);
  });
  it("takes units for what they are where a tenth has one", async () => {
    expect(await said([...fill(18, (i) => `${i + 1}.5`), "3 kg", "4 g"])).toMatchInlineSnapshot(`
      [
        "cleanse: amounts in kg; units beside the numbers: kg 1, g 1; 18 name no unit and are left as they are {"do":"unit","to":"kg"}",
        "type: decimal (13, 6); all 20 values are numbers with a unit",
        "required: required; filled in all 20 records",
        "{"type":"decimal","precision":13,"scale":6,"required":true}",
      ]
    `);
    expect(await said([...fill(19, (i) => `${i + 1}.5`), "3 kg"])).toMatchInlineSnapshot(`
      [
        "type: decimal (5, 1); 95.0 % of 20 values are numbers with a decimal point, at most 2 digits before and 1 after it; 1 would be held",
        "least: at least 0; the least is 1.5",
        "required: required; filled in all 20 records",
        "{"type":"decimal","precision":5,"scale":1,"least":0,"required":true}",
      ]
    `);
    expect(await said(fill(20, (i) => `${i + 1} ${i % 2 ? "kg" : "m"}`))).toMatchInlineSnapshot(`
      [
        "type: text; numbers with units of more than one kind: m 10, kg 10",
        "length: at most 10 characters; the longest has 5",
        "required: required; filled in all 20 records",
        "{"type":"text","length":10,"required":true}",
      ]
    `);
  });
  it("takes per cent and brackets away", async () => {
    expect(await said(fill(20, (i) => `${i}.5 %`))).toMatchInlineSnapshot(`
      [
        "cleanse: numbers as people write them; 20 have groups of digits, signs or a decimal point; 20 in per cent, of which the sign is taken away {"do":"number","decimal":"."}",
        "type: decimal (5, 1); all 20 values are numbers with a decimal point",
        "required: required; filled in all 20 records",
        "{"type":"decimal","precision":5,"scale":1,"required":true}",
      ]
    `);
    expect(await said(fill(20, (i) => (i % 2 ? `(${i}.5)` : `${i}.5`)))).toMatchInlineSnapshot(`
      [
        "cleanse: numbers as people write them; 20 have groups of digits, signs or a decimal point {"do":"number","decimal":"."}",
        "type: decimal (5, 1); all 20 values are numbers with a decimal point",
        "required: required; filled in all 20 records",
        "{"type":"decimal","precision":5,"scale":1,"required":true}",
      ]
    `);
    expect(await said(fill(20, (i) => `1 ${two(i)}4 567`))).toMatchInlineSnapshot(`
      [
        "type: text; 20 different values",
        "length: at most 15 characters; the longest has 9",
        "required: required; filled in all 20 records",
        "{"type":"text","length":15,"required":true}",
      ]
    `);
  });
});

describe("what is said of days and times", () => {
  it("tells why the day or the month is first", async () => {
    expect(await said(fill(28, (i) => `${two(i + 1)}.03.2024`))).toMatchInlineSnapshot(`
      [
        "type: date; all 28 values are days that exist",
        "formats: dd.MM.yyyy; 16 dates fit only with the day first",
        "required: required; filled in all 28 records",
        "{"type":"date","formats":["dd.MM.yyyy"],"required":true}",
      ]
    `);
    expect(await said(fill(28, (i) => `03/${two(i + 1)}/2024`))).toMatchInlineSnapshot(`
      [
        "type: date; all 28 values are days that exist",
        "formats: MM/dd/yyyy; 16 dates fit only with the month first",
        "required: required; filled in all 28 records",
        "{"type":"date","formats":["MM/dd/yyyy"],"required":true}",
      ]
    `);
    expect(await said(fill(12, (i) => `${two(i + 1)}/03/2024`))).toMatchInlineSnapshot(`
      [
        "type: date; all 12 values are days that exist",
        "formats: dd/MM/yyyy; day or month first: the dates fit both alike, so the day is taken to be first; look at some",
        "required: required; filled in all 12 records",
        "{"type":"date","formats":["dd/MM/yyyy"],"required":true}",
      ]
    `);
    expect(await said(fill(12, (i) => `2024-${two(i + 1)}-01`))).toMatchInlineSnapshot(`
      [
        "type: date; all 12 values are days that exist",
        "formats: yyyy-MM-dd; 12 dates are written so",
        "required: required; filled in all 12 records",
        "{"type":"date","formats":["yyyy-MM-dd"],"required":true}",
      ]
    `);
  });
  it("reads years of two digits by what would lie ahead", async () => {
    expect(await said(fill(28, (i) => `${two(i + 1)}.03.${two(60 + i)}`))).toMatchInlineSnapshot(`
      [
        "cleanse: years of two digits, day first; 28 days are written so, such as 01.03.60; 16 values fit only with the day first; 50 is taken for the last year of this century {"do":"written-date","order":"day first"}",
        "type: date; all 28 values are days that exist, read so",
        "required: required; filled in all 28 records",
        "{"type":"date","formats":["yyyy-MM-dd"],"required":true}",
      ]
    `);
    expect(await said(fill(28, (i) => `${two(i + 1)}.03.${two(i)}`))).toMatchInlineSnapshot(`
      [
        "cleanse: years of two digits, day first; 28 days are written so, such as 01.03.00; 1 value fits only with the day first; 50 is taken for the last year of this century {"do":"written-date","order":"day first"}",
        "type: date; all 28 values are days that exist, read so",
        "required: required; filled in all 28 records",
        "{"type":"date","formats":["yyyy-MM-dd"],"required":true}",
      ]
    `);
    expect(await said(fill(12, (i) => `${two(i + 1)}.03.24`))).toMatchInlineSnapshot(`
      [
        "cleanse: years of two digits, day first; 12 days are written so, such as 01.03.24; they fit with the day first and with the month first alike, so look at some; 50 is taken for the last year of this century {"do":"written-date","order":"day first"}",
        "type: date; all 12 values are days that exist, read so",
        "required: required; filled in all 12 records",
        "{"type":"date","formats":["yyyy-MM-dd"],"required":true}",
      ]
    `);
  });
  it("reads months in words by their language", async () => {
    expect(await said(fill(12, (i) => `${i + 1}. März 2024`))).toMatchInlineSnapshot(`
      [
        "cleanse: dates in words, de; 12 values have their month in words {"do":"written-date","order":"day first","languages":["de"]}",
        "type: date; all 12 values are days, read so",
        "required: required; filled in all 12 records",
        "{"type":"date","formats":["yyyy-MM-dd"],"required":true}",
      ]
    `);
    expect(await said([...fill(12, (i) => `${i + 13} March 2024`), "14/05/2023"])).toMatchInlineSnapshot(`
      [
        "type: date; all 13 values are days that exist",
        "formats: d MMMM yyyy, dd/MM/yyyy; 1 date fits only with the day first",
        "required: required; filled in all 13 records",
        "{"type":"date","formats":["d MMMM yyyy","dd/MM/yyyy"],"required":true}",
      ]
    `);
  });
  it("counts times by their form", async () => {
    expect(await said(["08:30", "09:45", "10:00:30"])).toMatchInlineSnapshot(`
      [
        "type: time of day; all 3 values are times of day",
        "formats: HH:mm, HH:mm:ss; 2 × HH:mm, 1 × HH:mm:ss",
        "required: required; filled in all 3 records",
        "{"type":"time","formats":["HH:mm","HH:mm:ss"],"required":true}",
      ]
    `);
    expect(await said(["2024-03-01 08:30", "2024-03-02T09:45:10Z"])).toMatchInlineSnapshot(`
      [
        "type: date and time; all 2 values begin with a day and have a time",
        "required: required; filled in all 2 records",
        "{"type":"timestamp","required":true}",
      ]
    `);
  });
});

describe("what is said of other kinds", () => {
  it("knows identifiers, documents, and answers", async () => {
    expect(await said(fill(3, (i) => `0b0e6c0${i}-59f4-4f27-9d4c-1c0e6c0f59f4`))).toMatchInlineSnapshot(`
      [
        "type: UUID; all 3 values are UUIDs",
        "required: required; filled in all 3 records",
        "{"type":"uuid","required":true}",
      ]
    `);
    expect(await said(['{"a":1}', "[2]"])).toMatchInlineSnapshot(`
      [
        "type: JSON; all 2 values are JSON",
        "required: required; filled in all 2 records",
        "{"type":"json","required":true}",
      ]
    `);
    expect(await said([...fill(30, (i) => (i % 2 ? "ja" : "nein")), "Ja"])).toMatchInlineSnapshot(`
      [
        "type: yes or no; all 31 values are nein, ja, Ja",
        "required: required; filled in all 31 records",
        "{"type":"boolean","words":{"yes":["ja","j"],"no":["nein","n"]},"required":true}",
      ]
    `);
    expect(await said(["", "", ""])).toMatchInlineSnapshot(`
      [
        "type: text; no value to judge by",
        "{"type":"text"}",
      ]
    `);
  });
});

describe("what is said of a key", () => {
  it("is one column without repeats before one with them, and two that only together have none", async () => {
    const keyOf = async (columns: Record<string, (string | number)[]>) => {
      const { plan, reasons } = await proposed(columns);
      return [plan.load.key?.join(), ...reasons.filter((r) => r.part === "key").map((r) => `${r.field}: ${r.why}`)];
    };
    const ids = fill(300, (i) => `K-${i}`);
    expect(await keyOf({ nearly: [...ids.slice(1), "K-1"], whole: ids })).toMatchInlineSnapshot(`
      [
        "whole",
        "whole: no two of 300 records have the same",
      ]
    `);
    expect(await keyOf({ nearly: [...ids.slice(1), "K-1"] })).toMatchInlineSnapshot(`
      [
        "nearly",
        "nearly: 1 of 300 records repeat an earlier one; they would be held",
      ]
    `);
    const pairs = { lot: fill(400, (i) => `L${i % 20}`), bag: fill(400, (i) => `B${Math.floor(i / 20)}`) };
    expect(await keyOf(pairs)).toMatchInlineSnapshot(`
      [
        "lot,bag",
        "lot: no two of 400 records have the same lot, bag; by chance 200 pairs would be alike",
        "bag: no two of 400 records have the same lot, bag; by chance 200 pairs would be alike",
      ]
    `);
  });
  it("is followed through all blocks of a file", async () => {
    const ids = fill(70_000, (i) => `K-${i}`);
    const [column] = (await profileOf({ id: [...ids, "K-0", "K-69999"] })).columns;
    expect(column).toMatchObject({ repeats: 2, distinct: 70_000, distinctError: 0 });
  });
});

describe("values of which there are too many to count each", () => {
  it("show those that come more often than what was not counted", async () => {
    const often = (i: number) => `often ${i % 5}`;
    const c = await columnOf(fill(60_000, (i) => (i % 3 ? `once ${i}` : often(i))));
    expect(c.countError).toBeGreaterThan(0);
    expect(c.common.map((v) => v.value).sort()).toEqual(fill(5, (i) => `often ${i}`));
    expect(c.rare).toEqual([]);
  });
});
