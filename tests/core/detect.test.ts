import fc from "fast-check";
import iconv from "iconv-lite";
import { gzipSync } from "node:zlib";
import { describe, expect, it } from "vitest";
import { detectDelimited } from "@/core/read/detect.ts";
import { formatOfText } from "@/core/read/source.ts";
import { encodingFor } from "@/core/read/encoding/detect.ts";
import { memoryFile, read, readParts } from "../support/formats.ts";

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

/** A table as a program of some habit would write it. */
interface Habit {
  delimiter: string;
  quote: string;
  escape: string;
  lineEnd: string;
  /** Lines before the header. */
  titles: readonly string[];
}

const NAMES = ["code", "label", "remark", "amount"];

function written(rows: string[][], { delimiter, quote, escape, lineEnd, titles }: Habit): string {
  const cell = (text: string): string =>
    text.includes(delimiter) || text.includes(quote) || /[\r\n\\]/.test(text)
      ? quote + [...text].map((c) => (c === quote || c === escape ? escape + c : c)).join("") + quote
      : text;
  return [...titles, ...[NAMES, ...rows].map((row) => row.map(cell).join(delimiter))].join(lineEnd) + lineEnd;
}

const habits: fc.Arbitrary<Habit> = fc
  .record({
    delimiter: fc.constantFrom(",", ";", "\t", "|", "||", "::"),
    quote: fc.constantFrom('"', "'"),
    backslash: fc.boolean(),
    lineEnd: fc.constantFrom("\n", "\r\n", "\r"),
    titles: fc.constantFrom([], ["Ashmere export"], ["Ashmere export", "of the third of May"]),
  })
  .map(({ backslash, ...habit }) => ({ ...habit, escape: backslash ? "\\" : habit.quote }));

describe("how a delimited file was written is found out", () => {
  it("whatever its delimiter, quotes, escapes, line ends and titles", async () => {
    await fc.assert(
      fc.asyncProperty(habits, fc.infiniteStream(fc.nat(9)), async (habit, digits) => {
        const { delimiter, quote } = habit;
        const digit = (): number => digits.next().value as number;
        const rows = Array.from({ length: 12 }, (_, i) => [
          `K${i}`,
          // Every habit shows: a delimiter within a cell, and a quote within another.
          `left${delimiter}right ${digit()}`,
          i % 3 === 0 ? `they call it ${quote}oak${quote}, ${digit()} of them` : `plain ${digit()}`,
          `${digit()}${digit()}`,
        ]);
        const part = await read("a.csv", written(rows, habit));
        expect(part.options).toMatchObject({ delimiter, quote, escape: habit.escape, skip: habit.titles.length });
        expect(part.records.map((r) => NAMES.map((n) => r[n]))).toEqual(rows);
        expect(part.unreadable).toEqual([]);
      }),
      { numRuns: 200 },
    );
  });

  it("by lines that all have as many words, where nothing else stands out", async () => {
    const part = await read(
      "a.txt",
      `id name qty\n${Array.from({ length: 9 }, (_, i) => `${i} n${i} ${i * 3}`).join("\n")}\n`,
    );
    expect(part.options).toMatchObject({ as: "delimited", delimiter: " " });
    expect(part.records[4]).toEqual({ id: "4", name: "n4", qty: "12" });
    // Two words a line are names of plants, and lines of different lengths are sentences.
    for (const text of ["plant name\nPrimula veris\nThymus vulgaris\nAcer rubrum\n", "a b c\nd e f\ng h\ni j k\n"]) {
      expect(detectDelimited(bytes(text), true).options.delimiter).toBe(",");
    }
  });

  it("with reasons that say what was seen and what was set", () => {
    const text = "id,say\n1,'a, \\'b\\''\n2,'c, d'\n3,'e, f'\n";
    const { evidence, options } = detectDelimited(bytes(text), true);
    expect(options).toMatchObject({ quote: "'", escape: "\\" });
    expect(evidence).toMatchObject({
      delimiter: "4 of the first 4 lines have 2 cells",
      escape: "a backslash stands before quotes in cells",
    });
    const set = detectDelimited(bytes(text), true, { delimiter: ",", quote: '"', escape: '"', skip: 0, header: true });
    expect(set.options).toMatchObject({ quote: '"', escape: '"' });
    expect(Object.values(set.evidence).filter((e) => e === "as set")).toHaveLength(5);
  });

  it("and an apostrophe in a word is no quote, nor a backslash at a cell's end an escape", () => {
    const names = `name,from\n${Array.from({ length: 8 }, (_, i) => `O'Hara ${i},d'Arc ${i}`).join("\n")}\n`;
    expect(detectDelimited(bytes(names), true).options).toMatchObject({ quote: '"', escape: '"' });
    const paths = `id,path\n${Array.from({ length: 8 }, (_, i) => `${i},"C:\\seeds, old\\"`).join("\n")}\n`;
    expect(detectDelimited(bytes(paths), true).options).toMatchObject({ escape: '"' });
  });
});

describe("the encoding of a text", () => {
  const of = (text: string, label: string): string =>
    encodingFor(new Uint8Array(iconv.encode(text, label)), true, undefined).encoding;
  const table = (values: readonly string[], rows = 40): string =>
    `id,name,place\n${Array.from({ length: rows }, (_, i) => `${i},${values[i % values.length]},${values[(i + 1) % values.length]}`).join("\n")}\n`;

  it.each([
    ["shift_jis", "shiftjis", ["山田太郎", "鈴木花子", "東京都千代田区", "札幌市"]],
    ["shift_jis", "shiftjis", ["サクラ", "まつ", "竹林の道"]],
    ["gb18030", "gb18030", ["张伟", "王芳", "北京市", "广州市"]],
    ["windows-1252", "win1252", ["Hélène Côté", "François Müller", "Málaga"]],
    ["macintosh", "macroman", ["Hélène Côté", "François Müller", "Zoë Ångström"]],
    ["iso-8859-15", "iso885915", ["Hélène 5 €", "François Müller", "Málaga"]],
    ["windows-1250", "win1250", ["Żółw", "Příliš žluťoučký", "Kovács Őrs"]],
    ["utf-16le", "utf16-le", ["Hélène", "Żółw", "山田"]],
    ["utf-16be", "utf16-be", ["Hélène", "Żółw", "plain"]],
    ["utf-8", "utf8", ["Hélène", "Żółw", "山田"]],
  ] as const)("is found to be %s (%s) however few records there are", (encoding, label, values) => {
    for (const rows of [4, 12, 40, 300]) expect([rows, of(table(values, rows), label)]).toEqual([rows, encoding]);
  });

  it("is not one of several bytes a character for letters with accents among others", () => {
    // Each of these bytes and the one after it would be a character of such an encoding.
    for (const words of [
      ["été", "forêt"],
      ["Göttingen", "Süd"],
      ["año", "niño"],
      ["Ærø", "Åse"],
    ]) {
      expect(of(table(words), "win1252")).toBe("windows-1252");
    }
  });

  it("stays UTF-8 where a few bytes are broken, and is refused where it is no text", () => {
    const broken = bytes(table(["Hélène", "Żółw"]));
    broken[20] = 0xff;
    expect(encodingFor(broken, true, "auto")).toMatchObject({ encoding: "utf-8" });
    expect(() => encodingFor(new Uint8Array(500), true, undefined)).toThrow("not text");
    expect(() => encodingFor(bytes("a"), true, "klingon")).toThrow("not one that can be read");
    expect(encodingFor(bytes("a"), true, "latin1").why).toBe("as set");
  });
});

describe("the format of a text", () => {
  it.each([
    ["xml", "a.txt", '<?xml version="1.0"?><a/>'],
    ["json", "a.txt", '[{"a": 1}]'],
    ["json-lines", "a.txt", '{"a": 1}\n{"a": 2}\n'],
    ["delimited", "a.txt", "a,b\n1,2\n3,4\n5,6\n"],
    ["fixed", "a.txt", "A1  oak   12\nB2  elm    3\nC33 ash  144\n"],
    ["delimited", "a.csv", "A1  oak   12\nB2  elm    3\nC33 ash  144\n"],
    ["delimited", "a.txt", "<5 of them\n<7 of them\n"],
  ] as const)("is %s for what %s begins with", (as, name, text) => {
    expect(formatOfText(text, name).part.id).toBe(as);
  });
});

describe("a packed file that breaks off", () => {
  it("shows what stood before, though that is less than is looked at to find out what it is", async () => {
    // Numbers that hardly repeat, so that half of the bytes are about half of the records.
    const text = `id,n\n${Array.from({ length: 2000 }, (_, i) => `${i},${(i * 7919) % 100003}`).join("\n")}\n`;
    const packed = gzipSync(text);
    const { parts, error } = await readParts(memoryFile("a.csv.gz", packed.subarray(0, packed.length / 2)));
    expect(error?.message).toMatch(/damaged or not whole/);
    const { records } = parts[0]!;
    expect(records.length).toBeGreaterThan(500);
    records.forEach((r, i) => expect(r).toEqual({ id: String(i), n: String((i * 7919) % 100003) }));
  });
});
