import { parse } from "csv-parse/sync";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { RAW_KEPT } from "@/core/kernel/block.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { distinctNames } from "@/core/read/delimited/columns.ts";
import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import { arrivedCells } from "@/core/course/of-record.ts";
import type { Encoding } from "@/core/read/encoding/names.ts";
import { LONGEST_RECORD, MOST_COLUMNS, type DelimitedOptions } from "@/core/read/options.ts";
import { CSV, readAll } from "../support/read.ts";

const cells = (text: string, options = {}) => readAll(text, options).records.map((r) => r.cells ?? r.reason);

describe("delimited text", () => {
  it("reads RFC 4180: quotes, doubled quotes, line ends inside quotes", () => {
    const { columns, records } = readAll('name,"the, place",n\r\n"a ""b"" c","x\r\ny",1\r\nd,,\r\n');
    expect(columns).toEqual(["name", "the, place", "n"]);
    expect(records.map((r) => r.cells)).toEqual([
      ['a "b" c', "x\r\ny", "1"],
      ["d", "", ""],
    ]);
    expect(records.map((r) => r.line)).toEqual([2, 4]);
  });

  it.each([
    ["LF", "\n"],
    ["CRLF", "\r\n"],
    ["CR", "\r"],
  ])("takes %s as a line end", (_, end) => {
    const { records } = readAll(["a,b", "1,2", "", "3,4", "5,6"].join(end));
    expect(records.map((r) => r.cells)).toEqual([
      ["1", "2"],
      ["3", "4"],
      ["5", "6"],
    ]);
    expect(records.map((r) => r.line)).toEqual([2, 4, 5]);
  });

  it("takes away a byte order mark and keeps byte ranges those of the file", () => {
    const text = "\ufeffa,b\n1,é\n2,3\n";
    const bytes = new TextEncoder().encode(text);
    const { columns, records } = readAll(text);
    expect(columns).toEqual(["a", "b"]);
    for (const r of records) expect(new TextDecoder().decode(bytes.subarray(r.start, r.end))).toBe(r.raw);
  });

  it.each([";", "\t", "|", "::", "<>", "→"])("takes %j between cells", (delimiter) => {
    expect(
      cells(["a", "b"].join(delimiter) + "\n" + ["1", '"x"', ""].slice(0, 2).join(delimiter), { delimiter }),
    ).toEqual([["1", "x"]]);
  });

  it("keeps a lone CR within quotes, which ends a line and no record", () => {
    const { records } = readAll('a,b\n"x\ry",1\n"p\r\nq\rr",2\n3,4\n');
    expect(records.map((r) => [r.cells, r.line])).toEqual([
      [["x\ry", "1"], 2],
      [["p\r\nq\rr", "2"], 4],
      [["3", "4"], 7],
    ]);
  });

  it("takes part of a long delimiter as text", () => {
    expect(cells("a::b\n1:2::3\n", { delimiter: "::" })).toEqual([["1:2", "3"]]);
  });

  it("reads with another escape, another quote, no quote", () => {
    expect(cells('a,b\n"x\\"y",2\n', { escape: "\\" })).toEqual([['x"y', "2"]]);
    expect(cells("a,b\n'x,y',2\n", { quote: "'", escape: "'" })).toEqual([["x,y", "2"]]);
    expect(cells('a,b\n"x,2\n', { quote: "", escape: "" })).toEqual([['"x', "2"]]);
  });

  it("passes over lines and reads without a header", () => {
    const { columns, records } = readAll("made by hand\n\n1,2\n3,4\n", { header: false, skip: 1 });
    expect(columns).toEqual(["1", "2"]);
    expect(records.map((r) => [r.line, r.cells])).toEqual([
      [3, ["1", "2"]],
      [4, ["3", "4"]],
    ]);
  });

  it("keeps an empty line of a file of one column as a record", () => {
    expect(cells("a\nx\n\ny\n")).toEqual([["x"], [""], ["y"]]);
  });

  it("keeps stray quotes inside a cell without quotes", () => {
    expect(cells('a,b\n5" pipe,6" pipe\n')).toEqual([['5" pipe', '6" pipe']]);
  });

  it.each([
    ["too few cells", "1\n", "too-few-cells"],
    ["too many cells", "1,2,3\n", "too-many-cells"],
    ["a quote never closed", '1,"2\n', "quote"],
    ["text after a closing quote", '1,"2"x\n', "quote"],
    ["a NUL byte", "1,\u00002\n", "nul"],
  ])("holds %s and derails no other record", (_, line, reason) => {
    const { records } = readAll(`a,b\n0,0\n${line}7,"8"\n9,10\n`);
    expect(records.map((r) => r.cells ?? r.reason)).toEqual([["0", "0"], reason, ["7", "8"], ["9", "10"]]);
    expect(records[1]!.raw).toBe(line.trimEnd());
    expect(records[2]!.line).toBe(4);
  });

  it("does not let an unclosed quote swallow a file without other quotes", () => {
    const lines = Array.from({ length: 20_000 }, (_, i) => `${i},${i * 2}`);
    lines[5] = '5,"10';
    const { records } = readAll(`a,b\n${lines.join("\n")}\n`, {}, 4096);
    expect(records).toHaveLength(20_000);
    expect(records.filter((r) => r.reason)).toMatchObject([{ reason: "quote", line: 7, raw: '5,"10' }]);
  });

  it("takes a quote for a stray one when the record then has the wrong number of cells", () => {
    const { records } = readAll('a,b,c\n1,2,"x\n3,4",5\n6,7,8\n');
    expect(records.map((r) => r.cells ?? r.reason)).toEqual(["quote", ["3", '4"', "5"], ["6", "7", "8"]]);
    expect(records.map((r) => r.line)).toEqual([2, 3, 4]);
    const whole = readAll('a,b,c\n1,2,"x\ny",5\n6,7,8\n').records;
    expect(whole.map((r) => r.cells ?? r.reason)).toEqual(["too-many-cells", ["6", "7", "8"]]);
    expect(whole[0]!.raw).toBe('1,2,"x\ny",5');
  });

  it.each([
    ["windows-1252", 0x80, "€"],
    ["windows-1252", 0x9f, "Ÿ"],
    ["windows-1250", 0x9e, "ž"],
    ["iso-8859-2", 0xb1, "ą"],
    ["iso-8859-15", 0xa4, "€"],
    ["macintosh", 0x8e, "é"],
  ] as const)("reads %s", (encoding, byte, text) => {
    const bytes = Uint8Array.of(97, 44, 98, 10, byte, 44, 34, byte, 34, 34, byte, 34, 10);
    expect(readAll(bytes, { encoding }).records[0]!.cells).toEqual([text, `${text}"${text}`]);
  });

  it("names bytes that are not in the encoding", () => {
    const bytes = Uint8Array.of(...new TextEncoder().encode("a,b\n1,"), 0xff, 10, ...new TextEncoder().encode("é,2\n"));
    expect(readAll(bytes).records.map((r) => r.cells ?? r.reason)).toEqual(["encoding", ["é", "2"]]);
    const undefinedByte = Uint8Array.of(97, 44, 98, 10, 49, 44, 0x81, 10, 0xe9, 44, 0x80, 10);
    expect(readAll(undefinedByte, { encoding: "windows-1252" }).records.map((r) => r.cells ?? r.reason)).toEqual([
      "encoding",
      ["é", "€"],
    ]);
  });

  it.each(["utf-16le", "utf-16be"] as const)("reads %s with byte ranges of the file", (encoding) => {
    const text = "\ufeffa,b\n1,né𝄞e\n2,3\n";
    const all = text.split("").map((c) => c.charCodeAt(0));
    const bytes = new Uint8Array(all.length * 2);
    const view = new DataView(bytes.buffer);
    all.forEach((unit, i) => view.setUint16(i * 2, unit, encoding === "utf-16le"));
    for (const step of [3, 1000]) {
      const { columns, records } = readAll(bytes, { encoding }, step);
      expect(columns).toEqual(["a", "b"]);
      expect(records.map((r) => r.cells)).toEqual([
        ["1", "né𝄞e"],
        ["2", "3"],
      ]);
      for (const r of records) {
        expect(new TextDecoder(encoding).decode(bytes.subarray(r.start, r.end))).toBe(r.raw);
      }
    }
  });

  it("holds a record that is too long, keeps its beginning, and goes on", () => {
    const long = "x".repeat(LONGEST_RECORD + 5000);
    for (const step of [65_536, 1 << 20, 1 << 24]) {
      const { records } = readAll(`a,b\n1,2\n${long},3\n4,5\n`, {}, step);
      expect(records.map((r) => r.cells ?? r.reason)).toEqual([["1", "2"], "too-long", ["4", "5"]]);
      expect(records[1]!.end - records[1]!.start).toBe(long.length + 2);
      expect(records[1]!.raw.length).toBeGreaterThanOrEqual(RAW_KEPT);
      expect(records[2]).toMatchObject({ line: 4, start: 4 + 4 + long.length + 3 });
    }
  });

  it.each([
    ["a first line without an end", "x".repeat(LONGEST_RECORD * 2), "not-delimited"],
    ["a million columns", ",".repeat(1_000_000), "too-many-columns"],
    ["a header that can't be read", 'a,"b\n1,2\n', "header-unreadable"],
  ])("refuses %s with a message", (_, text, code) => {
    expect.assertions(2);
    try {
      readAll(text);
    } catch (error) {
      expect(error).toBeInstanceOf(SieveError);
      expect((error as SieveError).code).toBe(code);
    }
  });

  it.each([{ delimiter: "" }, { delimiter: "\n" }, { quote: '""' }, { quote: "é" }])(
    "refuses the options %j",
    (options) => {
      expect(() => new DelimitedReader({ ...CSV, ...options })).toThrow(SieveError);
    },
  );

  it("gives columns names that are distinct", () => {
    expect(distinctNames(["a", " a", "", "a (2)", "b"])).toEqual(["a", "a (2)", "column 3", "a (2) (2)", "b"]);
  });

  it("reads nothing from nothing", () => {
    expect(readAll("")).toEqual({ columns: [], records: [] });
    expect(readAll("a,b")).toEqual({ columns: ["a", "b"], records: [] });
    expect(readAll("\n\n\n").records).toEqual([]);
  });
});

const value = fc.string({ unit: fc.constantFrom("a", "é", "0", " ", ",", '"', "\n", "\r", ";"), maxLength: 8 });
const quoted = (v: string): string => (/[",\r\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);

/** A text as bytes of an encoding, of which these tests need few. */
function encoded(text: string, encoding: Encoding): Uint8Array {
  if (encoding === "utf-8") return new TextEncoder().encode(text);
  if (encoding === "windows-1252") return Uint8Array.from(text, (c) => c.charCodeAt(0) & 255);
  const bytes = new Uint8Array(text.length * 2);
  const view = new DataView(bytes.buffer);
  for (let i = 0; i < text.length; i++) view.setUint16(i * 2, text.charCodeAt(i), encoding === "utf-16le");
  return bytes;
}

describe("properties of reading", () => {
  it("gives back whatever was written, as the oracle does, however the bytes are cut", () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(value, { minLength: 3, maxLength: 3 }), { minLength: 1, maxLength: 12 }),
        fc.integer({ min: 1, max: 9 }),
        fc.constantFrom("\n", "\r\n"),
        (rows, step, end) => {
          const text = `a,b,c${end}${rows.map((r) => r.map(quoted).join(",")).join(end)}${end}`;
          const { records } = readAll(text, {}, step);
          expect(records.map((r) => r.cells)).toEqual(rows);
          const oracle = parse(text, { from_line: 2, record_delimiter: end }) as string[][];
          expect(records.map((r) => r.cells)).toEqual(oracle);
        },
      ),
      { numRuns: 300 },
    );
  });

  it("gives the same records for any bytes however they are cut, and loses none of them", () => {
    const byte = fc.constantFrom(97, 44, 34, 10, 13, 0, 0xc3, 0xa9, 0xff, 59, 32);
    fc.assert(
      fc.property(fc.array(byte, { maxLength: 120 }), fc.integer({ min: 1, max: 7 }), (list, step) => {
        const bytes = Uint8Array.of(...new TextEncoder().encode("a,b\n"), ...list);
        const whole = readAll(bytes);
        expect(readAll(bytes, {}, step)).toEqual(whole);
        // Every byte is in a record or is a line end between records.
        let at = 4;
        for (const r of whole.records) {
          for (; at < r.start; at++) expect([10, 13]).toContain(bytes[at]);
          at = r.end;
        }
        for (; at < bytes.length; at++) expect([10, 13]).toContain(bytes[at]);
      }),
      { numRuns: 500 },
    );
  });

  it("gives the same whatever the settings and however the bytes are cut", () => {
    const options = fc.record({
      header: fc.boolean(),
      skip: fc.nat(2),
      skip_end: fc.nat(2),
      comment: fc.constantFrom("", "#", "//"),
      quote: fc.constantFrom('"', "'", ""),
      escape: fc.constantFrom('"', "\\", ""),
      delimiter: fc.constantFrom(",", "::", ",,"),
      encoding: fc.constantFrom<Encoding[]>("utf-8", "utf-16le", "utf-16be", "windows-1252"),
    });
    const piece = fc.constantFrom(
      "a",
      "bc",
      "é",
      ",",
      ":",
      "::",
      '"',
      "'",
      "\\",
      "#",
      "/",
      "//",
      "\n",
      "\r",
      "\r\n",
      "\0",
      "\n\n",
      '"x"',
      "\ufeff",
    );
    const outcome = (bytes: Uint8Array, own: Partial<DelimitedOptions>, step?: number) => {
      try {
        return readAll(bytes, own, step);
      } catch (error) {
        return (error as Error).message;
      }
    };
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 60 }), options, fc.integer({ min: 1, max: 9 }), (pieces, own, step) => {
        const bytes = encoded(pieces.join(""), own.encoding);
        expect(outcome(bytes, own, step)).toEqual(outcome(bytes, own));
      }),
      { numRuns: 1500 },
    );
  });

  it.each([
    ["\ufeffa,b\n1,2\n", {}, ["a", "b"], [["1", "2"]], ""],
    ["a,b\n1,2\nTOTAL;1\nend\n", { skip_end: 2 }, ["a", "b"], [["1", "2"]], "TOTAL;1\nend\n"],
    ["a,b\n1,2\nTOTAL;1\nend", { skip_end: 2 }, ["a", "b"], [["1", "2"]], "TOTAL;1\nend"],
    ["a,b\r1,2\rTOTAL;1\rend\r", { skip_end: 2 }, ["a", "b"], [["1", "2"]], "TOTAL;1\rend\r"],
    ["a,b\r\n1,2\r\n\r\nend", { skip_end: 2 }, ["a", "b"], [["1", "2"]], "\r\nend"],
    ["\nx", { skip_end: 1 }, [], [], "x"],
    ["only\n", { skip_end: 3 }, [], [], "only\n"],
    ["t\nu\na\n1\n", { skip: 2 }, ["a"], [["1"]], ""],
    ["t\nu", { skip: 2 }, [], [], ""],
    ["#x\na\n#y\n1\n#z", { comment: "#" }, ["a"], [["1"]], ""],
    ["a\n1\n//z", { comment: "//" }, ["a"], [["1"]], ""],
    ["a\n1\n/z", { comment: "//" }, ["a"], [["1"], ["/z"]], ""],
    ["a,b\n'x''y',1\n", { quote: "'", escape: "'" }, ["a", "b"], [["x'y", "1"]], ""],
    ['a,b\n"x\\"y",1\n', { escape: "\\" }, ["a", "b"], [['x"y', "1"]], ""],
  ] as const)("%j by %j, in one piece and in bytes", (text, own, columns, cells, trailer) => {
    for (const step of [1, 2, 3, 100]) {
      const reader = new DelimitedReader({ ...CSV, ...own });
      const bytes = new TextEncoder().encode(text);
      const found: string[][] = [];
      for (let at = 0; at < bytes.length; at += step) {
        for (const block of reader.push(bytes.subarray(at, at + step), at + step >= bytes.length)) {
          for (let r = 0; r < block.count; r++) found.push(arrivedCells(block, r));
        }
      }
      expect([reader.columns ?? [], found, reader.trailer]).toEqual([columns, cells, trailer]);
    }
  });

  it.each(["utf-8", "utf-16le"] as const)(
    "passes over what is longer than a record may be, in %s, and knows where it stood",
    (encoding) => {
      const long = "x".repeat(1_100_000);
      const text = `a,b\n1,2\n${long},3\n4,5\n"${long}\n6,7\n8,9`;
      const bytes = encoded(text, encoding);
      const unit = encoding === "utf-8" ? 1 : 2;
      for (const step of [65_536, 1 << 20, bytes.length]) {
        const { records } = readAll(bytes, { encoding }, step);
        expect(records.map((r) => r.reason ?? r.cells!.join())).toEqual([
          "1,2",
          "too-long",
          "4,5",
          "too-long",
          "6,7",
          "8,9",
        ]);
        expect(records.map((r) => r.line)).toEqual([2, 3, 4, 5, 6, 7]);
        // Where each begins and ends in the file.
        const lines = text.split("\n").slice(1);
        let at = 4;
        for (const [i, line] of lines.entries()) {
          expect([records[i]!.start, records[i]!.end]).toEqual([at * unit, (at + line.length) * unit]);
          at += line.length + 1;
        }
      }
    },
  );

  it("takes as many columns as there may be, and not one more", () => {
    const names = Array.from({ length: MOST_COLUMNS }, (_, i) => `c${i}`).join(",");
    expect(readAll(`${names}\n`).columns).toHaveLength(MOST_COLUMNS);
    expect(() => readAll(`${names},one more\n`)).toThrow(/cells; at most/);
  });

  it("reads any part again by itself: the same records from where a block began", () => {
    const text = Array.from({ length: 400 }, (_, i) =>
      i % 13 === 0 ? `${i},"open` : i % 7 === 0 ? `"m\n${i}",x` : `${i},y`,
    ).join("\n");
    const all = readAll(`a,b\n${text}\n`).records;
    const bytes = new TextEncoder().encode(`a,b\n${text}\n`);
    for (const [first, last] of [
      [10, 60],
      [0, 5],
      [399, 399],
    ] as const) {
      const reader = new DelimitedReader(CSV, 0, {
        byte: all[first]!.start,
        line: all[first]!.line,
        record: first,
        columns: ["a", "b"],
      });
      const [block] = reader.push(bytes.subarray(all[first]!.start, all[last]!.end), true);
      expect(block!.count).toBe(last - first + 1);
      expect(block!.origin.line[last - first]).toBe(all[last]!.line);
      expect(block!.origin.end[last - first]).toBe(all[last]!.end);
    }
  });
});

describe("text in any dialect", () => {
  const dialect = fc.record({
    delimiter: fc.constantFrom(",", ";", "\t", "||", "::", "→", "<>"),
    quote: fc.constantFrom('"', "'"),
    doubled: fc.boolean(),
    comment: fc.constantFrom(undefined, "#", "--"),
    mark: fc.boolean(),
  });
  const piece = fc.constantFrom(
    "a",
    "é",
    "7",
    " ",
    ",",
    ";",
    "|",
    ":",
    "→",
    "<",
    ">",
    "#",
    "-",
    '"',
    "'",
    "\\",
    "\n",
    "\r",
    "\r\n",
  );
  const cell = fc.array(piece, { maxLength: 5 }).map((list) => list.join(""));
  const ends = fc.constantFrom("\n", "\r\n", "\r");
  const table = fc.array(
    fc.record({ cells: fc.tuple(cell, cell, cell), end: ends, before: fc.nat(5), quoted: fc.boolean() }),
    {
      minLength: 1,
      maxLength: 8,
    },
  );
  /** Lines of a text: LF, CR LF and CR are one line end each. */
  const linesOf = (text: string): number => (text.match(/\r\n|\r|\n/g) ?? []).length;

  it("is read as it was written, with its lines and bytes, however it is cut", () => {
    fc.assert(
      fc.property(
        dialect,
        table,
        fc.integer({ min: 1, max: 40 }),
        ({ delimiter, quote, doubled, comment, mark }, rows, cut) => {
          const escape = doubled ? quote : "\\";
          const written = (text: string, always: boolean): string => {
            const plain =
              !always &&
              ![delimiter[0]!, quote, escape, "\n", "\r", ...(comment ? [comment[0]!] : [])].some((c) =>
                text.includes(c),
              );
            if (plain) return text;
            const inside = doubled
              ? text.replaceAll(quote, quote + quote)
              : text.replace(/[\\"']/g, (c) => (c === "\\" || c === quote ? `\\${c}` : c));
            return quote + inside + quote;
          };
          let text = `${mark ? "\ufeff" : ""}x${delimiter}y${delimiter}z\n`;
          const expected = rows.map(({ cells: row, end, before, quoted }) => {
            // Remarks and empty lines stand between records, and are none.
            if (before === 0 && comment) text += `${comment} said ${quote}so${end}`;
            if (before === 1) text += end;
            const line = linesOf(text) + 1;
            const record = row.map((c) => written(c, quoted)).join(delimiter);
            text += record + end;
            return { cells: [...row], line, raw: record };
          });
          const options = { delimiter, quote, escape, ...(comment !== undefined && { comment }) };
          const { columns, records } = readAll(text, options, cut);
          expect(columns).toEqual(["x", "y", "z"]);
          expect(records.map((r) => ({ cells: r.cells ?? r.reason, line: r.line, raw: r.raw }))).toEqual(expected);
          const bytes = new TextEncoder().encode(text);
          for (const r of records)
            expect(new TextDecoder("utf-8", { ignoreBOM: true }).decode(bytes.subarray(r.start, r.end))).toBe(r.raw);
        },
      ),
      { numRuns: 600 },
    );
  });

  it("keeps what begins like a byte order mark and is none", () => {
    for (const bytes of [
      [0xef, 0xbb, 0x41],
      [0xef, 0x41, 0xbf],
      [0x41, 0xbb, 0xbf],
    ]) {
      const text = Uint8Array.from([...bytes, 0x2c, 0x62, 0x0a, 0x31, 0x2c, 0x32, 0x0a]);
      const { columns, records } = readAll(text, { encoding: "latin1" as never });
      expect(columns[0]).toHaveLength(3);
      expect(records.map((r) => r.cells)).toEqual([["1", "2"]]);
    }
  });
});
