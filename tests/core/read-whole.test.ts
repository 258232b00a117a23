import { describe, expect, it } from "vitest";
import { utf8 } from "@/core/kernel/bytes.ts";
import { arrivedCells } from "@/core/course/of-record.ts";
import { flatFields, isPlain, shower } from "@/core/read/avro/show.ts";
import { rowsBelow } from "@/core/read/below.ts";
import { BlockBuilder } from "@/core/read/builder.ts";
import { consistency, guessMarks, rowMark } from "@/core/read/delimited/guess.ts";
import { lastLines, lineEndsIn, refuseUnfit } from "@/core/read/delimited/marks.ts";
import { Flattener, hexOf, keepable, parseJson, textOfScalar, type Value } from "@/core/read/documents.ts";
import { findHeader } from "@/core/read/header.ts";
import { JsonCutter, pathKeys } from "@/core/read/json/text.ts";
import { bigFromBytes, dayText, decimalText, durationText, uuidText } from "@/core/read/logical.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { workbook } from "../../demo/workbook.ts";
import { memoryFile, read, readParts } from "../support/formats.ts";
import { random } from "../support/random.ts";

const MARKS = { delimiter: ",", quote: '"', escape: '"', comment: "" };

describe("the first lines of a delimited text", () => {
  const cells = (text: string, marks: Partial<typeof MARKS> = {}, skip?: number, whole = true) =>
    consistency(text, { ...MARKS, ...marks }, skip, whole);

  it("are cells as their quotes and escapes say, each with the lines before it", () => {
    const doubled = cells('a,b\n"x ""y""\nz",2\n3,4\n');
    expect(doubled.table).toEqual([
      ["a", "b"],
      ['x "y"\nz', "2"],
      ["3", "4"],
    ]);
    expect([0, 1, 2, 3].map(doubled.lineOf)).toEqual([0, 1, 3, 3]);
    const escaped = cells('a,b\n"x \\"y\\"\n\nz",2\n3,4\n', { escape: "\\" });
    expect(escaped.table[1]).toEqual(['x "y"\n\nz', "2"]);
    expect(escaped.lineOf(2)).toBe(4);
    // What is escaped itself escapes nothing.
    expect(cells('"a\\\\",b\n"c",d', { escape: "\\" }).table).toEqual([
      ["a\\\\", "b"],
      ["c", "d"],
    ]);
  });

  it("may end in any way, and have comments and empty lines between", () => {
    for (const end of ["\n", "\r\n", "\r"]) {
      const text = ["# by hand", "a,b", "", "1,2", "# more, than", "3,4"].join(end);
      const found = cells(text, { comment: "#" });
      expect(found.table).toEqual([
        ["a", "b"],
        ["1", "2"],
        ["3", "4"],
      ]);
      expect([0, 1, 2].map(found.lineOf)).toEqual([1, 3, 5]);
    }
    expect(cells("a,b\n1,2\n#", { comment: "#" }).table).toHaveLength(2);
  });

  it("count cells whose quote never closes, and take them as they stand", () => {
    const found = cells('a,"b\n1,"2" x\n"3",4\n');
    expect(found.unclosed).toBe(2);
    expect(found.table).toEqual([
      ["a", '"b'],
      ["1", '"2" x'],
      ["3", "4"],
    ]);
  });

  it("leave the last one out where it may be cut off, and those that are passed over", () => {
    expect(cells("a,b\n1,2\n3", {}, undefined, false).table).toHaveLength(2);
    expect(cells("a,b\n1,2\n3", {}, undefined, true).table).toHaveLength(3);
    expect(cells("x\ny\na,b\n1,2\n", {}, 2).table[0]).toEqual(["a", "b"]);
    expect(cells("x\n", {}, 9).table).toEqual([]);
  });

  it("begin behind titles of a cell or two, and not behind a record that is cut short", () => {
    const titled = cells("Seed lots of May,,,\nby hand,,,\na,b,c,d\n1,2,3,4\n5,6,7,8\n9,1,2,3\n4,5,6,7\n8,9,1,2\n");
    expect(titled).toMatchObject({ skip: 2, why: "6 of the first 6 lines have 4 cells" });
    expect(titled.lineOf(0)).toBe(2);
    // Three of four cells are no title, whatever is in them.
    const full = cells("Lots,of,May,\na,b,c,d\n1,2,3,4\n5,6,7,8\n9,1,2,3\n4,5,6,7\n8,9,1,2\n");
    expect(full.skip).toBe(0);
  });

  it("fit the better the more of them have as many cells, and the more cells these are", () => {
    const score = (text: string): number => cells(text).score;
    expect(score("a,b\n1,2\n3,4\n")).toBeCloseTo(Math.log2(3), 9);
    expect(score("a,b,c\n1,2,3\n3,4,5\n")).toBeCloseTo(2, 9);
    expect(score("a,b\n1,2\n3,4\n5\n")).toBeCloseTo(0.75 ** 2 * Math.log2(3), 9);
    expect(score("a\nb\n")).toBe(0);
    expect(cells("a||b\n1||2\n", { delimiter: "||" }).score).toBeCloseTo(1.5 * Math.log2(3), 9);
  });
});

describe("what parts cells", () => {
  const guess = (text: string, settings: ReadSettings = {}, row?: string) => {
    const { delimiter, quote, escape } = guessMarks(text, row, settings, true);
    return [delimiter, quote, escape];
  };
  const table = (d: string, width = 3): string =>
    Array.from({ length: 6 }, (_, r) => Array.from({ length: width }, (__, c) => `oak${r}${c}`).join(d)).join("\n");

  it.each([",", ";", "\t", "|", "^", "~", "\u001f", "||", "::", ":", "¦", "#", "*", " "])("is found: %j", (d) => {
    expect(guess(table(d))[0]).toBe(d);
  });

  it("is no rare mark of two cells, of lines that differ, or of times of day", () => {
    for (const d of [":", "¦", "#", "*", " "]) {
      expect(guess(table(d, 2))[0]).toBe(",");
      expect(guess(`${table(d)}\noak${d}ash`)[0]).toBe(",");
    }
    const times = Array.from({ length: 6 }, (_, i) => `at 1${i}:0${i}:3${i}`).join("\n");
    expect(guess(times)[0]).toBe(",");
    expect(guess("fe:80:1\nab:12:cd\n00:1f:2e\n")[0]).toBe(",");
    // Half of the lines may look like times.
    expect(guess("oak:ash:elm\nfir:bay:yew\nbox:1:45\n")[0]).toBe(":");
  });

  it("is as set, and so are quotes and what stands before one", () => {
    expect(guess("a,b;c\n1,2;3\n", { delimiter: ";" })).toEqual([";", '"', '"']);
    expect(guess("a,b\n1,2\n", { quote: "'" })).toEqual([",", "'", "'"]);
    expect(guess("a,b\n1,2\n", { quote: "" })).toEqual([",", "", ""]);
    expect(guess("a,b\n1,2\n", { escape: "\\" })).toEqual([",", '"', "\\"]);
  });

  it("knows apostrophes as quotes where cells begin with them, and a backslash before a quote", () => {
    const lines = (cell: string): string =>
      ["n,what,more", ...Array.from({ length: 5 }, (_, i) => `${i},${cell},x`)].join("\n");
    expect(guess(lines("'oak, ash'"))).toEqual([",", "'", "'"]);
    expect(guess(lines("farmer's"))).toEqual([",", '"', '"']);
    expect(guess(lines('"oak \\"red\\", ash"'))).toEqual([",", '"', "\\"]);
    expect(guess(lines('"oak ""red"", ash"'))).toEqual([",", '"', '"']);
  });

  it("is none of the marks that end records", () => {
    expect(guess("a|b~c\n1|2~3\n4|5~6\n", {}, "|")[0]).toBe("~");
  });
});

describe("what ends records where lines do not", () => {
  it.each([
    ["a,b~1,2~3,4~5,6", "~"],
    ["a,b~\n1,2~\n3,4~\n5,6~\n", "~"],
    ["a,b^1,2^3,4^5,6^", "^"],
    ["a,b|1,2|3,4|5,6", "|"],
    ["a,b\u001e1,2\u001e3,4\n4\u001e5,6", "\u001e"],
    // Line ends within records are none behind the mark.
    ["a,b~1,\n2~3,4~5,6", undefined],
    // Too few, one cell alone, or not as many each time.
    ["a,b~1,2~3,4", undefined],
    ["a~1~3~5", undefined],
    ["a,b~1,2,3~3,4~5,6", undefined],
    ["a,b\n1,2\n", undefined],
  ])("%j: %j", (text, mark) => {
    expect(rowMark(text, {})).toBe(mark);
  });

  it("is nothing that is set for something else", () => {
    expect(rowMark("a,b~1,2~3,4~5,6", { delimiter: "~" })).toBeUndefined();
    expect(rowMark("a,b~1,2~3,4~5,6", { quote: "~" })).toBeUndefined();
  });
});

describe("marks", () => {
  it("are refused where cells could not be told apart", () => {
    const why = (o: object): string | null => {
      try {
        refuseUnfit({ as: "delimited", ...MARKS, ...o } as never);
        return null;
      } catch (error) {
        return (error as Error).message.split(" ").slice(0, 2).join(" ");
      }
    };
    expect(why({})).toBeNull();
    expect(why({ quote: "", escape: "" })).toBeNull();
    expect(why({ delimiter: "" })).toBe("The delimiter");
    expect(why({ delimiter: "\n" })).toBe("The delimiter");
    expect(why({ delimiter: '"x' })).toBe("The delimiter");
    expect(why({ quote: "ab" })).toBe("The quote");
    expect(why({ quote: "«" })).toBe("The quote");
    expect(why({ escape: "ab" })).toBe("The escape");
    expect(why({ row: "~~" })).toBe("What ends");
    expect(why({ row: '"' })).toBe("What ends");
    expect(why({ row: "," })).toBe("The delimiter");
    expect(why({ row: "~" })).toBeNull();
    expect(why({ row: "~", delimiter: "\n" })).toBeNull();
  });

  it("that end lines are counted, both bytes of one as one", () => {
    const count = (text: string, ends = { lf: 10, cr: 13 }): number =>
      lineEndsIn(utf8(text), 0, utf8(text).length, ends);
    expect([count("a\nb\nc"), count("a\r\nb\r\nc"), count("a\rb\rc"), count("a\n\rb"), count("abc")]).toEqual([
      2, 2, 2, 2, 0,
    ]);
    expect(count("a~b\n~", { lf: 126, cr: -1 })).toBe(2);
    expect(lineEndsIn(utf8("\n\n\n\n"), 1, 3, { lf: 10, cr: 13 })).toBe(2);
  });

  it("begin the last lines, wherever the text ends", () => {
    const rest = (text: string, n: number, ends = { lf: 10, cr: 13 }): string =>
      text.slice(lastLines(utf8(text), n, ends));
    for (const end of ["\n", "\r\n", "\r"]) {
      const text = ["a", "bb", "", "ccc"].join(end);
      expect(rest(text, 1)).toBe("ccc");
      expect(rest(text + end, 1)).toBe(`ccc${end}`);
      expect(rest(text + end, 2)).toBe(`${end}ccc${end}`);
      expect(rest(text, 3)).toBe(`bb${end}${end}ccc`);
      expect(rest(text, 9)).toBe(text);
    }
    expect(rest("a~b~\nc~\n", 1, { lf: 126, cr: -1 })).toBe("\nc~\n");
  });
});

describe("which row names the columns", () => {
  const numbers = [
    ["1", "oak", "3.5"],
    ["2", "ash", "4.5"],
    ["3", "elm", "5.5"],
    ["4", "fir", "6.5"],
    ["5", "bay", "7.5"],
    ["6", "yew", "8.5"],
  ];
  const found = (rows: string[][], settings: object = {}) => {
    const { row, header, doubt } = findHeader(rows, (n) => `line ${n + 1}`, settings);
    return [row, header, doubt !== null];
  };

  it.each<[string, string[][], unknown[]]>([
    ["words over numbers", [["lot", "tree", "weight"], ...numbers], [0, true, false]],
    ["values alone", numbers, [0, false, false]],
    ["below a title", [["Lots of May", "", ""], ["lot", "tree", "weight"], ...numbers], [1, true, false]],
    [
      "below a heading over several columns",
      [["", "what", ""], ["lot", "tree", "weight"], ...numbers],
      [1, true, false],
    ],
    [
      "years over counts",
      [
        ["name", "2021", "2022", "2023"],
        ["oak", "14", "70", "81"],
        ["ash", "9", "55", "6"],
      ],
      [0, true, false],
    ],
    [
      "names as programs write them",
      [
        ["tree_name", "site_name"],
        ["Oak", "North"],
        ["Ash", "South"],
      ],
      [0, true, false],
    ],
    [
      "names that many files have",
      [
        ["Name", "Stadt"],
        ["oak", "north"],
        ["ash", "south"],
      ],
      [0, true, false],
    ],
    [
      "a value of its own column",
      [
        ["oak", "1"],
        ["ash", "2"],
        ["oak", "3"],
        ["elm", "4"],
      ],
      [0, false, false],
    ],
    [
      "a number over numbers",
      [
        ["7", "2"],
        ["1", "2"],
        ["3", "4"],
      ],
      [0, false, false],
    ],
    [
      "words over words",
      [
        ["Oak", "North"],
        ["Ash", "South"],
        ["Elm", "East"],
      ],
      [0, true, true],
    ],
    [
      "a text that nobody names a column by",
      [
        ["x".repeat(81), "y".repeat(90)],
        ["oak", "1"],
        ["ash", "2"],
      ],
      [0, false, false],
    ],
    ["nothing", [], [0, false, false]],
  ])("%s", (_, rows, what) => {
    expect(found(rows)).toEqual(what);
  });

  it("is as set, wherever it is found to stand", () => {
    expect(found([["Lots of May", "", ""], ["lot", "tree", "weight"], ...numbers], { header: false })[1]).toBe(false);
    expect(found(numbers, { header: true })).toEqual([0, true, false]);
    expect(found([["Lots of May", "", ""], ["lot", "tree", "weight"], ...numbers], { first: true })[0]).toBe(0);
  });

  it("is said with what speaks for it, or asked with both readings", () => {
    const { doubt, why } = findHeader(
      [
        ["Oak", "North"],
        ["Ash", "South"],
        ["Elm", "East"],
      ],
      (n) => `line ${n + 1}`,
    );
    expect(why).toBe("line 1 is names and not values, as far as can be told");
    expect(doubt).toEqual({
      setting: "header",
      readings: [
        { value: true, says: "line 1 names the columns", shows: ["Oak", "North"] },
        { value: false, says: "line 1 is a record", shows: ["Oak", "North"] },
      ],
    });
  });
});

describe("lines below the header", () => {
  const below = (
    own: string[],
    rest: string[][] = [
      ["oak", "ash"],
      ["elm", "fir"],
      ["yew", "bay"],
    ],
  ) => rowsBelow([["a", "b"], own, ...rest], { header: true, row: 0 }, (n) => `line ${n + 1}`, {});

  it("are types for sure where two cells say them in whatever letters", () => {
    expect(below(["String", "VARCHAR(20)"])).toEqual({
      rows: 1,
      why: "line 2 says units or types: “String”, “VARCHAR(20)”",
      doubt: null,
    });
    expect(below([" Text ", "DATE"]).doubt).toBeNull();
  });

  it("are asked about where words could be values", () => {
    expect(below(["kg", "text"])).toMatchObject({
      rows: 1,
      doubt: {
        setting: "below",
        readings: [
          { value: 1, says: "line 2 says units or types" },
          { value: 0, says: "line 2 is a record" },
        ],
      },
    });
    expect(below(["text", ""]).doubt).not.toBeNull();
  });

  it("are two at most, and no records", () => {
    const rest = [
      ["text", "number"],
      ["oak", "1"],
      ["elm", "2"],
      ["yew", "3"],
    ];
    expect(below(["-", "kg"], rest)).toMatchObject({ rows: 2, doubt: null });
    // A column that has the same word for a value, nothing said, a letter alone.
    expect(
      below(
        ["kg", "text"],
        [
          ["kg", "x"],
          ["g", "y"],
          ["kg", "z"],
        ],
      ).rows,
    ).toBe(0);
    expect(below(["-", ""]).rows).toBe(0);
    expect(below(["m", "-"]).rows).toBe(0);
    expect(
      below(
        ["m", "-"],
        [
          ["1", "x"],
          ["2", "y"],
          ["3", "z"],
        ],
      ).rows,
    ).toBe(1);
    expect(
      rowsBelow(
        [
          ["kg", "m"],
          ["1", "2"],
        ],
        { header: false, row: 0 },
        String,
        {},
      ).rows,
    ).toBe(0);
    expect(
      rowsBelow(
        [
          ["a", "b"],
          ["x", "y"],
        ],
        { header: true, row: 0 },
        String,
        { below: 1 },
      ),
    ).toEqual({
      rows: 1,
      why: "as set",
      doubt: null,
    });
  });
});

describe("nested documents", () => {
  const flat = (documents: Value[], options = {}) => {
    const flattener = new Flattener(options);
    const rows: (string | undefined)[][] = [];
    for (const d of documents) flattener.records(d, (v) => rows.push(v.slice(0, flattener.columns.length)));
    return { columns: [...flattener.columns], rows };
  };

  it("leave cells empty where there is nothing, and take each value by its path", () => {
    expect(
      flat([
        { a: null, b: undefined, c: { d: 1, e: [] } },
        { c: { d: true }, f: "x" },
      ]),
    ).toEqual({
      columns: ["c.d", "c.e", "f"],
      rows: [
        ["1", ""],
        ["true", undefined, "x"],
      ],
    });
    expect(flat(["word", 7, null])).toEqual({ columns: ["value"], rows: [["word"], ["7"], [undefined]] });
  });

  it("join arrays, or take what is wanted of them", () => {
    const d = { a: ["x", null, { b: 1 }, Uint8Array.of(1, 255)] };
    expect(flat([d]).rows).toEqual([['x; ; {"b":1}; 01ff']]);
    const as = (take: string, by?: string): unknown => flat([d], { arrays: { a: { take, by } } }).rows[0]![0];
    expect([as("first"), as("last"), as("join", "|")]).toEqual(["x", "01ff", 'x||{"b":1}|01ff']);
    expect(flat([{ a: [1, "2"] }], { arrays: { "*": { take: "json" } } }).rows).toEqual([['[1,"2"]']]);
  });

  it("make a record of each element of one array, with what stands around it", () => {
    const { columns, rows } = flat([{ n: 1, t: [{ k: "a" }, { k: "b", l: 2 }] }, { n: 2, t: [] }, { n: 3 }], {
      each: "t",
    });
    expect(columns).toEqual(["n", "t.k", "t.l"]);
    expect(rows.map((r) => Array.from({ length: 3 }, (_, i) => r[i]))).toEqual([
      ["1", "a", undefined],
      ["1", "b", "2"],
      ["2", undefined, undefined],
      ["3", undefined, undefined],
    ]);
  });

  it("keep numbers as they were written, and keys that are given twice are told", () => {
    expect(textOfScalar(parseJson("12345678901234567890.10", true))).toBe("12345678901234567890.10");
    expect([1e21, 1e-7, 0, -0.5, 1e-6].map(textOfScalar)).toEqual([
      "1000000000000000000000",
      "0.0000001",
      "0",
      "-0.5",
      "0.000001",
    ]);
    expect(() => parseJson('{"a":1,"a":2}', false)).toThrow();
    expect(parseJson('{"a":{"b":1},"c":{"b":2}}', false)).toEqual({ a: { b: 1 }, c: { b: 2 } });
    expect([keepable("a\0b"), keepable("a\ud800")]).toEqual(["a␀b", "a\ufffd"]);
    expect(hexOf(Uint8Array.of(0, 10, 255))).toBe("000aff");
  });
});

describe("records that are cut out of a JSON text", () => {
  /** Each record with its line, whatever pieces the text comes in. */
  function cut(text: string, path: string | null, size: number) {
    const cutter = new JsonCutter(path === null ? null : pathKeys(path));
    const bytes = utf8(text);
    const out: [string, number][] = [];
    for (let at = 0; at < bytes.length; at += size) {
      for (const c of cutter.push(bytes.subarray(at, at + size))) out.push([Buffer.from(c.bytes).toString(), c.line]);
    }
    return { out, open: cutter.open, arrays: [...cutter.arrays] };
  }
  const text = '{"of": "May",\n "seeds": [\n  {"a": "x]\\"}"},\n\n  {"a": [1, {"b": 2}]}\n ],\n "more": []\n}\n';

  it.each([1, 2, 7, 1000])("with the lines on which they begin, in pieces of %i bytes", (size) => {
    const { out, open, arrays } = cut(text, "$.seeds[*]", size);
    expect(out).toEqual([
      ['{"a": "x]\\"}"}', 3],
      ['{"a": [1, {"b": 2}]}', 5],
    ]);
    expect(open).toBe(false);
    expect(arrays).toEqual([]);
    expect(cut(text, "$.nothing[*]", size).arrays).toEqual(["$.seeds"]);
  });

  it("may be the whole text, which then is to end", () => {
    expect(cut('\n\n{"a": 1}\n', null, 3).out).toEqual([['{"a": 1}', 3]]);
    expect(cut('{"a": [1, 2', null, 3).open).toBe(true);
    expect(cut('{"seeds": [{"a": 1}', "$.seeds", 3).open).toBe(true);
    expect(() => cut('{"seeds": [{"a": 1}]]', "$.seeds", 50)).toThrow("a bracket too many in line 1");
    expect(() => cut('{"seeds": [{"a": 1}}', "$.seeds", 50)).toThrow("a bracket too many in line 1");
  });
});

describe("values as other programs store them", () => {
  it("are days, moments, numbers and bytes as people write them", () => {
    expect([0, -1, 2932896, 2932897, 1e12].map(dayText)).toEqual([
      "1970-01-01",
      "1969-12-31",
      "9999-12-31",
      "+010000-01-01",
      "1000000000000",
    ]);
    expect([decimalText(-5n, 2), decimalText(1234n, 2), decimalText(7n, 0), decimalText(-700n, 2)]).toEqual([
      "-0.05",
      "12.34",
      "7",
      "-7.00",
    ]);
    expect([
      bigFromBytes(Uint8Array.of(255, 254)),
      bigFromBytes(Uint8Array.of(1, 0)),
      bigFromBytes(new Uint8Array(0)),
    ]).toEqual([-2n, 256n, 0n]);
    expect(uuidText(Uint8Array.from({ length: 16 }, (_, i) => i))).toBe("00010203-0405-0607-0809-0a0b0c0d0e0f");
    const duration = (months: number, days: number, ms: number): string => {
      const view = new DataView(new ArrayBuffer(12));
      [months, days, ms].forEach((n, i) => view.setUint32(i * 4, n, true));
      return durationText(new Uint8Array(view.buffer));
    };
    expect([duration(1, 2, 3500), duration(0, 2, 0), duration(0, 0, 0), duration(14, 0, 0)]).toEqual([
      "P1M2DT3.5S",
      "P2D",
      "PT0S",
      "P14M",
    ]);
  });

  it("of a union in Avro are of the branch that can be theirs", () => {
    const show = shower(
      [
        "null",
        { type: "long", logicalType: "timestamp-millis" },
        { type: "int", logicalType: "date" },
        { type: "fixed", name: "id", size: 16, logicalType: "uuid" },
        "boolean",
        { type: "map", values: { type: "int", logicalType: "date" } },
      ],
      new Map(),
    );
    expect(show(1000n)).toBe("1970-01-01T00:00:01Z");
    expect(show(1)).toBe("1970-01-02");
    expect(show(true)).toBe(true);
    expect(show(new Uint8Array(16))).toBe("00000000-0000-0000-0000-000000000000");
    expect(show({ a: 2 })).toEqual({ a: "1970-01-03" });
    expect(show(null)).toBeNull();
  });

  it("of records in Avro without anything nested are read side by side", () => {
    const fields = (...types: unknown[]) =>
      flatFields({ type: "record", fields: types.map((type, i) => ({ name: `f${i}`, type })) })?.map(
        (f) => f.show === null,
      ) ?? null;
    expect(fields("string", ["null", "int"], { type: "enum", name: "e", symbols: [] })).toEqual([true, true, true]);
    expect(fields({ type: "int", logicalType: "date" }, "bytes")).toEqual([false, false]);
    expect(fields({ type: "fixed", name: "id", size: 2 }, "id", ["null", "id"])).toEqual([false, false, false]);
    expect(fields({ type: "array", items: "int" })).toBeNull();
    expect(fields(["string", "int"])).toBeNull();
    expect(fields("other")).toBeNull();
    expect(flatFields("string")).toBeNull();
    expect([isPlain("string"), isPlain(["null", "bytes"])]).toEqual([true, false]);
  });
});

describe("records that are put together one by one", () => {
  it("keep nothing of what stood in their place before", () => {
    const builder = new BlockBuilder(0);
    const place = { line: 1, start: 0, end: 0 };
    for (const words of [
      ["oak", "ash", "elm"],
      ["fir", "bay", "yew"],
    ])
      builder.add(words, 3, place, "");
    builder.take();
    builder.open(3, place, utf8("raw"));
    builder.close();
    builder.addUnreadable({ reason: "quote", cells: 0 }, 3, place, "raw");
    builder.add(["x", undefined, "z"], 4, place, "raw");
    const block = builder.take()!;
    expect([0, 1, 2].map((r) => arrivedCells(block, r))).toEqual([
      ["", "", "", ""],
      ["", "", "", ""],
      ["x", "", "z", ""],
    ]);
    expect(block.first).toBe(2);
    expect([...block.unreadable.keys()]).toEqual([1]);
  });
});

describe("tables of any marks", () => {
  const WORDS = [
    "oak",
    "",
    "red oak",
    "5",
    "-3.25",
    "x;y",
    "a,b",
    "tab\there",
    'say "so"',
    "line\nend",
    "été",
    "o'clock",
  ];

  it.each(Array.from({ length: 24 }, (_, seed) => seed))("are read as they were written, %i", async (seed) => {
    const roll = random(seed * 31 + 7);
    const pick = <T>(list: readonly T[]): T => list[Math.floor(roll() * list.length)]!;
    const delimiter = pick([",", ";", "\t", "|"]);
    const quote = pick(['"', "'"]);
    const escape = pick([quote, "\\"]);
    const end = pick(["\n", "\r\n", "\r"]);
    const width = 2 + Math.floor(roll() * 4);
    const rows = Array.from({ length: 30 }, (_, r) => [
      `A${r}`,
      ...Array.from({ length: width - 1 }, () => pick(WORDS.filter((w) => !w.includes("\n") || end === "\n"))),
    ]);
    const cell = (text: string): string =>
      [delimiter, quote, "\n", "\\"].some((m) => text.includes(m))
        ? quote + text.replaceAll(quote, escape + quote) + quote
        : text;
    const names = Array.from({ length: width }, (_, c) => `column_${c + 1}`);
    const before = seed % 3 === 0 ? [`Written by hand${delimiter.repeat(width - 1)}`] : [];
    const text = [...before, names.join(delimiter), ...rows.map((r) => r.map(cell).join(delimiter))].join(end);
    const set: ReadSettings = { as: "delimited", delimiter, quote, escape };
    const part = await read("a.csv", text, set);
    expect(part.columns).toEqual(names);
    expect(part.unreadable).toEqual([]);
    expect(part.records).toEqual(
      rows.map((r) => Object.fromEntries(r.map((v, c) => [names[c]!, v] as const).filter(([, v]) => v !== ""))),
    );
    let line = before.length + 2;
    expect(part.lines).toEqual(
      rows.map((r) => {
        const own = line;
        line += r.join("").split("\n").length;
        return own;
      }),
    );
  });
});

describe("what each file is to be asked for anew", () => {
  const text = "a;b\n'x;\\'y';2\n3;4\n5;6\n";
  const options = async (settings: ReadSettings): Promise<Record<string, unknown>> =>
    (await read("a.csv", text, settings)).options as Record<string, unknown>;

  it("is found, and what is set beside it stays", async () => {
    const set = { as: "delimited", delimiter: ";", quote: '"', escape: '"' } as const;
    expect(await options(set)).toMatchObject({ delimiter: ";", quote: '"', escape: '"' });
    expect(await options({ ...set, of_each: ["quote"] })).toMatchObject({ delimiter: ";", quote: "'", escape: "\\" });
    expect(await options({ ...set, header: false })).toMatchObject({ header: false });
    expect(await options({ ...set, header: false, of_each: ["header"] })).toMatchObject({
      header: true,
      quote: '"',
      escape: '"',
    });
    // Of another format nothing else holds.
    expect(await options({ as: "json", records: "$.x[*]", of_each: ["as"] } as ReadSettings)).toMatchObject({
      as: "delimited",
      delimiter: ";",
      quote: "'",
    });
  });
});

describe("a workbook's rows", () => {
  it("that have more cells than all those of its beginning are not read, unless these are empty", async () => {
    const lots = Array.from({ length: 1200 }, (_, i) => [`A${i}`, "oak"]);
    const rows = [
      ["lot", "tree"],
      ...lots,
      ["B1", "ash", "more", null, "still more"],
      ["B2", "elm", null],
      ["B3", "fir", "", ""],
    ];
    const { parts } = await readParts(memoryFile("lots.xlsx", workbook([{ name: "Lots", rows }])));
    const { columns, records, unreadable } = parts[0]!;
    expect(columns).toEqual(["lot", "tree"]);
    expect(records).toHaveLength(1202);
    expect(records.slice(-2)).toEqual([
      { lot: "B2", tree: "elm" },
      { lot: "B3", tree: "fir" },
    ]);
    expect(unreadable).toEqual([{ reason: "too-many-cells", line: 1202, raw: "B1\tash\tmore\t\tstill more" }]);
  });
});
