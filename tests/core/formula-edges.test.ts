import { describe, expect, it } from "vitest";
import { FormulaColumns, cellOf } from "@/core/formula/columns.ts";
import { compileFormula } from "@/core/formula/compile.ts";
import type { NamedFormulas } from "@/core/formula/named.ts";
import { namesIn, renameInFormula } from "@/core/formula/names.ts";
import { EMPTY, timeText } from "@/core/formula/value.ts";
import { Heap, emptyCells } from "@/core/kernel/bytes.ts";
import type { SieveError } from "@/core/kernel/problem.ts";
import type { Field } from "@/core/field/field.ts";

const noValue = Symbol("no value");

/** What a formula gives for one record, whose cells are canonical, or else as they arrived. */
function valueOf(source: string, of: Record<string, readonly [field: Partial<Field>, cell: string]>, checked = true) {
  const fields = Object.entries(of).map(([name, [field]]) => ({ type: "text", ...field, name }) as Field);
  const heap = new Heap(new Uint8Array(512), 0);
  const cells = Object.values(of).map(([, cell]) => {
    const one = emptyCells(1);
    one.start[0] = heap.append(cell);
    one.end[0] = heap.length;
    return one;
  });
  const columns = new FormulaColumns(compileFormula(source, { fields }));
  columns.read({ fields, heap, cells }, 1, checked);
  try {
    return columns.value(0);
  } catch {
    return noValue;
  }
}
const one = (type: Partial<Field>, cell: string, checked = true) => valueOf("v", { v: [type, cell] }, checked);

function faultOf(source: string, named?: NamedFormulas) {
  try {
    compileFormula(source, {
      fields: [
        { name: "n", type: "integer" },
        { name: "t", type: "text" },
      ],
      named,
    });
  } catch (error) {
    const { message, detail, facts } = error as SieveError;
    return { message, detail, from: facts["from"], to: facts["to"] };
  }
  throw new Error(`${source} has no fault`);
}

describe("a field's cells in a formula", () => {
  it("are values of its type, and empty ones are null", () => {
    const bool = { type: "boolean" } as const;
    expect([one(bool, "t"), one(bool, "f"), one(bool, "")]).toEqual([true, false, EMPTY]);
    expect(one({ type: "integer" }, "-17")).toBe(-17);
    expect(one({ type: "integer" }, "9007199254740993")).toBe(9007199254740993n);
    expect([one({ type: "decimal" }, "12.125"), one({ type: "decimal" }, "-0.5")]).toEqual([12.125, -0.5]);
    expect(one({ type: "decimal" }, "1234567890123.123456789")).toBe(1234567890123.1235);
    expect(one({ type: "date" }, "2024-03-01")).toBe(Date.UTC(2024, 2, 1) * 1000);
    expect(one({ type: "date" }, "1900-03-01")).toBe(Date.UTC(1900, 2, 1) * 1000);
    expect(one({ type: "timestamp" }, "2026-05-31 10:20:30.25")).toBe(Date.UTC(2026, 4, 31, 10, 20, 30, 250) * 1000);
    expect(one({ type: "timestamp" }, "2026-05-31 10:20:30")).toBe(Date.UTC(2026, 4, 31, 10, 20, 30) * 1000);
    expect(one({ type: "money", currency: "EUR" }, "12.50")).toBe(12.5);
    expect(one({ type: "money" }, "12.50 EUR")).toBe("12.50 EUR");
  });

  it("are made canonical where they were not checked yet, and empty where they are not of the type", () => {
    const words = { yes: ["ja"], no: ["nein"] };
    const bool = { type: "boolean", words } as const;
    expect([one(bool, "Ja", false), one(bool, "nein", false), one(bool, "t", false)]).toEqual([true, false, EMPTY]);
    expect(one({ type: "date", formats: ["dd.MM.yyyy"] }, "01.03.2024", false)).toBe(Date.UTC(2024, 2, 1) * 1000);
    expect(one({ type: "integer" }, "x", false)).toBe(EMPTY);
  });
});

describe("what a formula gives, as a cell", () => {
  const field = (of: Partial<Field>) => ({ name: "v", type: "text", ...of }) as Field;
  it("has as many digits as its field, and none where it is no number", () => {
    const decimal = field({ type: "decimal", precision: 18, scale: 2 });
    expect(cellOf(1 / 3, decimal, "double")).toBe("0.33");
    expect(cellOf(4, decimal, "double")).toBe("4");
    expect(cellOf(1e15 + 0.5, decimal, "double")).toBe("1000000000000000.5");
    expect(cellOf(1 / 3, field({}), "double")).toBe("0.3333333333333333");
    expect(([NaN, Infinity, EMPTY, null] as const).map((v) => cellOf(v, decimal, "double"))).toEqual(["", "", "", ""]);
    expect(cellOf(2n ** 60n, field({ type: "integer" }), "int")).toBe("1152921504606846976");
  });

  it("is yes and no in the field's words, a day for a date, and a time of day within the day", () => {
    expect([cellOf(true, field({ type: "boolean" }), "bool"), cellOf(false, field({}), "bool")]).toEqual([
      "true",
      "false",
    ]);
    const words = { yes: ["ja", "j"], no: ["nein"] };
    expect([true, false].map((v) => cellOf(v, field({ type: "boolean", words }), "bool"))).toEqual(["ja", "nein"]);
    const micros = Date.UTC(2026, 4, 31, 10, 20, 30) * 1000;
    expect(cellOf(micros, field({ type: "date" }), "timestamp")).toBe("2026-05-31");
    expect(cellOf(micros, field({ type: "timestamp" }), "timestamp")).toBe("2026-05-31T10:20:30.000000Z");
    const time = field({ type: "time" });
    expect(cellOf(3_661_000_000, time, "duration")).toBe("01:01:01.000000");
    expect(cellOf(0, time, "duration")).toBe("00:00:00.000000");
    expect(cellOf(86_400_000_000, time, "duration")).toBe("24 h");
    expect(cellOf(-3_600_000_000, time, "duration")).toBe("-1 h");
    expect(timeText(-1, false)).toBe("1969-12-31T23:59:59.999999Z");
  });

  it("is a list as JSON", () => {
    expect(cellOf(["a", "b"], field({ type: "list" }), "list")).toBe('["a","b"]');
  });
});

describe("names in a formula", () => {
  it("are followed when a field is called otherwise, and nothing else is touched", () => {
    const source = "site == 'site' && site.size() > size(site_2) && site(1).site == \"site\" || x in [site]";
    expect(renameInFormula(source, "site", "place")).toBe(
      "place == 'site' && place.size() > size(site_2) && site(1).site == \"site\" || x in [place]",
    );
    expect(renameInFormula(source, "gone", "x")).toBe(source);
    expect(renameInFormula("site", "site", "place")).toBe("place");
    expect(namesIn(source)).toEqual(["site", "site_2", "x"]);
  });

  it("of a named formula's parameters give way to values, and functions, methods and texts of that name don't", () => {
    const size = { name: "size", type: "text" } as const;
    const named: NamedFormulas = {
      longer: { parameters: [size], body: "size.size() + size(size) + ('size' == size ? 100 : 0)" },
    };
    const run = (source: string): unknown => compileFormula(source, { fields: [], named }).run([]);
    expect(run("longer('abc')")).toBe(6);
    expect(run("longer('size')")).toBe(108);
    expect(run("longer('a' + 'b')")).toBe(4);
  });

  it("that nobody has are told with their place", () => {
    expect(faultOf("n + gone")).toMatchObject({ from: 4, to: 8 });
    expect(faultOf("n > 1 && gone(n)")).toMatchObject({ from: 9 });
    expect(faultOf("t.gone(1)")).toMatchObject({ message: expect.stringContaining("gone") as string });
    expect(faultOf("(n + 'a')")).toMatchObject({ from: 2, to: 3, detail: "(n▸ + 'a')" });
    expect(faultOf("in [n]").message).toBe("A value is missing before “in”.");
    expect(faultOf("twice()", { twice: { parameters: [{ name: "a", type: "text" }], body: "a" } }).from).toBe(0);
  });
});

describe("functions of texts", () => {
  const run = (source: string): unknown => compileFormula(source, { fields: [] }).run([]);
  it("count characters and not the units that they are kept in", () => {
    expect(run("size('a🌱b')")).toBe(3);
    expect(run("size('🌱🌱')")).toBe(2);
    expect(run("size('a🌱')")).toBe(2);
  });

  it("make a text longer with whole characters, never shorter, and nothing without one", () => {
    expect(run("pad('abc', 3, '0')")).toBe("abc");
    expect(run("pad('abcd', 3, '0')")).toBe("abcd");
    expect(run("pad('a', 4, 'xy')")).toBe("xyxa");
    expect(run("pad('a', 3, '🌱')")).toBe("🌱🌱a");
    expect(run("pad('a', 3, '')")).toBe("a");
    expect(run("size(pad('a', 10000, '0'))")).toBe(10_000);
    expect(run("pad('a', 10001, '0')")).toBe("a");
  });

  it("take parts of it, and what a JSON text has", () => {
    expect(run("part('a-b', '', 1)")).toBe("a-b");
    expect([run("part('a-b', '-', 0)"), run("part('a-b', '-', 3)")]).toEqual(["", ""]);
    expect(run(`jsonAt('{"a": [10, {"b~/": null}]}', '/a/0')`)).toBe("10");
    expect(run(`jsonAt('{"a": [10]}', '/a/5')`)).toBe("");
    expect(run(`jsonAt('{"a": [10]}', '/a/0/b')`)).toBe("");
    expect(run(`jsonAt('{"a": [10]}', '/gone')`)).toBe("");
    expect(run(`jsonAt('{"b~/": true}', '/b~0~1')`)).toBe("true");
  });
});

describe("comparing and reckoning", () => {
  const run = (source: string): unknown => compileFormula(source, { fields: [] }).run([]);
  it("puts texts in order by their characters", () => {
    const signs = ["<", "<=", ">", ">=", "==", "!="];
    expect(signs.map((s) => run(`'a' ${s} 'b'`))).toEqual([true, true, false, false, false, true]);
    expect(signs.map((s) => run(`'b' ${s} 'b'`))).toEqual([false, true, false, true, true, false]);
    // By code point: a letter beyond the first 65,536 comes after all of them.
    expect(run("'\\uFB01' < '🌱'")).toBe(true);
  });

  it("knows lengths of time up to 10,000 years", () => {
    expect(run("duration('87660000h') > duration('1s')")).toBe(true);
    expect(faultOf("duration('87660000h1s')").message).toContain("10,000 years");
    expect(run("duration('-1h') + duration('1h') == duration('0s')")).toBe(true);
  });

  it("says which kinds can't stand beside one another", () => {
    expect(faultOf("1 + 2.0").message).toContain("write 2.0 for 2");
    expect(faultOf("n + 'a'").message).toBe("A whole number and a text can't stand on the two sides of “+”.");
    expect(faultOf("n == 'a'").message).toContain("can't be compared with");
    expect(run("[1] + [2] == [1, 2]")).toBe(true);
    expect(run("1 in [1, 2] && !('a' in ['b'])")).toBe(true);
  });
});
