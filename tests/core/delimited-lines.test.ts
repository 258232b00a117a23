import { describe, expect, it } from "vitest";
import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import { CSV, readAll } from "../support/read.ts";

const cells = (text: string, options: object = {}, step?: number): (string[] | null)[] =>
  readAll(text, options, step).records.map((r) => r.cells);

describe("where a record stands is known", () => {
  it.each([1, 2, 5, 1000])("also behind one whose quote was a stray one, in pieces of %i bytes", (step) => {
    const text = 'a,b\r\n"x\r\ny\nz","open\r\n1,2\r\n"p\r\rq",3\r\n4,5\r\n';
    const { records } = readAll(text, {}, step);
    expect(records.map((r) => [r.line, r.reason, r.cells?.join("/")])).toEqual([
      // Three line ends within the cell that is closed, none within the one that is not.
      [2, "quote", undefined],
      [5, null, "1/2"],
      [6, null, "p\r\rq/3"],
      [9, null, "4/5"],
    ]);
  });

  it("a line end of two bytes within quotes is one", () => {
    const { records } = readAll('a,b\n"x\r\n\r\ny",1\n"u\n\nv",2\n3,4\n');
    expect(records.map((r) => r.line)).toEqual([2, 5, 8]);
  });
});

describe("cells past the columns", () => {
  it("do not disturb the record after them, whatever is within their quotes", () => {
    const { records } = readAll('a,b\n1,2,"c""d","e""f"\nx""y,z""w\n"p""q",r\n');
    expect(records.map((r) => [r.reason, r.cells])).toEqual([
      ["too-many-cells", null],
      [null, ['x""y', 'z""w']],
      [null, ['p"q', "r"]],
    ]);
  });

  it("of a record whose quote was a stray one do neither", () => {
    const { records } = readAll('a,b\n"p""q","r""s\nx""y,z\n');
    expect(records.map((r) => [r.reason, r.cells])).toEqual([
      ["quote", null],
      [null, ['x""y', "z"]],
    ]);
  });
});

describe("names of columns", () => {
  it("have no blanks around them, and one of blanks alone is numbered", () => {
    expect(readAll("  a ,  ,c\t\n1,2,3\n").columns).toEqual(["a", "column 2", "c"]);
  });
});

describe("a delimiter of several characters", () => {
  it.each([1, 2, 3, 4, 7, 1000])("is found in pieces of %i bytes, and parts of it are values", (step) => {
    expect(cells('a||b\n1|2||3\n|x||"y||z"\n4|||5\n"q"||\n', { delimiter: "||" }, step)).toEqual([
      ["1|2", "3"],
      ["|x", "y||z"],
      ["4", "|5"],
      ["q", ""],
    ]);
  });

  it("may end with the quote, but not begin with it", () => {
    expect(cells('a;"b\n1;"2\n', { delimiter: ';"' })).toEqual([["1", "2"]]);
    expect(() => cells("a\n", { delimiter: '";' })).toThrow("The delimiter can't begin with");
  });
});

describe("a mark that ends records", () => {
  it.each([1, 2, 3, 1000])("takes the line ends behind it along, and no others, in pieces of %i bytes", (step) => {
    expect(cells("a,b~\r\n1,x\ny~\n\n\r2,z~3,w\n~\n", { row: "~" }, step)).toEqual([
      ["1", "x\ny"],
      ["2", "z"],
      ["3", "w\n"],
    ]);
  });
});

describe("lines at the end", () => {
  it("may be empty ones, each of which is a line", () => {
    expect(cells("a\n1\n2\n\n", { skip_end: 1 })).toEqual([["1"], ["2"]]);
    expect(cells("a\n1\n2\n\n\n", { skip_end: 3 })).toEqual([["1"]]);
    expect(cells("a~1~2~\n\n", { row: "~", skip_end: 1 })).toEqual([["1"]]);
    expect(cells("a\n1\n", { skip_end: 5 })).toEqual([]);
  });
});

describe("blocks", () => {
  it("of a wide file have fewer records, so that none has more than 131,072 cells", () => {
    const width = 1000;
    const line = `${Array.from({ length: width }, (_, i) => `c${i}`).join(",")}\n`;
    const reader = new DelimitedReader(CSV);
    const counts = [...reader.push(new TextEncoder().encode(line.repeat(301)), true)].map((b) => b.count);
    expect(counts).toEqual([131, 131, 38]);
    const narrow = [...new DelimitedReader(CSV).push(new TextEncoder().encode("a\n".repeat(10_001)), true)];
    expect(narrow.map((b) => b.count)).toEqual([8192, 1808]);
  });
});
