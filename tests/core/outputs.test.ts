import fc from "fast-check";
import { csvRow } from "@/core/write/csv.ts";
import avro from "avsc";
import { parse as parseCsv } from "csv-parse/sync";
import { parquetReadObjects } from "hyparquet";
import { strFromU8, unzipSync } from "fflate";
import { SaxesParser } from "saxes";
import { describe, expect, it } from "vitest";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { decodeText } from "@/core/read/encoding/decode.ts";
import { outputOf } from "@/core/write/records/index.ts";
import { encoderOf } from "@/core/write/encode.ts";
import { ELEMENT_NAME, unfitSetting } from "@/core/write/records/part.ts";
import { OUTPUTS } from "@/core/write/records/parts.ts";
import { unitsOf } from "@/core/type/scaled.ts";
import { jsonObjects, textOfValue } from "@/core/write/records/typed.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll, type FileInMemory } from "../support/sift.ts";

/** Records on their way out, read back by other programs' readers and by our own. */

const FIELDS = [
  { name: "id", type: "text", length: 40 },
  { name: "n", type: "integer" },
  { name: "g", type: "decimal", precision: 30, scale: 10 },
  { name: "price", type: "money", currency: "EUR" },
  { name: "paid", type: "money" },
  { name: "wild", type: "boolean", words: { yes: ["ja", "true"], no: ["nein", "false"] } },
  { name: "day", type: "date", formats: ["yyyy-MM-dd"] },
  { name: "opens", type: "time", formats: ["HH:mm:ss.SSSSSS", "HH:mm"] },
  { name: "at", type: "timestamp", formats: ["yyyy-MM-dd'T'HH:mm:ss.SSSSSSXXX", "yyyy-MM-dd'T'HH:mm:ssXXX"] },
  { name: "kind", type: "code", values: ["a,b", "c"] },
  { name: "ref", type: "uuid" },
  { name: "tags", type: "list", of: "text", by: ";" },
  { name: "counts", type: "list", of: "integer", by: "," },
  { name: "more", type: "json" },
];
const plan = planOf(FIELDS);
const fields = plan.contract.fields;

const IN = [
  "id,n,g,price,paid,wild,day,opens,at,kind,ref,tags,counts,more",
  `"a ""b"", <c> & d",9007199254740993,12345678901234567890.0123456789,"1,234.50",12.5 GBP,ja,2026-05-31,09:30,2026-05-31T14:05:09+02:00,"a,b",0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01,elm; ash,"3,1","{""g"": 1.50, ""h"": [1]}"`,
  `"two\nlines",-5,-0.5,0,,nein,0001-01-01,23:59:59.000001,1969-12-31T23:59:59.000001Z,c,,"[""a;b"","" x""]",,`,
  "Zoë 🌱,,,,,,,,,,,,,",
].join("\n");

/** What a plan makes of a file, and all of it in a format. */
async function written(
  id: string,
  of: Plan = plan,
  file: FileInMemory = csv(IN),
): Promise<{ bytes: Uint8Array; values: string[][] }> {
  const { records } = await siftAll(of, [file]);
  expect(records.map((r) => r.problems.map((p) => p.message)).flat()).toEqual([]);
  const values = records.map((r) => r.values);
  const writer = OUTPUTS.find((o) => o.id === id)!.open(of.contract.fields, of.feed);
  const pieces: Uint8Array[] = [];
  for (const v of values) {
    writer.add(v);
    pieces.push(writer.take());
  }
  writer.end();
  pieces.push(writer.take());
  return { bytes: Buffer.concat(pieces), values };
}

describe("every format", () => {
  it.each(OUTPUTS.map((o) => [o.id, o.extensions[0]!]))("%s is read again as it went out", async (id, extension) => {
    // Lists of a JSON, XML or Parquet file come joined by the mark that the contract knows.
    const { bytes, values } = await written(id);
    const again = { ...plan, read: { as: /csv|tsv/.test(id) ? "delimited" : id } as never };
    const documents = { json: true, "json-lines": true, parquet: true, avro: true, xml: true } as Record<
      string,
      boolean
    >;
    const { records } = await siftAll(
      {
        ...again,
        read: { ...(again.read as object), ...(documents[id] ? { arrays: { "*": { take: "json" } } } : {}) } as never,
      },
      [{ name: `out.${extension}`, bytes }],
    );
    // A decimal column of Parquet has as many decimals in every value.
    const plain = (f: Field, v: string): string =>
      f.type === "json"
        ? v.replace(/\s/g, "")
        : (f.type === "decimal" || f.currency !== undefined) && v.includes(".")
          ? v.replace(/\.?0+$/, "")
          : v;
    const own = fields.filter(
      (f) =>
        !(id === "xml" && (f.type === "list" || f.type === "json")) &&
        !(documents[id] && f.type === "json") &&
        // Cells of a workbook know no zone.
        !(id === "xlsx" && f.type === "timestamp"),
    );
    const pick = (all: readonly string[]): string[] => own.map((f) => plain(f, all[fields.indexOf(f)]!));
    const mapped = records.map((r) => r.values);
    expect(mapped.map(pick)).toEqual(values.map(pick));
  });

  it("without a record is whole all the same", async () => {
    for (const { id, extensions } of OUTPUTS.filter((o) => o.id !== "csv-for-spreadsheets")) {
      const writer = OUTPUTS.find((o) => o.id === id)!.open(fields, "things");
      writer.end();
      const bytes = writer.take();
      if (id === "json") expect(JSON.parse(Buffer.from(bytes).toString())).toEqual([]);
      if (id === "parquet")
        expect(
          await parquetReadObjects({
            file: bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer,
          }),
        ).toEqual([]);
      expect(outputOf(`x.${extensions[0]!.toUpperCase()}`).id).toBe(id);
    }
    expect(outputOf("good").id).toBe("csv");
  });
});

describe("read by other readers", () => {
  it("CSV has the contract's own words, every digit and every letter", async () => {
    const { bytes } = await written("csv");
    const rows = parseCsv(Buffer.from(bytes), { columns: true }) as Record<string, string>[];
    expect(rows[0]).toEqual({
      id: 'a "b", <c> & d',
      n: "9007199254740993",
      g: "12345678901234567890.0123456789",
      price: "1234.50",
      paid: "12.50 GBP",
      wild: "ja",
      day: "2026-05-31",
      opens: "09:30:00.000000",
      at: "2026-05-31T12:05:09.000000Z",
      kind: "a,b",
      ref: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
      tags: "elm;ash",
      counts: "3,1",
      more: '{"g": 1.50, "h": [1]}',
    });
    expect(rows[1]).toMatchObject({ id: "two\nlines", tags: '["a;b"," x"]' });
    expect(rows[2]!["id"]).toBe("Zoë 🌱");
  });

  it("JSON is typed, and numbers have all their digits", async () => {
    const text = Buffer.from((await written("json")).bytes).toString();
    expect(text).toContain('"n":9007199254740993,"g":12345678901234567890.0123456789,"price":1234.50,');
    const all = JSON.parse(text) as Record<string, unknown>[];
    expect(all[0]).toMatchObject({
      wild: true,
      tags: ["elm", "ash"],
      counts: [3, 1],
      more: { g: 1.5, h: [1] },
      paid: "12.50 GBP",
    });
    expect(all[2]).toMatchObject({ id: "Zoë 🌱", n: null, tags: null, more: null });
    const lines = Buffer.from((await written("json-lines")).bytes)
      .toString()
      .trimEnd()
      .split("\n");
    expect(lines.map((l) => JSON.parse(l) as unknown)).toEqual(all);
  });

  it("XML is well formed, an element a value", async () => {
    const text = Buffer.from((await written("xml")).bytes).toString();
    const parser = new SaxesParser();
    const seen: string[] = [];
    let own = "";
    parser.on("text", (t) => (own += t));
    parser.on("opentag", () => (own = ""));
    parser.on("closetag", (t) => seen.push(`${t.name}=${own.trim()}`));
    parser.on("error", (error) => {
      throw error;
    });
    parser.write(text).close();
    expect(seen).toContain('id=a "b", <c> & d');
    expect(seen.filter((s) => s.startsWith("value="))).toEqual([
      "value=elm",
      "value=ash",
      "value=3",
      "value=1",
      "value=a;b",
      "value=x",
    ]);
    expect(seen.at(-1)).toMatch(/^things=/);
  });

  it("a workbook is typed where a cell keeps all of it, and runs nothing", async () => {
    const { bytes } = await written("xlsx");
    const parts = unzipSync(bytes);
    const text = (name: string): string => strFromU8(parts[name]!);
    for (const name of Object.keys(parts)) new SaxesParser({ xmlns: true }).write(text(name)).close();
    const sheet = text("xl/worksheets/sheet1.xml");
    const cell = (at: string): string => new RegExp(`<c r="${at}".*?</c>`, "s").exec(sheet)?.[0] ?? "";
    expect(cell("A1")).toBe('<c r="A1" t="inlineStr" s="1"><is><t xml:space="preserve">id</t></is></c>');
    expect(cell("A2")).toContain('a "b", &lt;c&gt; &amp; d');
    // Sixteen digits are more than a number of a workbook keeps.
    expect([cell("B2"), cell("B3")]).toEqual([
      '<c r="B2" t="inlineStr"><is><t xml:space="preserve">9007199254740993</t></is></c>',
      '<c r="B3"><v>-5</v></c>',
    ]);
    expect(cell("D2")).toBe('<c r="D2"><v>1234.5</v></c>');
    expect(cell("F2")).toBe('<c r="F2" t="b"><v>1</v></c>');
    expect(cell("G2")).toBe('<c r="G2" s="2"><v>46173</v></c>');
    expect(cell("G3")).toContain("0001-01-01");
    const [, days] = /<v>(.*?)<\/v>/.exec(cell("I2"))!;
    expect(Math.round((Number(days) - 25_569) * 86_400)).toBe(Date.parse("2026-05-31T12:05:09Z") / 1000);
    expect(cell("I3")).toContain("1969-12-31T23:59:59.000001Z");
    expect(cell("N4")).toBe("");

    const own = planOf([{ name: "a", type: "text" }]);
    const odd = ["=1+1", "_x0041_", "bell\u0007", "+43 1", "a\rb"];
    const file = { name: "in.json", bytes: Buffer.from(JSON.stringify(odd.map((a) => ({ a })))) };
    const asJson = { ...own, read: { as: "json" } as never };
    const out = await written("xlsx", asJson, file);
    const { records } = await siftAll({ ...own, read: { as: "xlsx" } as never }, [
      { name: "o.xlsx", bytes: out.bytes },
    ]);
    expect(records.map((r) => r.values[0])).toEqual(odd);
    expect(strFromU8(unzipSync(out.bytes)["xl/worksheets/sheet1.xml"]!)).not.toContain("<f>");
  });

  it("CSV for spreadsheets has nothing that they run", async () => {
    const own = planOf([{ name: "a", type: "text" }]);
    const { bytes } = await written("csv-for-spreadsheets", own, csv('a\n=1+1\n"-2+3"\n-5\nplain\n'));
    expect(Buffer.from(bytes).toString()).toBe("a\r\n'=1+1\r\n'-2+3\r\n-5\r\nplain\r\n");
  });

  it("a workbook refuses what no sheet can have", () => {
    const writer = OUTPUTS.find((o) => o.id === "xlsx")!.open(fields, "things");
    expect(() => writer.add(["x".repeat(32_768), ...fields.slice(1).map(() => "")])).toThrow("longer than a cell");
    const one = OUTPUTS.find((o) => o.id === "xlsx")!.open(fields.slice(0, 1), "things");
    for (let i = 1; i < 1_048_576; i++) {
      one.add([""]);
      if (i % 10_000 === 0) one.take();
    }
    expect(() => one.add([""])).toThrow("at most 1,048,575 records");
  });

  it("XML calls its root and its records as it is told", () => {
    const one = fields.slice(0, 1);
    const of = (text?: { root?: string; record?: string }): string => {
      const writer = OUTPUTS.find((o) => o.id === "xml")!.open(one, "things", text);
      writer.add(["x1"]);
      writer.end();
      return Buffer.from(writer.take()).toString().split("\n").slice(1).join("");
    };
    const id = one[0]!.name;
    expect(of()).toBe(`<things><record><${id}>x1</${id}></record></things>`);
    expect(of({ root: "Lots" })).toBe(`<Lots><record><${id}>x1</${id}></record></Lots>`);
    expect(of({ root: "lots", record: "lot" })).toBe(`<lots><lot><${id}>x1</${id}></lot></lots>`);
    for (const name of ["lot", "Lot-1", "_x.y"]) expect(ELEMENT_NAME.test(name)).toBe(true);
    for (const name of ["", "1a", "a b", "xmlish", "a:b", "a>", "é"]) expect(ELEMENT_NAME.test(name)).toBe(false);
  });

  it("says what a format has not", () => {
    const part = (id: string) => OUTPUTS.find((o) => o.id === id)!;
    expect(unfitSetting(part("xml"), { root: "a", record: "b" })).toBeNull();
    expect(unfitSetting(part("xml"), { delimiter: ";" })).toBe("delimiter");
    expect(unfitSetting(part("csv"), { delimiter: ";", encoding: "utf-8" })).toBeNull();
    expect(unfitSetting(part("csv"), { record: "b" })).toBe("element of a record");
    expect(unfitSetting(part("parquet"), { root: "a" })).toBe("root element");
  });

  it("refuses in XML what no XML can have, and says what to do", () => {
    const writer = OUTPUTS.find((o) => o.id === "xml")!.open(fields, "things");
    expect(() => writer.add(["a\u0001", ...fields.slice(1).map(() => "")])).toThrow("a character that XML can't have");
  });

  it("Parquet is typed, exact, and in groups", async () => {
    const { bytes } = await written("parquet");
    const file = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer;
    const [first, second, third] = await parquetReadObjects({ file });
    expect(first).toMatchObject({
      n: 9007199254740993n,
      wild: true,
      day: new Date("2026-05-31T00:00:00Z"),
      at: new Date("2026-05-31T12:05:09Z"),
      tags: ["elm", "ash"],
      price: 1234.5,
    });
    expect(second).toMatchObject({ n: -5n, day: new Date("0001-01-01T00:00:00Z"), tags: ["a;b", " x"] });
    expect(third).toMatchObject({ id: "Zoë 🌱", n: null });
    const own = planOf([{ name: "n", type: "integer" }]);
    const many = csv(`n\n${Array.from({ length: 45_000 }, (_, i) => i).join("\n")}\n`);
    const big = (await written("parquet", own, many)).bytes;
    const rows = await parquetReadObjects({
      file: big.buffer.slice(big.byteOffset, big.byteOffset + big.length) as ArrayBuffer,
    });
    expect([rows.length, rows[44_999]]).toEqual([45_000, { n: 44_999n }]);
  });
});

describe("Avro", () => {
  /** Records as the library's own decoder gives them. */
  async function decoded(bytes: Uint8Array): Promise<Record<string, unknown>[]> {
    const decoder = new avro.streams.BlockDecoder();
    const found: Record<string, unknown>[] = [];
    decoder.on("data", (record: Record<string, unknown>) => found.push({ ...record }));
    const ended = new Promise((resolve, reject) => decoder.on("end", resolve).on("error", reject));
    decoder.end(Buffer.from(bytes));
    await ended;
    return found;
  }

  it("is typed and exact, and read by another decoder, in blocks", async () => {
    // That decoder reads no whole numbers past 2^53.
    const own = planOf(FIELDS.filter((f) => f.name !== "n" && f.name !== "at"));
    const [first, second, third] = await decoded((await written("avro", own)).bytes);
    expect(first).toMatchObject({
      id: 'a "b", <c> & d',
      wild: true,
      day: 20604,
      tags: ["elm", "ash"],
      counts: ["3", "1"],
    });
    const units = (value: unknown): bigint =>
      BigInt.asIntN(
        128,
        BigInt(`0x${(value as Buffer).toString("hex").padStart(32, (value as Buffer)[0]! > 127 ? "f" : "0")}`),
      );
    expect(units(first!["g"])).toBe(123456789012345678900123456789n);
    expect(units(first!["price"])).toBe(12345000n);
    expect(units(second!["g"])).toBe(-5000000000n);
    expect(second).toMatchObject({ tags: ["a;b", " x"], ref: null, counts: null });
    expect(third).toMatchObject({ id: "Zoë 🌱", g: null, wild: null });
    const many = csv(`n\n${Array.from({ length: 4_500 }, (_, i) => i - 2000).join("\n")}\n`);
    const numbers = await decoded((await written("avro", planOf([{ name: "n", type: "integer" }]), many)).bytes);
    expect([numbers.length, numbers[0], numbers[4_499]]).toEqual([4_500, { n: -2000 }, { n: 2_499 }]);
  });

  it.each(["0", "1", "-1", "126", "127", "128", "-128", "-129", "255", "256", "-32768", "99999999999999999999"])(
    "keeps %s as a decimal",
    async (n) => {
      const own = planOf([{ name: "n", type: "decimal", precision: 30, scale: 0 }]);
      const { bytes } = await written("avro", own, csv(`n\n${n}\n`));
      const again = await siftAll({ ...own, read: { as: "avro" } }, [{ name: "a.avro", bytes }]);
      expect(again.records[0]!.values).toEqual([n]);
    },
  );
});

describe("whole numbers in Avro", () => {
  const edges = [
    0n,
    1n,
    -1n,
    63n,
    64n,
    -64n,
    -65n,
    2n ** 31n,
    -(2n ** 31n),
    2n ** 51n - 1n,
    2n ** 51n,
    -(2n ** 51n),
    2n ** 53n + 1n,
    2n ** 63n - 1n,
    -(2n ** 63n),
  ];
  it("come back with each digit", async () => {
    const own = planOf([{ name: "n", type: "integer" }]);
    const { bytes } = await written("avro", own, csv(`n\n${edges.join("\n")}\n`));
    const again = await siftAll({ ...own, read: { as: "avro" } }, [{ name: "a.avro", bytes }]);
    expect(again.records.map((r) => r.values[0])).toEqual(edges.map(String));
  });
});

describe("delimited text in another encoding", () => {
  const own = planOf([
    { name: "a", type: "text" },
    { name: "b", type: "text" },
  ]);
  const bytesOf = (encoding: string, delimiter: string | undefined, ...rows: string[][]): Uint8Array => {
    const writer = OUTPUTS[0]!.open(own.contract.fields, "x", { encoder: () => encoderOf(encoding), delimiter });
    const parts = rows.map((r) => {
      writer.add(r);
      return writer.take();
    });
    writer.end();
    return Buffer.concat([...parts, writer.take()]);
  };

  it("has every letter of it, and any delimiter", () => {
    const bytes = bytesOf("windows-1252", ";", ["Zoë; x", "“€”"], ["a,b", ""]);
    expect(decodeText(bytes, "windows-1252")).toBe('a;b\r\n"Zoë; x";“€”\r\na,b;\r\n');
    const wide = bytesOf("utf-16le", undefined, ["ą", "z"], ["č", ""]);
    expect([wide[0], wide[1]]).toEqual([0xff, 0xfe]);
    expect(new TextDecoder("utf-16le").decode(wide)).toBe("a,b\r\ną,z\r\nč,\r\n");
    expect(new TextDecoder().decode(bytesOf("utf-8", "||", ["x", "y"]))).toBe("a||b\r\nx||y\r\n");
  });

  it("is refused where a letter would be lost, and where there is no such encoding", () => {
    expect(() => bytesOf("windows-1252", undefined, ["Łódź", ""])).toThrow("“Ł” can't be written in windows-1252.");
    expect(() => bytesOf("windows-1250", undefined, ["Łódź", ""])).not.toThrow();
    expect(() => bytesOf("utf-9", undefined)).toThrow("There is no encoding “utf-9” to write.");
  });
});

describe("values in another form", () => {
  it.each([
    [{ name: "a", type: "decimal", precision: 9, scale: 3 }, "007.50", "7.50"],
    [{ name: "a", type: "decimal", precision: 9, scale: 3 }, "-.5", "-0.5"],
    [{ name: "a", type: "integer" }, "-0012", "-12"],
    [{ name: "a", type: "boolean" }, "f", "false"],
    [{ name: "a", type: "text" }, 'a"\n', '"a\\"\\n"'],
    [{ name: "a", type: "list", of: "decimal" }, '{"1.50","-2"}', "[1.50,-2]"],
    [{ name: "a", type: "text" }, "", "null"],
  ] as [Field, string, string][])("%o %j is %s in JSON", (field, canonical, expected) => {
    expect(jsonObjects([field])([canonical])).toBe(`{"a":${expected}}`);
    expect(() => JSON.parse(expected) as unknown).not.toThrow();
  });

  it("are JSON whatever their letters are", () => {
    const write = jsonObjects([{ name: 'a "b"', type: "text" }]);
    const texts = ["\u0000\u001f", "\\", "🌱", "\ud800", "\u2028\ufeff", "~ !#[]", "\u007f"];
    for (const text of texts) expect(JSON.parse(write([text])), text).toEqual({ 'a "b"': text });
  });

  it("are whole numbers of units, however long, and cut where they are finer", () => {
    for (const [text, scale, units] of [
      ["1.50", 2, 150n],
      ["-0.5", 1, -5n],
      ["-.25", 2, -25n],
      ["+7.125", 3, 7125n],
      ["7", 3, 7000n],
      ["7.", 0, 7n],
      ["1.999", 2, 199n],
      ["99999999999999.9", 1, 999999999999999n],
      ["12345678901234567890.0123456789", 10, 123456789012345678900123456789n],
    ] as const) {
      expect(unitsOf(text, scale), text).toBe(units);
    }
  });

  it("keep a list's values apart in a text", () => {
    const list: Field = { name: "a", type: "list", of: "text", by: ";" };
    expect(textOfValue(list, '{"a","b"}')).toBe("a;b");
    expect(textOfValue(list, '{"a;b"}')).toBe('["a;b"]');
    expect(textOfValue(list, '{"[a","b"}')).toBe('["[a","b"]');
    expect(textOfValue(list, "{}")).toBe("[]");
  });
});

describe("a row of delimited text", () => {
  const DELIMITERS = [",", ";", "\t", "|", "||", ".", "^~", "[", "\\"];
  const cell = fc.array(
    fc.constantFrom("a", "é", "\u00a0", " ", "\t", '"', "\r", "\n", ",", ";", "|", ".", "^", "~", "[", "\\", "\ufeff"),
    { maxLength: 5 },
  );

  it("has quotes around what could be read otherwise, and around nothing else", () => {
    fc.assert(
      fc.property(
        fc.array(cell, { minLength: 1, maxLength: 4 }),
        fc.constantFrom(...DELIMITERS),
        (cells, delimiter) => {
          const values = cells.map((c) => c.join(""));
          const expected = values.map((v) =>
            /["\r\n]/.test(v) || v.includes(delimiter) || v !== v.trim() ? `"${v.replaceAll('"', '""')}"` : v,
          );
          expect(csvRow(values, false, delimiter)).toBe(`${expected.join(delimiter)}\r\n`);
        },
      ),
      { numRuns: 2_000 },
    );
  });
});
