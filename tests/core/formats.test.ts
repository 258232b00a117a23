import { randomBytes } from "node:crypto";
import { gzipSync } from "node:zlib";
import fc from "fast-check";
import { zipSync } from "fflate";
import { parquetWriteBuffer } from "hyparquet-writer";
import iconv from "iconv-lite";
import { describe, expect, it } from "vitest";
import { withoutExponent } from "@/core/type/exponent.ts";
import { packBlock, unpackBlock } from "@/core/read/packed.ts";
import { serialText } from "@/core/read/xlsx/format.ts";
import { bigFromBytes, decimalText, momentText } from "@/core/read/logical.ts";
import { columnStarts } from "@/core/read/fixed/format.ts";
import { findHeader } from "@/core/read/header.ts";
import { JsonCutter } from "@/core/read/json/text.ts";
import { workbook } from "../../demo/workbook.ts";
import { avroBytes, memoryFile, read, readParts } from "../support/formats.ts";

describe("JSON Lines", () => {
  it("become records by path, columns as they are met", async () => {
    const part = await read("a.jsonl", '{"a":1,"site":{"name":"Gull Ness"}}\n\n{"a":2,"b":true,"c":null}\r\n');
    expect(part.as).toBe("json-lines");
    expect(part.columns).toEqual(["a", "site.name", "b"]);
    expect(part.records).toEqual([
      { a: "1", "site.name": "Gull Ness" },
      { a: "2", b: "true" },
    ]);
    expect(part.lines).toEqual([1, 3]);
  });

  it("hold a line that is not JSON and go on", async () => {
    const part = await read("a.jsonl", '{"a":1}\n{"a":\n{"a":3}\n', { as: "json-lines" });
    expect(part.records).toEqual([{ a: "1" }, { a: "3" }]);
    expect(part.unreadable).toEqual([{ reason: "not-json", line: 2, raw: '{"a":' }]);
  });

  it("keep every digit of a number", async () => {
    const part = await read("a.jsonl", '{"n":12345678901234567890.0123456789,"m":1.5e-7,"i":9007199254740993}\n');
    expect(part.records[0]).toEqual({ n: "12345678901234567890.0123456789", m: "0.00000015", i: "9007199254740993" });
  });

  const tests = '{"acc":"A","tests":[{"day":3,"n":1},{"day":7,"n":4}],"tags":["x","y"]}\n{"acc":"B","tests":[]}\n';
  it("make a record of each element of an array, the parent's fields beside it", async () => {
    const part = await read("a.jsonl", tests, { each: "tests" });
    expect(part.records).toEqual([
      { acc: "A", "tests.day": "3", "tests.n": "1", tags: "x; y" },
      { acc: "A", "tests.day": "7", "tests.n": "4", tags: "x; y" },
      { acc: "B" },
    ]);
  });

  it("join an array, take one of it, or keep its JSON", async () => {
    const value = async (take: "join" | "first" | "last" | "json"): Promise<string | undefined> =>
      (await read("a.jsonl", tests, { arrays: { tags: { take, by: "|" } } })).records[0]!["tags"];
    expect([await value("join"), await value("first"), await value("last"), await value("json")]).toEqual([
      "x|y",
      "x",
      "y",
      '["x","y"]',
    ]);
  });
});

describe("JSON", () => {
  const text = JSON.stringify({
    meta: { at: "x" },
    items: [
      { a: 1, s: 'q"]' },
      { a: 2, deep: [[{ b: 1 }]] },
    ],
  });
  it("is read at the path of its records, found or set", async () => {
    for (const settings of [{}, { records: "$.items" }, { records: "$.items[*]" }]) {
      const part = await read("a.json", text, settings);
      expect(part.as).toBe("json");
      expect(part.records.map((r) => r["a"])).toEqual(["1", "2"]);
      expect(part.records[0]!["s"]).toBe('q"]');
    }
    expect((await read("a.json", "[1,2,3]")).records).toEqual([{ value: "1" }, { value: "2" }, { value: "3" }]);
    expect((await read("a.json", '{"a":\n1}')).records).toEqual([{ a: "1" }]);
  });

  it("is cut the same however the bytes come", () => {
    fc.assert(
      fc.property(fc.array(fc.jsonValue(), { maxLength: 5 }), fc.integer({ min: 1, max: 9 }), (items, step) => {
        const bytes = new TextEncoder().encode(JSON.stringify({ x: [1], items }));
        const cutter = new JsonCutter(["items"]);
        const cuts: unknown[] = [];
        for (let at = 0; at < bytes.length; at += step) {
          for (const cut of cutter.push(bytes.subarray(at, at + step)))
            cuts.push(JSON.parse(new TextDecoder().decode(cut.bytes)));
        }
        expect(cuts).toEqual(JSON.parse(JSON.stringify(items)));
        expect(cutter.open).toBe(false);
      }),
    );
  });

  it("says where the records might be, and when the text breaks off", async () => {
    await expect(read("a.json", text, { records: "$.rows" })).rejects.toThrow("no array at $.rows");
    const { parts, error } = await readParts(memoryFile("a.json", text.slice(0, -20)), { as: "json" });
    expect(error?.message).toContain("breaks off");
    expect(parts[0]!.records).toHaveLength(1);
  });
});

describe("XML", () => {
  const text = `<?xml version="1.0"?><!DOCTYPE t [<!ENTITY x "boom">]>
<t><head><made>x</made></head><transfer id="1"><to>A &amp; B</to><seed kg="1"/><seed kg="2">s</seed></transfer>
<transfer id="2"><to><![CDATA[<b>]]></to></transfer></t>`;
  it("becomes records with attributes, elements and arrays", async () => {
    const part = await read("t.xml", text);
    expect(part.evidence["records"]).toContain("/t/transfer");
    expect(part.records).toEqual([
      { "@id": "1", to: "A & B", seed: '{"@kg":"1"}; {"@kg":"2","#text":"s"}' },
      { "@id": "2", to: "<b>" },
    ]);
    expect(part.lines).toEqual([2, 3]);
    expect((await read("t.xml", text, { each: "seed" })).records.map((r) => r["seed.@kg"])).toEqual([
      "1",
      "2",
      undefined,
    ]);
  });

  it("makes the same of a record whether the ones before it had an array or not", async () => {
    const flat = `<r><n lang="la">Aira</n><site><name>Fen</name><h>3</h></site>tail</r>`;
    const twice = `<r><n lang="la">Poa</n><site><name>Moor</name></site><s kg="1"/><s kg="2"/><n>Poa minor</n></r>`;
    const records = (list: string[]) => read("t.xml", `<all>${list.join("\n")}</all>`, { records: "/all/r" });
    const one = await records([flat, flat, twice, flat]);
    const other = await records([twice, flat]);
    expect(one.records).toEqual([other.records[1], other.records[1], other.records[0], other.records[1]]);
    expect(one.columns).toEqual(["n.@lang", "n.#text", "site.name", "site.h", "#text", "n", "s"]);
    expect(other.records).toEqual([
      {
        n: '{"@lang":"la","#text":"Poa"}; Poa minor',
        "site.name": "Moor",
        s: '{"@kg":"1"}; {"@kg":"2"}',
      },
      { "n.@lang": "la", "n.#text": "Aira", "site.name": "Fen", "site.h": "3", "#text": "tail" },
    ]);
  });

  it("never expands entities of its own", async () => {
    const { error } = await readParts(memoryFile("t.xml", text.replace("A &amp; B", "&x;")));
    expect(error?.message).toContain("XML");
  });

  it("keeps what stood before the damage for looking at, and says so", async () => {
    const { parts, error } = await readParts(memoryFile("t.xml", text.slice(0, text.indexOf("<![CDATA"))));
    expect(parts[0]!.records).toHaveLength(1);
    expect(error?.message).toContain("breaks off");
  });

  it("takes the encoding that it declares", async () => {
    const bytes = iconv.encode('<?xml version="1.0" encoding="ISO-8859-1"?><a><b c="é"/><b c="ü"/></a>', "latin1");
    expect((await read("t.xml", bytes)).records).toEqual([{ "@c": "é" }, { "@c": "ü" }]);
  });
});

describe("fixed-width text", () => {
  it("finds its columns by the blanks that all lines have", async () => {
    const part = await read(
      "a.txt",
      "ACC    NAME         KG\nB001   Silene alba  12.5\nB002   Iris          3.2\nB003   Rosa         40.1\n",
    );
    expect(part.as).toBe("fixed");
    expect(part.records[1]).toEqual({ ACC: "B002", NAME: "Iris", KG: " 3.2" });
    expect(columnStarts(["ab  c", "a   d"])).toEqual([0, 4]);
    const set = await read("a.txt", "12345\n67890\n", { as: "fixed", starts: [0, 2], header: false });
    expect(set.records).toEqual([
      { "1": "12", "2": "345" },
      { "1": "67", "2": "890" },
    ]);
  });

  it("tells names from values", () => {
    const named = (...rows: string[][]): boolean => findHeader(rows, String).header;
    expect(named(["acc", "kg"], ["B1", "2"])).toBe(true);
    expect(named(["B1", "2.5"], ["B2", "3"])).toBe(false);
    expect(named(["red", "small"], ["red", "large"], ["blue", "small"])).toBe(false);
  });
});

describe("workbooks", () => {
  const sheets = [
    { name: "Notes", rows: [] },
    {
      name: "People",
      rows: [
        ["Collectors of Ashmere"],
        [],
        ["Name", "Born", "Sheets", "Note"],
        ["Iris Marrow", { day: "1961-02-28" }, 12, null],
        ["A & <B>", { day: "2026-03-01" }, 0.1 + 0.2, "  x "],
        [],
        ["Broken", null, { error: "#N/A" }, null],
      ],
    },
    { name: "Old", rows: [["Name"], ["Someone"]] },
  ] as const;
  const bytes = workbook(sheets);

  it("give their rows with real dates and numbers, the header found", async () => {
    const part = await read("p.xlsx", bytes);
    expect(part.name).toBe("p.xlsx: People");
    expect(part.columns).toEqual(["Name", "Born", "Sheets", "Note"]);
    expect(part.records).toEqual([
      { Name: "Iris Marrow", Born: "1961-02-28", Sheets: "12" },
      { Name: "A & <B>", Born: "2026-03-01", Sheets: "0.3", Note: "  x " },
    ]);
    expect(part.lines).toEqual([4, 5, 7]);
    expect(part.unreadable).toMatchObject([{ reason: "cell-error", line: 7 }]);
  });

  it("are read sheet by sheet as asked, and say which sheets there are", async () => {
    const { parts } = await readParts(memoryFile("p.xlsx", bytes), { sheets: ["People", "Old"] });
    expect(parts.map((p) => [p.name, p.records.length])).toEqual([
      ["p.xlsx: People", 2],
      ["p.xlsx: Old", 1],
    ]);
    await expect(read("p.xlsx", bytes, { sheets: ["X"] })).rejects.toThrow("no sheet “X”");
  });

  it("count days in both systems", () => {
    expect(serialText(1, false)).toBe("1900-01-01");
    expect(serialText(59, false)).toBe("1900-02-28");
    // A day that never was is not taken for the one beside it.
    expect([serialText(60, false), serialText(60.5, false), serialText(0, false)]).toEqual([
      "1900-02-29",
      "1900-02-29 12:00:00",
      "1900-01-00",
    ]);
    expect(serialText(60, true)).toBe("1904-03-01");
    expect(serialText(61, false)).toBe("1900-03-01");
    expect(serialText(45292.75, false)).toBe("2024-01-01 18:00:00");
    expect(serialText(0.5, false)).toBe("12:00:00");
    expect(serialText(0, true)).toBe("1904-01-01");
  });

  it("that are damaged give one message", async () => {
    for (const cut of [bytes.slice(0, 400), bytes.slice(0, bytes.length / 2)]) {
      const { error } = await readParts(memoryFile("p.xlsx", cut));
      expect(error?.message).toMatch(/damaged/);
    }
  });
});

describe("Parquet and Avro", () => {
  const parquet = new Uint8Array(
    parquetWriteBuffer({
      columnData: [
        { name: "acc", data: ["B1", "B2", null], type: "STRING" },
        { name: "n", data: [9007199254740993n, 2n, 3n], type: "INT64" },
        { name: "at", data: [new Date("2026-05-31T10:00:00Z"), null, null], type: "TIMESTAMP" },
        { name: "ok", data: [true, false, true], type: "BOOLEAN" },
      ],
    }),
  );
  it("keep the digits of whole numbers, moments and booleans", async () => {
    const part = await read("p.parquet", parquet);
    expect(part.records).toEqual([
      { acc: "B1", n: "9007199254740993", at: "2026-05-31T10:00:00Z", ok: "true" },
      { acc: "B2", n: "2", ok: "false" },
      { n: "3", ok: "true" },
    ]);
  });

  it("copy the bytes of a Parquet text; one that is no UTF-8 is not a question mark", async () => {
    const texts = ["Bergahorn", "Sägefarn", "", "x".repeat(300)].map((t) => new TextEncoder().encode(t));
    const broken = Uint8Array.from([66, 0xe4, 114]);
    const file = (said: boolean): Uint8Array =>
      new Uint8Array(
        parquetWriteBuffer({
          columnData: [
            { name: "n", data: [1.5, -0.25, 1e-9, 12, 7] },
            { name: "t", data: [...texts, broken] },
          ],
          schema: [
            { name: "root", num_children: 2 },
            { name: "n", type: "DOUBLE", repetition_type: "REQUIRED" },
            { name: "t", type: "BYTE_ARRAY", converted_type: said ? "UTF8" : undefined, repetition_type: "REQUIRED" },
          ],
        } as never),
      );
    const sound = [
      { n: "1.5", t: "Bergahorn" },
      { n: "-0.25", t: "Sägefarn" },
      { n: "0.000000001" },
      { n: "12", t: "x".repeat(300) },
    ];
    const said = await read("p.parquet", file(true));
    expect(said.records).toEqual(sound);
    expect(said.unreadable).toEqual([{ reason: "encoding", line: 5, raw: "7\tBär" }]);
    // Where the file does not say that they are texts, they may be anything.
    const unsaid = await read("p.parquet", file(false));
    expect(unsaid.records).toEqual([...sound, { n: "7", t: "42e472" }]);
  });

  it("make more than one block of many Parquet rows, and lose none", async () => {
    const data = Array.from({ length: 20_001 }, (_, i) => `row ${i}`);
    const part = await read("p.parquet", new Uint8Array(parquetWriteBuffer({ columnData: [{ name: "t", data }] })));
    expect(part.records.map((r) => r["t"])).toEqual(data);
    expect(part.lines.at(-1)).toBe(20_001);
  });

  it("says when a Parquet file has no end, or is broken within", async () => {
    const { error } = await readParts(memoryFile("p.parquet", parquet.slice(0, -9)));
    expect(error?.message).toContain("damaged or not whole");
    const rotten = parquet.slice();
    rotten.fill(255, 6, 60);
    expect((await readParts(memoryFile("p.parquet", rotten))).error?.message).toContain("damaged");
  });

  const schema = {
    type: "record",
    name: "r",
    fields: [
      { name: "acc", type: "string" },
      { name: "n", type: ["null", "long"] },
      { name: "day", type: { type: "int", logicalType: "date" } },
      { name: "tags", type: { type: "array", items: "string" } },
    ],
  } as const;
  const avroFile = (codec: string): Promise<Uint8Array> =>
    avroBytes(
      schema,
      Array.from({ length: 50 }, (_, i) => ({ acc: `B${i}`, n: i % 2 ? null : i, day: 20_000 + i, tags: ["x", "y"] })),
      codec,
    );
  it.each(["null", "deflate"])("read Avro packed by %s", async (codec) => {
    const part = await read("a.avro", await avroFile(codec));
    expect(part.records).toHaveLength(50);
    expect(part.records[2]).toEqual({ acc: "B2", n: "2", day: "2024-10-06", tags: "x; y" });
  });

  it("never take a damaged Avro file for a short one", async () => {
    const whole = await avroFile("null");
    const { error } = await readParts(memoryFile("a.avro", whole.slice(0, -10)));
    expect(error?.message).toContain("damaged");
    const flipped = whole.slice();
    flipped[whole.length - 3]! ^= 1;
    expect((await readParts(memoryFile("a.avro", flipped))).error?.message).toContain("damaged");
  });

  it("write decimals and moments exactly", () => {
    expect(decimalText(-5n, 3)).toBe("-0.005");
    expect(decimalText(12345n, 2)).toBe("123.45");
    expect(bigFromBytes(Uint8Array.of(0xff, 0x00))).toBe(-256n);
    expect(momentText(-1n, 1000n)).toBe("1969-12-31T23:59:59.999Z");
    expect(withoutExponent("-1.25e3")).toBe("-1250");
    expect(withoutExponent("12E-1")).toBe("1.2");
  });
});

describe("packed files", () => {
  it("are opened, however many layers and files", async () => {
    const inner = zipSync({
      "one.csv": new TextEncoder().encode("a,b\n1,2\n"),
      "sub/two.jsonl": new TextEncoder().encode('{"a":3}\n'),
    });
    const { parts, error } = await readParts(memoryFile("d.zip.gz", gzipSync(inner)));
    expect(error).toBeNull();
    expect(parts.map((p) => [p.name, p.records])).toEqual([
      ["d.zip/one.csv", [{ a: "1", b: "2" }]],
      ["d.zip/sub/two.jsonl", [{ a: "3" }]],
    ]);
  });

  it("that are cut give one message, after what could be read", async () => {
    const text = Array.from({ length: 5000 }, () => `${randomBytes(8).toString("hex")},x`).join("\n");
    const gz = gzipSync(`a,b\n${text}`);
    const { error } = await readParts(memoryFile("a.csv.gz", new Uint8Array(gz.subarray(0, gz.length / 2))));
    expect(error?.message).toContain("a.csv.gz is damaged or not whole");
    const zip = zipSync({ "a.csv": new TextEncoder().encode(`a,b\n${text}`) });
    expect((await readParts(memoryFile("a.zip", zip.slice(0, zip.length / 2)))).error?.message).toContain("damaged");
  });

  it("that unpack to far more than their size are refused", async () => {
    const lines = `${"1".repeat(5000)},2\n`.repeat(20_000);
    const { error } = await readParts(
      memoryFile("bomb.csv.gz", new Uint8Array(gzipSync(`a,b\n${lines}`, { level: 9 }))),
    );
    expect(error?.message).toContain("unpacks to more than");
  }, 60_000);
});

describe("text of other encodings", () => {
  const table = (rows: string[]): string => `acc,name\n${rows.map((r, i) => `${i},${r}`).join("\n")}\n`;
  it.each([
    ["windows-1252", "win1252", ["Zoë", "Müller", "Françoise", "naïve café", "50 € – “x”"]],
    ["windows-1250", "win1250", ["Śliwa", "Żółty", "Kovář", "Dvořák", "Łódź"]],
    ["iso-8859-2", "iso88592", ["Ľuboš", "Kovář", "Dvořák", "Šafařík", "Žižka"]],
    ["macintosh", "macroman", ["Zoë Garçon", "Müller", "Françoise", "Øystein Ås"]],
    ["shift_jis", "shiftjis", ["桜の種子", "松の種", "竹の種子と梅の花", "秋の種まき"]],
    ["gb18030", "gb18030", ["种子库标本", "植物园的种子", "松树的种子", "竹子和梅花"]],
  ] as const)("is found to be %s", async (encoding, label, rows) => {
    const part = await read("a.csv", new Uint8Array(iconv.encode(table([...rows]), label)));
    expect(part.options).toMatchObject({ encoding });
    expect(part.records.map((r) => r["name"])).toEqual(rows);
  });

  it("holds bytes that don't fit", async () => {
    const bytes = iconv.encode(table(["桜", "松", "竹"]), "shiftjis");
    const at = bytes.indexOf(iconv.encode("松", "shiftjis"));
    bytes[at + 1] = 0x20;
    const part = await read("a.csv", new Uint8Array(bytes), { encoding: "shift_jis" });
    expect(part.unreadable).toMatchObject([{ reason: "encoding", line: 3 }]);
    expect(part.records).toHaveLength(2);
  });
});

describe("delimited text that people have decorated", () => {
  it("is read past its title lines and blanks", async () => {
    const part = await read("a.csv", "Ashmere export\n\nmade by hand;;\n\nacc;name;kg\n1;a;2\n2;b;3\n3;c;4\n");
    expect(part.options).toMatchObject({ delimiter: ";", skip: 4, header: true });
    expect(part.records).toHaveLength(3);
  });

  it("is read without its comments and its last lines", async () => {
    const text = "# made by hand\na,b\n1,2\n# between\n3,4\nTotal,6\nEnd,\n";
    for (const step of [3, 1 << 16]) {
      const { parts } = await readParts(memoryFile("a.csv", text, step), { comment: "#", skip_end: 2, header: true });
      expect(parts[0]!.records).toEqual([
        { a: "1", b: "2" },
        { a: "3", b: "4" },
      ]);
      expect(parts[0]!.lines).toEqual([3, 5]);
    }
  });

  it("may have delimiters of several characters", async () => {
    expect((await read("a.csv", "a||b\n1||x|y\n2||z\n")).records).toEqual([
      { a: "1", b: "x|y" },
      { a: "2", b: "z" },
    ]);
  });
});

describe("a packed block", () => {
  it("is the same block again", async () => {
    const text = '{"a":"é","b":1}\nbroken\n{"a":"x","c":[1,2]}\n';
    const plain = await readParts(memoryFile("a.jsonl", text), { as: "json-lines" });
    const packed = await readParts(memoryFile("a.jsonl", text), { as: "json-lines" }, (b) => unpackBlock(packBlock(b)));
    expect(packed.parts[0]).toEqual(plain.parts[0]);
    const csv = await readParts(memoryFile("a.csv", 'a,b\n1,"x ""y"""\n"open\n3,4\n'), {}, (b) =>
      unpackBlock(packBlock(b)),
    );
    expect(csv.parts[0]!.records).toEqual([
      { a: "1", b: 'x "y"' },
      { a: "3", b: "4" },
    ]);
  });
});
