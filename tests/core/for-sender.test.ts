import { unzipSync } from "fflate";
import iconv from "iconv-lite";
import { SaxesParser } from "saxes";
import { describe, expect, it } from "vitest";
import { faultsOf, markOf, senderFile, type ForSender, type Layout } from "@/core/mend/for-sender.ts";
import { FORMAT_PARTS } from "@/core/read/schema.ts";
import { isOwnHeading } from "@/core/kernel/own-columns.ts";
import { letterPage, letterText } from "@/core/mend/letter.ts";
import { mapColumns } from "@/core/map/columns.ts";
import { read } from "../support/formats.ts";
import { readAll } from "../support/read.ts";
import { siftAll } from "../support/sift.ts";
import { planOf } from "../support/plans.ts";

const COLUMNS = ["Nr.", "Name", "Größe"];
const record = (mark: string, cells: string[] | null, ...problems: string[]): ForSender => ({
  cells,
  raw: cells ? "" : "broken\traw;line",
  mark,
  problems,
  faults: new Map(),
});
const RECORDS = [
  record("3-1", ["1", 'Müller; "der Alte"', "5"], "Größe “x” is too much."),
  record("3-7", ["=1+1", " zwei\nZeilen ", "-5"], "Nr. “=1+1” is no number.", "And more."),
  record("4-2", null, "A quote is never closed."),
];

function written(layout: Layout, records: readonly ForSender[] = RECORDS): Buffer {
  const file = senderFile(layout);
  const pieces: Uint8Array[] = [];
  for (const r of records) {
    file.add(r);
    pieces.push(file.take());
  }
  file.end();
  pieces.push(file.take());
  return Buffer.concat(pieces);
}

const delimited = (read: object): Layout => ({
  columns: COLUMNS,
  read: { as: "delimited", delimiter: ";", quote: '"', escape: '"', header: true, encoding: "utf-8", ...read } as never,
});

describe("a file for a sender", () => {
  it.each([
    [{ encoding: "windows-1252" }],
    [{ encoding: "utf-16le", delimiter: "\t" }],
    [{ quote: "'", escape: "'" }],
    [{ escape: "\\" }],
    [{ delimiter: "::" }],
  ])("has their delimiter, quote and encoding, and reads back as it went out: %j", (options) => {
    const layout = delimited(options);
    const { columns, records } = readAll(written(layout), layout.read as never);
    expect(columns).toEqual([...COLUMNS, "sieve mark", "sieve problem"]);
    expect(records.map((r) => r.reason)).toEqual([null, null, null]);
    expect(records[0]!.cells!.slice(0, 4)).toEqual(["1", 'Müller; "der Alte"', "5", "3-1"]);
    expect(records[1]!.cells!.slice(0, 4)).toEqual(["'=1+1", " zwei\nZeilen ", "-5", "3-7"]);
    expect(records[2]!.cells!.slice(0, 4)).toEqual(["broken\traw;line", "", "", "4-2"]);
    const quotes = "encoding" in options && options.encoding === "windows-1252" ? ['"x"', '"=1+1"'] : ["“x”", "“=1+1”"];
    expect(records[0]!.cells![4]).toBe(`Größe ${quotes[0]!} is too much.`);
    expect(records[1]!.cells![4]).toBe(`Nr. ${quotes[1]!} is no number. And more.`);
  });

  it("without a heading has their cells alone, as two more columns would have no names", () => {
    const { records } = readAll(written(delimited({ header: false })), {
      ...(delimited({ header: false }).read as object),
    });
    expect(records[0]!.cells).toHaveLength(3);
  });

  describe.each(["json", "json-lines"] as const)("of who sends %s", (as) => {
    const layout = (read: object = {}, columns = ["lot.id", "n", "tags"]): Layout => ({
      columns,
      read: { as, ...read } as never,
    });
    const raw = [
      '{"lot": {"id": 12345678901234567890}, "n": 1.10, "tags": ["a", "b"]}',
      "{}",
      '{"n": "broken',
      "[1, 2]",
    ];
    const sent = raw.map((r, i) => ({
      ...record(`3-${i + 1}`, i === 2 ? null : ["x", "1.10", "a; b"], `“${i}” \\ "no".`),
      raw: r,
    }));

    it("is what they wrote, with two members more, and reads back as it went out", async () => {
      const bytes = written(layout(), sent);
      const text = bytes.toString();
      expect(text).toContain('{"lot": {"id": 12345678901234567890}, "n": 1.10, "tags": ["a", "b"],"sieve mark":"3-1",');
      expect(text).toContain('{"sieve mark":"3-2","sieve problem":"“1” \\\\ \\"no\\"."}');
      // What is no object is made one, by its cells, or as it came where it could not be read.
      expect(text).toContain('{"lot":{"id":"{\\"n\\": \\"broken"},"n":"","tags":"","sieve mark":"3-3"');
      expect(text).toContain('{"lot":{"id":"x"},"n":"1.10","tags":"a; b","sieve mark":"3-4"');
      if (as === "json-lines") for (const line of text.trim().split("\n")) JSON.parse(line);
      else expect(JSON.parse(text)).toHaveLength(4);
      const { columns, records } = await read(`back.${as === "json" ? "json" : "jsonl"}`, bytes, { as });
      expect([...columns].sort()).toEqual(["lot.id", "n", "sieve mark", "sieve problem", "tags"]);
      expect(records.map((r) => r["sieve mark"])).toEqual(["3-1", "3-2", "3-3", "3-4"]);
      expect(records[0]).toMatchObject({ "lot.id": "12345678901234567890", n: "1.10", tags: "a; b" });
      expect(records[3]).toMatchObject({ "lot.id": "x", n: "1.10", tags: "a; b" });
    });

    it("has one mark alone where it goes to them again", () => {
      const once = written(layout(), [sent[0]!]).toString();
      const line = once.split("\n").find((l) => l.startsWith('{"lot'))!;
      const [own] = written(layout(), [{ ...sent[0]!, raw: line, mark: "9-1" }])
        .toString()
        .split("\n")
        .filter((l) => l.startsWith('{"lot'));
      expect(own).toBe(line.replace("3-1", "9-1"));
      // Written anew by a program of theirs, it is no longer what ends it.
      const spaced = `{"sieve mark": "3-1", "sieve problem": "x", "n": 1}`;
      const other = written(layout(), [{ ...sent[0]!, raw: spaced, mark: "9-1" }]).toString();
      expect(other.match(/sieve mark/g)).toHaveLength(1);
      expect(other).toContain('"n":"1.10"');
    });

    it("is a table where one of their records became several", () => {
      expect(senderFile(layout({ each: "tests" })).ending).toBe("csv");
    });

    it("has its records where they had them", async () => {
      const bytes = written(layout({ records: "$.delivery.lots" }), sent.slice(0, 2));
      if (as === "json-lines") return expect(bytes.toString()).not.toContain("delivery");
      expect(JSON.parse(bytes.toString())).toMatchObject({ delivery: { lots: [{ n: 1.1 }, { "sieve mark": "3-2" }] } });
      const back = await read("back.json", bytes, { as, records: "$.delivery.lots" });
      expect(back.records).toHaveLength(2);
    });
  });

  it("is a workbook where theirs was one, and CSV where it was a document that nobody writes by hand", () => {
    const layout: Layout = { columns: COLUMNS, read: { as: "xlsx" } as never };
    expect(senderFile(layout).ending).toBe("xlsx");
    const sheet = Buffer.from(unzipSync(written(layout))["xl/worksheets/sheet1.xml"]!).toString();
    expect(sheet).toContain("sieve mark");
    expect(sheet).toContain(">=1+1<");
    const other: Layout = { columns: COLUMNS, read: { as: "parquet" } as never };
    expect(senderFile(other).ending).toBe("csv");
    expect(iconv.decode(written(other), "utf-8")).toContain('"Müller; ""der Alte"""');
    expect(senderFile(delimited({ delimiter: "\t" })).ending).toBe("tsv");
    expect(senderFile(delimited({})).ending).toBe("txt");
  });

  it("has its faulty cells coloured in a workbook, with what is wrong as a remark on each", () => {
    const layout: Layout = { columns: COLUMNS, read: { as: "xlsx" } as never };
    const faults = new Map([
      [0, "Nr. “=1+1” is no number."],
      [2, "Größe is empty & must <be> filled."],
    ]);
    const parts = unzipSync(written(layout, [RECORDS[0]!, { ...RECORDS[1]!, cells: ["=1+1", "b", ""], faults }]));
    const text = (name: string): string => Buffer.from(parts[name]!).toString();
    const sheet = text("xl/worksheets/sheet1.xml");
    // The faulty cells alone, an empty one too.
    const coloured = [...sheet.matchAll(/<c r="([A-Z]+\d+)"[^>]* s="4"/g)].map((m) => m[1]);
    expect(coloured).toEqual(["A3", "C3"]);
    expect(text("xl/styles.xml")).toMatch(/<cellXfs count="5">(<xf[^>]*>){4}<xf fillId="2" applyFill="1"\/>/);
    const comments = text("xl/comments1.xml");
    expect([...comments.matchAll(/<comment ref="(\w+)"/g)].map((m) => m[1])).toEqual(["A3", "C3"]);
    expect(comments).toContain("Größe is empty &amp; must &lt;be&gt; filled.");
    const boxes = text("xl/drawings/vmlDrawing1.vml");
    expect([...boxes.matchAll(/<x:Row>(\d+)<\/x:Row><x:Column>(\d+)</g)].map((m) => [m[1], m[2]])).toEqual([
      ["2", "0"],
      ["2", "2"],
    ]);
    // Each part is XML, and is known to the package.
    for (const [name, bytes] of Object.entries(parts)) {
      const parser = new SaxesParser();
      parser.on("error", (error) => {
        throw new Error(`${name}: ${error.message}`);
      });
      parser.write(Buffer.from(bytes).toString()).close();
    }
    const types = text("[Content_Types].xml");
    expect(types).toContain("/xl/comments1.xml");
    expect(types).toContain('Extension="vml"');
    expect(text("xl/worksheets/_rels/sheet1.xml.rels")).toContain("../comments1.xml");
    expect(sheet).toContain('<legacyDrawing r:id="rId1"/></worksheet>');
  });

  it("knows the cells of a record's problems by the names that columns have", () => {
    const fields = planOf([
      { name: "no", type: "integer", also: ["Nr."] },
      { name: "name", type: "text" },
      { name: "garden", type: "text" },
    ]).contract.fields;
    const problem = (field: string, message: string) => ({ field, message });
    const faults = faultsOf(COLUMNS, fields, [
      problem("no", "One."),
      problem("garden", "There is no column of it."),
      problem("", "Of the record."),
      problem("no", "Two."),
      problem("name", "Three."),
    ]);
    expect([...faults]).toEqual([
      [0, "One. Two."],
      [1, "Three."],
    ]);
  });

  it("comes back without columns too many", async () => {
    const fields = [
      { name: "nr", type: "text" },
      { name: "name", type: "text" },
      { name: "groesse", type: "text", also: ["Größe"] },
    ];
    const plan = planOf(fields);
    const { extra } = mapColumns([...COLUMNS, "sieve mark", "Sieve Problem", "else"], plan.contract.fields);
    expect(extra).toEqual(["Größe", "else"].filter((n) => n === "else"));
    const { records } = await siftAll({ ...plan, read: { as: "delimited", delimiter: ";" } as never }, [
      { name: "back.csv", bytes: written(delimited({}), RECORDS.slice(0, 2)) },
    ]);
    expect(records.map((r) => r.problems)).toEqual([[], []]);
  });

  it.each(FORMAT_PARTS.map(({ id }) => id).filter((id) => id !== "delimited"))(
    "is known where it comes back into a feed that is sent %s",
    async (as) => {
      const read = { as } as Layout["read"];
      const file = senderFile({ columns: COLUMNS, read });
      const plan = planOf(["nr", "name", "groesse"].map((name) => ({ name, type: "text", also: ["Größe"] })));
      for (const r of RECORDS.slice(0, 2)) file.add(r);
      const whole: Uint8Array[] = [];
      if (file.ending !== "csv") file.end();
      whole.push(file.take());
      const name = `back.${file.ending}`;
      const { records } = await siftAll({ ...plan, read } as never, [{ name, bytes: Buffer.concat(whole) }]);
      expect(records.map((r) => r.problems)).toEqual([[], []]);
      // Saved by a program that parts its cells otherwise.
      const otherwise = Buffer.from("nr;name;Größe;sieve mark;sieve problem\r\n1;Oak;2;31-1;\r\n");
      const again = await siftAll({ ...plan, read } as never, [{ name: "b.csv", bytes: otherwise }]);
      expect(again.records.map((r) => r.problems)).toEqual([[]]);
    },
  );

  it("is told from what only speaks of marks", () => {
    expect(isOwnHeading('a,"sieve mark","sieve problem"\nx,1-1,')).toBe(true);
    expect(isOwnHeading("a\tSieve Mark\tSieve Problem \r\n")).toBe(true);
    expect(isOwnHeading('{"sieve mark": 1, "sieve problem": 2}')).toBe(false);
    expect(isOwnHeading("a,b\nx,sieve mark,sieve problem")).toBe(false);
    expect(isOwnHeading("my sieve mark,sieve problem")).toBe(false);
  });
});

describe("the letter", () => {
  const example = { file: "a.csv", line: 7, message: "n “x” is no number." };
  const cause = (title: string, count: number): { title: string; count: number; example: typeof example } => ({
    title,
    count,
    example,
  });

  it("says how many, where they are, and the causes by their number with one record each", () => {
    const text = letterText({
      sender: "Mibora",
      feed: "Accessions",
      day: "2026-05-31",
      records: 1204,
      causes: [cause("rare", 4), cause("often", 1200)],
      files: [{ name: "a-to-mend.csv", records: 1204, marked: true }],
    });
    expect(text).toContain("Accessions: 1,204 records to look at, for Mibora\n2026-05-31\n");
    expect(text).toContain("a-to-mend.csv  (1,204 records)");
    expect(text.indexOf("1,200 records: often")).toBeLessThan(text.indexOf("4 records: rare"));
    expect(text).toContain("such as a.csv, line 7: n “x” is no number.");
  });

  it("names a dozen causes and counts the rest; one record is one", () => {
    const causes = Array.from({ length: 15 }, (_, i) => cause(`cause ${i}`, 20 - i));
    const files = [{ name: "f.csv", records: 1, marked: true }];
    const text = letterText({ sender: "", feed: "F", day: "2026-05-31", records: 1, causes, files });
    expect(text).toContain("F: 1 record to look at\n");
    expect(text).toContain("One record of what you have sent could not be loaded yet. It is in:");
    expect(text).toContain("and 21 more problems of other kinds");
    expect(text).not.toContain("cause 12");
  });

  it("speaks of marks only where a file has them", () => {
    const file = (name: string, marked: boolean) => ({ name, records: 1, marked });
    const of = (...files: ReturnType<typeof file>[]): string =>
      letterText({ sender: "", feed: "F", day: "2026-05-31", records: files.length, causes: [], files });
    expect(of(file("a.csv", true))).toContain("Each record ends with two values of ours: “sieve mark”");
    expect(of(file("a.csv", true))).toContain("send the file back.");
    expect(of(file("a.csv", true), file("b.txt", false))).toContain("Each record of a file with a heading ends with");
    expect(of(file("b.txt", false))).not.toContain("sieve mark");
    expect(senderFile({ columns: ["1"], read: { as: "delimited", header: false } }).marked).toBe(false);
    expect(senderFile({ columns: ["a"], read: { as: "delimited" } }).marked).toBe(true);
  });

  it("is a page to print as well, which says the same and has nothing run that a file says", () => {
    const causes = [cause("<script>alert(1)</script>", 2)];
    const files = [{ name: "a&b.csv", records: 2, marked: true }];
    const page = letterPage({ sender: "M & <b>", feed: "F", day: "2026-05-31", records: 2, causes, files });
    expect(page).toContain("<title>F: 2 records to look at, for M &amp; &lt;b&gt;</title>");
    expect(page).toContain("<li>a&amp;b.csv (2 records)</li>");
    expect(page).toContain('<td class="n">2 records</td><td>&lt;script&gt;alert(1)&lt;/script&gt;<br>');
    expect(page).toContain("such as a.csv, line 7: n “x” is no number.");
    expect(page).not.toContain("<script");
  });
});

it("a mark is the load and the record, counted from 1", () => {
  expect(markOf(31, 0)).toBe("31-1");
});
