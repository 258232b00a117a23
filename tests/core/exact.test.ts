import { strToU8, zipSync } from "fflate";
import { parquetWriteBuffer } from "hyparquet-writer";
import { describe, expect, it } from "vitest";
import { dayText, momentText, timeText } from "@/core/read/logical.ts";
import { elapsedText } from "@/core/read/xlsx/format.ts";
import { shown, takeTypes } from "@/core/read/parquet/format.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { avroBytes, read } from "../support/formats.ts";

const MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";

/** A workbook of one sheet, or several, from pieces of its XML as programs write it. */
function book({
  rows,
  sheets = [{ name: "Seeds", rows }],
  properties = "",
  formats = [],
  after = "",
  strings = [],
}: {
  rows?: string;
  sheets?: readonly { name: string; rows: string | undefined; state?: string }[];
  properties?: string;
  /** Codes of the styles 1, 2, … */
  formats?: readonly string[];
  after?: string;
  strings?: readonly string[];
}): Uint8Array {
  const escaped = (t: string): string => t.replaceAll("&", "&amp;").replaceAll('"', "&quot;").replaceAll("<", "&lt;");
  const files: Record<string, string> = {
    "xl/workbook.xml": `<workbook xmlns="${MAIN}" xmlns:r="x">${properties}<sheets>${sheets
      .map((s, i) => `<sheet name="${s.name}" sheetId="${i + 1}" r:id="r${i}"${s.state ? ` state="${s.state}"` : ""}/>`)
      .join("")}</sheets></workbook>`,
    "xl/_rels/workbook.xml.rels": `<Relationships>${sheets
      .map((_, i) => `<Relationship Id="r${i}" Target="worksheets/s${i}.xml"/>`)
      .join("")}</Relationships>`,
    "xl/styles.xml": `<styleSheet xmlns="${MAIN}"><numFmts>${formats
      .map((f, i) => `<numFmt numFmtId="${200 + i}" formatCode="${escaped(f)}"/>`)
      .join("")}</numFmts><cellXfs><xf numFmtId="0"/>${formats
      .map((_, i) => `<xf numFmtId="${200 + i}"/>`)
      .join("")}</cellXfs></styleSheet>`,
    "xl/sharedStrings.xml": `<sst xmlns="${MAIN}">${strings.map((s) => `<si><t>${s}</t></si>`).join("")}</sst>`,
  };
  sheets.forEach((s, i) => {
    files[`xl/worksheets/s${i}.xml`] =
      `<worksheet xmlns="${MAIN}"><sheetData>${s.rows ?? ""}</sheetData>${after}</worksheet>`;
  });
  return zipSync(Object.fromEntries(Object.entries(files).map(([k, v]) => [k, strToU8(v)])));
}

const text = (at: string, t: string): string => `<c r="${at}" t="inlineStr"><is><t>${t}</t></is></c>`;
const number = (at: string, v: string, style = 0): string => `<c r="${at}" s="${style}"><v>${v}</v></c>`;
const row = (n: number, cells: string, more = ""): string => `<row r="${n}"${more}>${cells}</row>`;
const head = row(1, text("A1", "id") + text("B1", "value"));

/** The second column of a workbook's records. */
async function values(cells: readonly string[], formats: readonly string[] = [], settings: ReadSettings = {}) {
  const rows =
    head + cells.map((c, i) => row(i + 2, text(`A${i + 2}`, `r${i}`) + c.replaceAll("#", `B${i + 2}`))).join("");
  const part = await read("a.xlsx", book({ rows, formats }), settings);
  return { part, values: part.records.map((r) => r["value"]) };
}

describe("a workbook's cells are what the file says", () => {
  it("whole numbers to their last digit, other numbers as fifteen digits show them", async () => {
    const written = [
      "1234567890123456",
      "1234567890123457",
      "12345678901234567890123",
      "0.30000000000000004",
      "1.5E-3",
      "1E+21",
      "-7",
    ];
    expect((await values(written.map((v) => number("#", v)))).values).toEqual([
      ...["1234567890123456", "1234567890123457", "12345678901234567890123"],
      ...["0.3", "0.0015", "1000000000000000000000", "-7"],
    ]);
  });

  it("days of the system of 1904, whatever an extension of it says beside", async () => {
    const rows = head + row(2, text("A2", "x") + number("B2", "1", 1));
    const extension = '<workbookPr date1904="1"/><ext xmlns:x15="y"><x15:workbookPr chartTrackingRefBase="1"/></ext>';
    const of = async (properties: string): Promise<string | undefined> =>
      (await read("a.xlsx", book({ rows, properties, formats: ["yyyy-mm-dd"] }))).records[0]!["value"];
    expect(await of(extension)).toBe("1904-01-02");
    expect(await of('<workbookPr date1904="0"/>')).toBe("1900-01-01");
    expect(await of("")).toBe("1900-01-01");
  });

  it("times that have passed, also over a day", async () => {
    const cells = ["1.1458333333333333", "0.5", "40"].map((v) => number("#", v, 1));
    expect((await values(cells, ["[h]:mm:ss"])).values).toEqual(["27:30:00", "12:00:00", "960:00:00"]);
    expect(
      (
        await values(
          ["0.5"].map((v) => number("#", v, 1)),
          ["h:mm"],
        )
      ).values,
    ).toEqual(["12:00:00"]);
    expect(elapsedText(-0.25)).toBe("-06:00:00");
  });

  it("numbers that are shown with leading zeros as shown, or as stored where that is said, with the reason", async () => {
    const cells = [number("#", "42", 1), number("#", "123456", 1), number("#", "7", 2), number("#", "12.5", 1)];
    const shown = await values(cells, ["00000", '000"-"00']);
    expect(shown.values).toEqual(["00042", "123456", "000-07", "12.5"]);
    expect(shown.part.evidence["as_shown"]).toContain("leading zeros");
    expect((await values(cells, ["00000", '000"-"00'], { as_shown: false })).values).toEqual([
      "42",
      "123456",
      "7",
      "12.5",
    ]);
    const plain = await values([number("#", "42", 1)], ["0.00"]);
    expect(plain.part.evidence["as_shown"]).toBeUndefined();
    expect(plain.values).toEqual(["42"]);
  });

  it("a formula that nobody has worked out is no empty cell: its row is held", async () => {
    const { part } = await values([
      '<c r="#"><f>A2*2</f></c>',
      '<c r="#"><f>A3*2</f><v>4</v></c>',
      '<c r="#" t="str"><f>""</f><v></v></c>',
    ]);
    expect(part.records.map((r) => r["value"] ?? "")).toEqual(["4", ""]);
    expect(part.unreadable).toHaveLength(1);
    expect(part.unreadable[0]!.raw).toContain("=A2*2");
  });

  it("what XML can't have is told from its escape", async () => {
    const rows = head + row(2, `<c r="A2" t="s"><v>0</v></c>` + text("B2", "a_x005F_x000D_b"));
    const part = await read("a.xlsx", book({ rows, strings: ["one_x000D_\ntwo"] }));
    expect(part.records).toEqual([{ id: "one\r\ntwo", value: "a_x000D_b" }]);
  });

  it("merged cells have their value once, or in each where that is wanted", async () => {
    const rows =
      head +
      row(2, text("A2", "north") + number("B2", "1")) +
      row(3, number("B3", "2")) +
      row(4, text("A4", "south") + number("B4", "3"));
    const bytes = book({ rows, after: '<mergeCells><mergeCell ref="A2:A3"/></mergeCells>' });
    expect((await read("a.xlsx", bytes)).records.map((r) => r["id"] ?? "")).toEqual(["north", "", "south"]);
    const filled = await read("a.xlsx", bytes, { fill_merged: true });
    expect(filled.records.map((r) => r["id"])).toEqual(["north", "north", "south"]);
    expect(filled.options).toMatchObject({ fill_merged: true });
  });

  it("a hidden sheet is not taken first, and hidden rows are said", async () => {
    const rows = (v: string): string => head + row(2, text("A2", v) + number("B2", "1"), ' hidden="1"');
    const sheets = [
      { name: "Old", rows: rows("old"), state: "hidden" },
      { name: "Now", rows: rows("now") },
    ];
    const part = await read("a.xlsx", book({ sheets }));
    expect(part.name).toBe("a.xlsx: Now");
    expect(part.evidence).toMatchObject({ sheets: "the first sheet with records; hidden: Old" });
    expect(part.evidence["skip"]).toContain("1 row of the first 2 are hidden");
    const only = await read(
      "a.xlsx",
      book({ sheets: [sheets[0]!, { name: "Cover", rows: row(1, text("A1", "Seeds")) }] }),
    );
    expect(only.name).toBe("a.xlsx: Old");
    expect(only.evidence["sheets"]).toContain("a hidden sheet");
  });
});

/** An OpenDocument spreadsheet of sheets as its program writes them. */
function openDocument(sheets: string, styles = ""): Uint8Array {
  const content = `<office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x" xmlns:style="s" xmlns:calcext="c"><office:automatic-styles>${styles}</office:automatic-styles><office:body><office:spreadsheet>${sheets}</office:spreadsheet></office:body></office:document-content>`;
  return zipSync({
    mimetype: strToU8("application/vnd.oasis.opendocument.spreadsheet"),
    "content.xml": strToU8(content),
  });
}

describe("an OpenDocument spreadsheet's cells are what the file says", () => {
  const cell = (type: string, more: string, shown: string, repeat = ""): string =>
    `<table:table-cell office:value-type="${type}" ${more} ${repeat}><text:p>${shown}</text:p></table:table-cell>`;
  const says = (shown: string, repeat = ""): string => cell("string", "", shown, repeat);
  const line = (cells: string, more = ""): string => `<table:table-row ${more}>${cells}</table:table-row>`;
  const sheet = (rows: string, more = 'table:name="Seeds"'): string => `<table:table ${more}>${rows}</table:table>`;
  const first = line(says("id") + says("value"));
  const empty = '<table:table-cell table:number-columns-repeated="16382"/>';
  const all = async (cells: readonly string[], settings: ReadSettings = {}) => {
    const rows = first + cells.map((c, i) => line(says(`r${i}`) + c + empty)).join("");
    const blank = line(
      '<table:table-cell table:number-columns-repeated="16384"/>',
      'table:number-rows-repeated="1048000"',
    );
    return await read("a.ods", openDocument(sheet(rows + blank)), settings);
  };

  it("by their values and not as shown, days and times as such", async () => {
    const part = await all([
      cell("float", 'office:value="1234567890123456789"', "1.23E+18"),
      cell("percentage", 'office:value="0.125"', "13 %"),
      cell("date", 'office:date-value="2026-05-03"', "3 May"),
      cell("date", 'office:date-value="2026-05-03T04:05:06"', "3 May"),
      cell("time", 'office:time-value="PT27H30M00S"', "27:30"),
      cell("boolean", 'office:boolean-value="true"', "yes"),
      cell("string", "", "two<text:s text:c='2'/>words</text:p><text:p>and a line"),
      cell("float", 'office:value="42"', "00042"),
    ]);
    expect(part.options).toMatchObject({ as: "ods", sheets: ["Seeds"], header: true });
    expect(part.records.map((r) => r["value"])).toEqual([
      ...["1234567890123456789", "0.125", "2026-05-03", "2026-05-03 04:05:06", "27:30:00", "true"],
      ...["two  words\nand a line", "00042"],
    ]);
    expect(part.evidence["as_shown"]).toContain("leading zeros");
    const stored = await all([cell("float", 'office:value="42"', "00042")], { as_shown: false });
    expect(stored.records.map((r) => r["value"])).toEqual(["42"]);
  });

  it("as often as rows and cells are repeated, with their numbers, and an error holds its row", async () => {
    const rows =
      first +
      line(says("x", 'table:number-columns-repeated="2"'), 'table:number-rows-repeated="3"') +
      line(
        says("e") +
          '<table:table-cell office:value-type="string" calcext:value-type="error"><text:p>#N/A</text:p></table:table-cell>',
      );
    const part = await read("a.ods", openDocument(sheet(rows)));
    expect(part.records).toEqual([1, 2, 3].map(() => ({ id: "x", value: "x" })));
    expect(part.unreadable).toMatchObject([{ line: 5 }]);
  });

  it("merged where that is wanted; hidden sheets after those that are shown; notes are no text", async () => {
    const merged = (): string =>
      '<table:table-cell office:value-type="string" table:number-rows-spanned="2"><office:annotation><text:p>a note</text:p></office:annotation><text:p>north</text:p></table:table-cell>';
    const rows = first + line(merged() + says("1")) + line("<table:covered-table-cell/>" + says("2"));
    const styles = '<style:style style:name="h"><style:table-properties table:display="false"/></style:style>';
    const old = sheet(first + line(says("old") + says("0")), 'table:name="Old" table:style-name="h"');
    const bytes = openDocument(old + sheet(rows), styles);
    const part = await read("a.ods", bytes, { fill_merged: true });
    expect(part.name).toBe("a.ods: Seeds");
    expect(part.records.map((r) => r["id"])).toEqual(["north", "north"]);
    expect((await read("a.ods", bytes)).records.map((r) => r["id"] ?? "")).toEqual(["north", ""]);
    expect((await read("a.ods", bytes, { sheets: ["Old"] })).records).toEqual([{ id: "old", value: "0" }]);
  });

  it("or it is said that it is damaged", async () => {
    const bytes = zipSync({
      mimetype: strToU8("application/vnd.oasis.opendocument.spreadsheet"),
      "content.xml": strToU8("<a><b>"),
    });
    await expect(read("a.ods", bytes)).rejects.toMatchObject({ code: "ods-broken" });
    await expect(read("a.ods", "plain text", { as: "ods" })).rejects.toMatchObject({ code: "ods-broken" });
  });
});

describe("Avro's logical types", () => {
  const fixed = { type: "fixed", name: "amount", size: 4, logicalType: "decimal", precision: 9, scale: 2 };
  const bytes = { type: "bytes", logicalType: "decimal", precision: 9, scale: 2 };
  const of = async (type: unknown, value: unknown, field: object = {}): Promise<string | undefined> => {
    const schema = { type: "record", name: "r", fields: [{ name: "v", type, ...field }] };
    return (await read("a.avro", await avroBytes(schema, [{ v: value }], "null"))).records[0]!["v"];
  };
  const amount = Buffer.from([0x30, 0x39]);
  const four = Buffer.from([0, 0, 0x30, 0x39]);

  it("are decimals as bytes and as a fixed number of them, alone, in unions and by name", async () => {
    expect(await of(bytes, amount)).toBe("123.45");
    expect(await of(["null", bytes], amount)).toBe("123.45");
    expect(await of(["null", "string", bytes], amount)).toBe("123.45");
    expect(await of(["null", "string", bytes], "n. a.")).toBe("n. a.");
    expect(await of(fixed, four)).toBe("123.45");
    // Said beside the type, as some programs do.
    expect(await of("bytes", amount, { logicalType: "decimal", precision: 9, scale: 2 })).toBe("123.45");
    const schema = {
      type: "record",
      name: "r",
      fields: [
        { name: "a", type: fixed },
        { name: "b", type: "amount" },
        { name: "c", type: ["null", "amount"] },
      ],
    };
    const part = await read("a.avro", await avroBytes(schema, [{ a: four, b: four, c: four }], "null"));
    expect(part.records).toEqual([{ a: "123.45", b: "123.45", c: "123.45" }]);
    const nested = { ...schema, fields: [...schema.fields, { name: "d", type: { type: "array", items: "amount" } }] };
    const deep = await read(
      "a.avro",
      await avroBytes(nested, [{ a: four, b: four, c: four, d: [four, four] }], "null"),
    );
    expect(deep.records).toEqual([{ a: "123.45", b: "123.45", c: "123.45", d: "123.45; 123.45" }]);
  });

  it("are days, times of day and moments, those of no zone without one", async () => {
    expect(await of({ type: "int", logicalType: "date" }, 20_000)).toBe("2024-10-04");
    expect(await of({ type: "int", logicalType: "time-millis" }, 45_296_789)).toBe("12:34:56.789");
    expect(await of({ type: "long", logicalType: "time-micros" }, 1)).toBe("00:00:00.000001");
    expect(await of({ type: "long", logicalType: "timestamp-millis" }, 1)).toBe("1970-01-01T00:00:00.001Z");
    expect(await of({ type: "long", logicalType: "local-timestamp-micros" }, 2_000_000)).toBe("1970-01-01T00:00:02");
    expect(await of({ type: "long", logicalType: "timestamp-nanos" }, 3)).toBe("1970-01-01T00:00:00.000000003Z");
    expect(timeText(86_400_000n, 1000n)).toBe("86400000");
    expect(momentText(5n, 1000n, "")).toBe("1970-01-01T00:00:00.005");
    expect(dayText(1e12)).toBe("1000000000000");
  });

  it("are identifiers and durations", async () => {
    const id = { type: "fixed", name: "id", size: 16, logicalType: "uuid" };
    expect(await of(id, Buffer.from(Array.from({ length: 16 }, (_, i) => i)))).toBe(
      "00010203-0405-0607-0809-0a0b0c0d0e0f",
    );
    const span = { type: "fixed", name: "span", size: 12, logicalType: "duration" };
    const of12 = (...n: number[]): Buffer => Buffer.from(Uint32Array.from(n).buffer);
    expect(await of(span, of12(14, 3, 1500))).toBe("P14M3DT1.5S");
    expect(await of(span, of12(0, 0, 0))).toBe("PT0S");
  });
});

describe("Parquet's types", () => {
  const leaf = (name: string, type: string, more: object = {}): object => ({
    name,
    type,
    repetition_type: "REQUIRED",
    ...more,
  });
  const of = async (columns: readonly (readonly [object, unknown])[]): Promise<string[]> => {
    const names = columns.map(([c]) => (c as { name: string }).name);
    const file = parquetWriteBuffer({
      columnData: columns.map(([, value], i) => ({ name: names[i]!, data: [value] })),
      schema: [{ name: "root", num_children: columns.length }, ...columns.map(([c]) => c)],
    } as never);
    const [record] = (await read("a.parquet", new Uint8Array(file))).records;
    return names.map((n) => record![n] ?? "");
  };

  it("are times and moments as they are stored, those of no zone without one", async () => {
    const moment = (unit: string, isAdjustedToUTC: boolean): object => ({
      logical_type: { type: "TIMESTAMP", unit, isAdjustedToUTC },
    });
    expect(
      await of([
        [leaf("a", "INT64", moment("NANOS", true)), 1n],
        [leaf("b", "INT64", moment("MICROS", false)), 1_500_000n],
        [leaf("c", "INT32", { converted_type: "TIME_MILLIS" }), 45_296_789],
        [leaf("d", "INT64", { logical_type: { type: "TIME", unit: "MICROS", isAdjustedToUTC: false } }), 1n],
        [leaf("e", "INT64", { converted_type: "TIMESTAMP_MILLIS" }), 1n],
      ]),
    ).toEqual([
      "1970-01-01T00:00:00.000000001Z",
      "1970-01-01T00:00:01.500000",
      "12:34:56.789",
      "00:00:00.000001",
      "1970-01-01T00:00:00.001Z",
    ]);
  });

  it("are decimals of every stored type, to the last digit", async () => {
    const decimal = (scale: number): object => ({ logical_type: { type: "DECIMAL", precision: 30, scale } });
    const fixed = new Uint8Array(16).fill(255);
    expect(
      await of([
        [leaf("a", "INT32", decimal(2)), -5],
        [leaf("b", "INT64", decimal(3)), 1234567890123456789n],
        [leaf("c", "BYTE_ARRAY", decimal(2)), Uint8Array.of(0x30, 0x39)],
        [leaf("d", "FIXED_LEN_BYTE_ARRAY", { ...decimal(4), type_length: 16 }), fixed],
      ]),
    ).toEqual(["-0.05", "1234567890123456.789", "123.45", "-0.0001"]);
  });

  it("are told apart where parts of a record have fields of one name", () => {
    const decimal = (scale: number): object =>
      leaf("amount", "INT32", { converted_type: "DECIMAL", precision: 9, scale });
    const schema = [
      { name: "root", num_children: 3 },
      { name: "price", num_children: 1, repetition_type: "REQUIRED" },
      decimal(2),
      { name: "mass", num_children: 1, repetition_type: "REQUIRED" },
      decimal(3),
      { name: "lots", num_children: 1, repetition_type: "OPTIONAL", converted_type: "LIST" },
      { name: "list", num_children: 1, repetition_type: "REPEATED" },
      leaf("element", "INT32", { converted_type: "DECIMAL", precision: 9, scale: 1 }),
    ];
    const shape = takeTypes({ schema } as never);
    expect(shown({ price: { amount: 12345 }, mass: { amount: 12345 }, lots: [15, 20] }, shape)).toEqual({
      price: { amount: "123.45" },
      mass: { amount: "12.345" },
      lots: ["1.5", "2.0"],
    });
  });
});
