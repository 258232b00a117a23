import { describe, expect, it } from "vitest";
import type { ReadSettings } from "@/core/read/settings.ts";
import { consistency, guessMarks, rowMark } from "@/core/read/delimited/guess.ts";

const MARKS = { delimiter: ";", quote: '"', escape: '"', comment: "" };
const rows = (n: number, row = "a;b;c"): string => `${row}\n`.repeat(n);

describe("how well marks fit the first lines of a text", () => {
  const tableOf = (text: string, more: object = {}, skip?: number, whole = true) =>
    consistency(text, { ...MARKS, ...more }, skip, whole);

  it("is seen from no more lines than are looked at", () => {
    const { table } = tableOf(rows(5000));
    expect(table.length).toBeGreaterThan(50);
    expect(table.length).toBeLessThan(1000);
    expect(tableOf(rows(table.length - 1)).table).toHaveLength(table.length - 1);
    expect(tableOf(rows(table.length)).table).toHaveLength(table.length);
    expect(tableOf(rows(table.length + 1)).table).toHaveLength(table.length);
  });

  it("leaves the last line out where it may be cut off, and there are others", () => {
    expect(tableOf("a;b\n1;2\n3;", {}, undefined, false).table).toEqual([
      ["a", "b"],
      ["1", "2"],
    ]);
    expect(tableOf("a;b\n1;2\n3;", {}, undefined, true).table).toHaveLength(3);
    expect(tableOf("a;b", {}, undefined, false).table).toHaveLength(1);
  });

  it("is told of the width that most lines have, the first of those as frequent", () => {
    const { score, why } = tableOf(`a;b\n${rows(3)}`);
    expect(why).toBe("3 of the first 4 lines have 3 cells");
    expect(score).toBeCloseTo((3 / 4) ** 2 * 2, 10);
    expect(tableOf("a;b\na;b;c\n").why).toBe("1 of the first 2 lines have 2 cells");
    expect(tableOf("a\nb\n").score).toBe(0);
    expect(tableOf(rows(2, "a;;b;;c"), { delimiter: ";;" }).score).toBeCloseTo(2 * 1.5, 10);
  });

  it("begins behind the lines that are said to be passed over, and is nothing behind the last", () => {
    const text = `x\n"two\nlines";y;z\n${rows(3)}`;
    expect(tableOf(text, {}, 1).table[0]).toEqual(["two\nlines", "y", "z"]);
    // A line within a quoted cell is none that a row begins with: the next one is.
    expect(tableOf(text, {}, 2).table[0]).toEqual(["a", "b", "c"]);
    expect(tableOf(text, {}, 3).lineOf(0)).toBe(3);
    expect(tableOf(text, {}, 99)).toMatchObject({ table: [], score: 0 });
  });

  it("passes over titles above lines of one width, and never where it was said how many", () => {
    const text = (n: number): string => `Seeds of the year\n\n${rows(n, "1;2;3")}`;
    expect(tableOf(text(8))).toMatchObject({ skip: 2 });
    expect(tableOf(text(8)).table).toHaveLength(8);
    expect(tableOf(text(8)).lineOf(1)).toBe(3);
    expect(tableOf(text(2))).toMatchObject({ skip: 0 });
    expect(tableOf(text(8), {}, 0)).toMatchObject({ skip: 0 });
    expect(tableOf(text(8), {}, 0).table).toHaveLength(9);
    // Where no width is that of three lines, it is not known what is a title.
    expect(tableOf("Seeds of the year\n1;2\n3;4\n1;2;3\n4;5;6\n1;2;3;4\n5;6;7;8\n")).toMatchObject({ skip: 0 });
  });

  it("takes comments for no lines, though they count as such", () => {
    const { table, lineOf } = tableOf(`# made;by;hand\n${rows(2)}# end`, { comment: "#" });
    expect(table).toHaveLength(2);
    expect(lineOf(0)).toBe(1);
  });
});

describe("a quoted cell", () => {
  const cells = (text: string, escape: string) => consistency(text, { ...MARKS, escape }, undefined, true);
  it("ends with a quote before which stand no escape, or an even number of them", () => {
    expect(cells('"a\\";b";c\n', "\\").table).toEqual([['a";b', "c"]]);
    expect(cells('"a\\\\";c\n', "\\").table[0]).toHaveLength(2);
    expect(cells('"\\\\\\";b";c\n', "\\").table[0]).toHaveLength(2);
    expect(cells('"\\\\";c\n', "\\").table[0]).toHaveLength(2);
    expect(cells('"a"";b";c\n', '"').table).toEqual([['a";b', "c"]]);
  });

  it("that does not close is counted, and read as it stands", () => {
    expect(cells('"a;b\n"c";d\n', '"')).toMatchObject({ unclosed: 1 });
    expect(cells('"a"x;b\n', '"')).toMatchObject({ unclosed: 1, table: [['"a"x', "b"]] });
    expect(cells('"a";"b"\n', '"')).toMatchObject({ unclosed: 0 });
  });

  it("has an escape of its own where one stands before a quote and leaves fewer unclosed", () => {
    const text = `${'"a\\"b";"c"\n'.repeat(4)}"d";"e"\n`;
    expect(guessMarks(text, undefined, {}, true)).toMatchObject({ delimiter: ";", escape: "\\", unclosed: 0 });
    expect(guessMarks(text, undefined, { escape: '"' }, true).escape).toBe('"');
    expect(guessMarks("a;b\n1;2\n", undefined, {}, true)).toMatchObject({ delimiter: ";", escape: '"', quote: '"' });
    expect(guessMarks("'a;b';c\n'd';e\n'f;g';h\n", undefined, {}, true)).toMatchObject({ delimiter: ";", quote: "'" });
    expect(guessMarks("a;b\n1;2\n", undefined, { delimiter: "," }, true).delimiter).toBe(",");
  });
});

describe("a mark that ends records where line ends do not", () => {
  const of = (text: string, settings: ReadSettings = {}) => rowMark(text, settings);
  it("comes three times at least, with as many cells each time", () => {
    expect(of("a;b~c;d~e;f~g;h~")).toBe("~");
    expect(of("a;b~c;d~e;f~")).toBe("~");
    expect(of("a;b~c;d~")).toBeUndefined();
    expect(of("a;b~c;d;e~e;f~g;h~")).toBeUndefined();
    expect(of("a~c~e~g~")).toBeUndefined();
    // The last may be cut off.
    expect(of("a;b~c;d~e;f~g")).toBe("~");
  });

  it("may have line ends behind it, and none elsewhere but at the end", () => {
    expect(of("a;b~\r\nc;d~\r\ne;f~\r\n")).toBe("~");
    expect(of("a;b~c;d~e;f~g;h\n\n")).toBe("~");
    expect(of("a;b~c\nd;d~e;f~g;h~")).toBeUndefined();
    expect(of("a;b\n~c;d\n~e;f\n~")).toBeUndefined();
  });

  it("is not what was said to be something else", () => {
    expect(of("a;b~c;d~e;f~", { delimiter: "~" })).toBeUndefined();
    expect(of("a;b~c;d~e;f~", { quote: "~" })).toBeUndefined();
  });
});
