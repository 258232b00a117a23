import { describe, expect, it } from "vitest";
import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import { LONGEST_RECORD, type DelimitedOptions } from "@/core/read/options.ts";
import { CSV, readAll } from "../support/read.ts";

const fault = (options: Partial<DelimitedOptions>): string => {
  try {
    readAll("a,b\n1,2\n", options);
    return "";
  } catch (error) {
    return (error as Error).message;
  }
};

describe("what can't tell cells apart is refused, and what can is not", () => {
  it.each([
    [{ delimiter: "" }, "The delimiter is empty."],
    [{ quote: "''" }, "The quote must be one ASCII character, or none."],
    [{ quote: "«" }, "The quote must be one ASCII character, or none."],
    [{ escape: "\\\\" }, "The escape must be one ASCII character, or none."],
    [{ escape: "é" }, "The escape must be one ASCII character, or none."],
    [{ delimiter: "\n" }, "The delimiter can't begin with what ends a record, or with the quote."],
    [{ delimiter: "\r;" }, "The delimiter can't begin with what ends a record, or with the quote."],
    [{ delimiter: '"' }, "The delimiter can't begin with what ends a record, or with the quote."],
    [{ row: "~", delimiter: "~|" }, "The delimiter can't begin with what ends a record, or with the quote."],
    [{ row: "" }, "What ends a record must be one ASCII character, and not the quote."],
    [{ row: "~~" }, "What ends a record must be one ASCII character, and not the quote."],
    [{ row: "¬" }, "What ends a record must be one ASCII character, and not the quote."],
    [{ row: "'", quote: "'" }, "What ends a record must be one ASCII character, and not the quote."],
  ])("%j", (options, words) => {
    expect(fault(options)).toBe(words);
  });

  it.each([
    { quote: "\x7f" },
    { escape: "\x7f" },
    { row: "\x7f" },
    { quote: "" },
    { escape: "" },
    { quote: "", delimiter: "‖" },
    { row: "~", delimiter: "\n" },
  ])("%j is taken", (options) => {
    expect(fault(options)).toBe("");
  });
});

describe("lines at the end that are no records", () => {
  const trailer = (text: string, skip_end: number, step: number, more: Partial<DelimitedOptions> = {}): string[] => {
    const reader = new DelimitedReader({ ...CSV, ...more, skip_end });
    const bytes = new TextEncoder().encode(text);
    let records = 0;
    for (let at = 0; at < bytes.length; at += step) {
      const last = at + step >= bytes.length;
      for (const block of reader.push(bytes.subarray(at, at + step), last)) records += block.count;
    }
    return [String(records), reader.trailer];
  };

  it.each([1, 3, 7, 100])("are kept as they came, in pieces of %i bytes", (step) => {
    const text = "a,b\r\n1,2\r\n3,4\r\nTotal,2\r\nmade by hand\r\n";
    expect(trailer(text, 1, step)).toEqual(["3", "made by hand\r\n"]);
    expect(trailer(text, 2, step)).toEqual(["2", "Total,2\r\nmade by hand\r\n"]);
    expect(trailer(text, 3, step)).toEqual(["1", "3,4\r\nTotal,2\r\nmade by hand\r\n"]);
    expect(trailer(text.trimEnd(), 2, step)).toEqual(["2", "Total,2\r\nmade by hand"]);
    expect(trailer(text.replaceAll("\r\n", "\r"), 2, step)).toEqual(["2", "Total,2\rmade by hand\r"]);
    expect(trailer("a,b\n1,2\n\n\n", 1, step)[1]).toBe("\n");
  });

  it("may be all there is", () => {
    expect(trailer("a,b\n1,2\n", 2, 3)).toEqual(["0", "a,b\n1,2\n"]);
    expect(trailer("a,b\n1,2\n", 9, 3)).toEqual(["0", "a,b\n1,2\n"]);
  });

  it("end with a mark of their own where records do", () => {
    expect(trailer("a,b~1,2~Total,1~", 1, 2, { row: "~" })).toEqual(["1", "Total,1~"]);
    expect(trailer("a,b~\n1,2~\nTotal,1~\n", 1, 2, { row: "~" })[1]!.trim()).toBe("Total,1~");
  });
});

describe("an escape within quotes", () => {
  it.each(["\n", "\r", "\r\n"])("before a line end keeps it, and the line after it has its number (%j)", (end) => {
    const text = `a,b\n"x\\${end}y",1\nz,2\n`;
    for (const step of [1, 2, 5, 100]) {
      const { records } = readAll(text, { escape: "\\" }, step);
      expect(records.map((r) => [r.cells, r.line])).toEqual([
        [[`x${end}y`, "1"], 2],
        [["z", "2"], 4],
      ]);
    }
  });

  it("before the last byte of a file is one that escapes nothing", () => {
    expect(readAll('a\n"x\\', { escape: "\\" }, 1).records.map((r) => r.reason)).toEqual(["quote"]);
    expect(readAll('a\n"x\\""', { escape: "\\" }, 1).records.map((r) => r.cells)).toEqual([['x"']]);
  });

  it("of a record that is given up leaves those after it as they are", () => {
    const { records } = readAll('a,b\n"x\\"y\n1,"p\\"q"\n', { escape: "\\" });
    expect(records.map((r) => r.cells ?? r.reason)).toEqual(["quote", ["1", 'p"q']]);
  });
});

describe("records at the limit", () => {
  const cell = (length: number): string => "x".repeat(length);

  it("are read up to it and told past it, in quotes or not, and what follows is read", () => {
    for (const [mark, step] of [
      ["", 1 << 20],
      ['"', 1 << 20],
      ["", 4_000_000],
    ] as const) {
      const at = cell(LONGEST_RECORD - 2 * mark.length);
      const text = `a\n${mark}${at}${mark}\nshort\n${mark}${at}y${mark}\nlast\n`;
      const { records } = readAll(text, {}, step);
      expect(records.map((r) => r.reason ?? r.cells![0]!.length)).toEqual([at.length, 5, "too-long", 4]);
      expect(records.map((r) => r.line)).toEqual([2, 3, 4, 5]);
    }
  });
});

describe("text of two bytes a character", () => {
  const utf16 = (units: readonly number[]): Uint8Array => new Uint8Array(units.flatMap((u) => [u & 255, u >> 8]));
  const of = (text: string): number[] => Array.from({ length: text.length }, (_, i) => text.charCodeAt(i));

  it("holds the record with half a pair, and no other", () => {
    const bytes = utf16([...of("a,b\n1,x\n2,"), 0xd83c, ...of("y\n3,🌱\n4,"), 0xdf31, ...of("\n5,end\n")]);
    for (const step of [1, 3, 8, 1000]) {
      const { records } = readAll(bytes, { encoding: "utf-16le" }, step);
      expect(records.map((r) => r.cells?.[1] ?? r.reason)).toEqual(["x", "encoding", "🌱", "encoding", "end"]);
      expect(records.map((r) => r.start)).toEqual([8, 16, 26, 36, 44]);
    }
  });
});
