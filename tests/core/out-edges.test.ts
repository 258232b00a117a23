import avro from "avsc";
import { strFromU8, unzipSync } from "fflate";
import { parquetMetadata, parquetReadObjects } from "hyparquet";
import { describe, expect, it } from "vitest";
import type { Field } from "@/core/field/field.ts";
import { csvRow } from "@/core/write/csv.ts";
import { encoderOf } from "@/core/write/encode.ts";
import { CONTENTS, OF_HELD, OF_RECORDS, fieldsOut, isOfLoad, isTyped } from "@/core/write/files/contents.ts";
import { folderOf, namesInPartitions, readPartitions, renameInPartitions } from "@/core/write/files/partition.ts";
import { OUTPUTS } from "@/core/write/records/parts.ts";
import type { TextSettings } from "@/core/write/records/part.ts";
import { jsonObjects, textOfValue } from "@/core/write/records/typed.ts";

/** Records in a format, as bytes. */
function bytesOf(id: string, fields: readonly Field[], rows: readonly string[][], name = "x", text?: TextSettings) {
  const writer = OUTPUTS.find((o) => o.id === id)!.open(fields, name, text);
  const pieces: Uint8Array[] = [];
  for (const row of rows) {
    writer.add(row);
    pieces.push(writer.take());
  }
  writer.end();
  pieces.push(writer.take());
  return new Uint8Array(Buffer.concat(pieces));
}
const textOf = (bytes: Uint8Array): string => Buffer.from(bytes).toString();

describe("what goes out", () => {
  it("is of one load, and typed, or not", () => {
    expect(CONTENTS.filter(isOfLoad)).toEqual(["accepted", "changed", "records"]);
    expect(CONTENTS.filter(isTyped)).toEqual(["rows", "accepted", "changed"]);
  });

  it("is the contract's fields where its values are sound, and texts with what is said of them where they are not", () => {
    const fields: Field[] = [
      { name: "n", type: "integer", title: "Number" },
      { name: "day", type: "date" },
    ];
    const texts = [
      { name: "n", type: "text", title: "Number" },
      { name: "day", type: "text" },
    ];
    for (const what of ["rows", "accepted", "changed"] as const) expect(fieldsOut(what, fields)).toEqual(fields);
    expect(fieldsOut("held", fields)).toEqual([...OF_HELD, ...texts]);
    expect(fieldsOut("records", fields)).toEqual([...OF_RECORDS, ...texts]);
    expect(Object.keys(fieldsOut("held", fields).at(-1)!)).toEqual(["name", "type"]);
  });

  it("is exact for programs, and guarded only where that is asked for", () => {
    expect(csvRow(["=1+1", "a;b", "a,b"])).toBe('=1+1,a;b,"a,b"\r\n');
    expect(csvRow(["=1+1", "a;b", "a,b"], true, ";")).toBe(`'=1+1;"a;b";a,b\r\n`);
  });

  it("says which character an encoding does not have, and where it stands", () => {
    const before = "a".repeat(30);
    const after = "b".repeat(30);
    const encode = encoderOf("windows-1252");
    expect(textOf(encode("plain"))).toBe("plain");
    expect(() => encode(`${before}🌱${after}`)).toThrow(
      expect.objectContaining({
        code: "out-unfit",
        message: "“🌱” can't be written in windows-1252.",
        detail: `It stands in “${"a".repeat(20)}🌱${"b".repeat(18)}”.`,
        hint: "Take utf-8, which has every character.",
      }),
    );
    expect(() => encode("  ž—Ж ")).toThrow(expect.objectContaining({ detail: "It stands in “ž—Ж”." }));
    expect(() => encoderOf("utf-9")).toThrow(
      expect.objectContaining({ code: "out-unfit", hint: "Give one such as utf-8, windows-1252 or utf-16le." }),
    );
    const marked = encoderOf("utf-16le");
    // Nothing is no beginning: the mark stands there once.
    expect([...marked(""), ...marked("a"), ...marked(""), ...marked("b")]).toEqual([0xff, 0xfe, 0x61, 0, 0x62, 0]);
  });
});

describe("partitions", () => {
  const fields: Field[] = [
    { name: "partner", type: "text" },
    { name: "day", type: "date" },
  ];

  it("are read, renamed and left out field by field", () => {
    expect(readPartitions(" partner , day:month,", fields)).toEqual([
      { field: "partner" },
      { field: "day", by: "month" },
    ]);
    expect(namesInPartitions("partner, day:month")).toEqual(["partner", "day"]);
    expect(renameInPartitions("partner, day:month", "day", "collected")).toBe("partner,collected:month");
    expect(renameInPartitions("partner, day:month", "partner", null)).toBe("day:month");
    expect(() => readPartitions("day:week", fields)).toThrow("Days have no week.");
    expect(() => readPartitions("partner:month", fields)).toThrow("partner is no day, so it has no month.");
    expect(() => readPartitions("a b:month", fields)).toThrow("There is no field a b to partition by.");
  });

  it("take a value as long as the name of a folder can be, and no longer", () => {
    const folder = folderOf([{ field: "partner" }], fields);
    const longest = 255 - "partner=".length;
    expect(folder(["x".repeat(longest), ""])).toBe(`partner=${"x".repeat(longest)}`);
    expect(() => folder(["x".repeat(longest + 1), ""])).toThrow("A value of partner is too long");
    expect(() => folder(["é".repeat(longest / 2 + 1), ""])).toThrow("A value of partner is too long");
  });
});

describe("whole numbers of Avro", () => {
  it("are exact to the last of 64 bits", () => {
    const numbers = [0n, 1n, -1n, 63n, 64n, -64n, -65n].concat(
      [51n, 52n, 53n, 62n].flatMap((bits) => [-1n, 0n, 1n].flatMap((d) => [2n ** bits + d, -(2n ** bits) + d])),
      [2n ** 63n - 1n, -(2n ** 63n)],
    );
    const bytes = bytesOf(
      "avro",
      [{ name: "n", type: "integer" }],
      numbers.map((n) => [String(n)]),
    );
    const long = avro.types.LongType.__with({
      fromBuffer: (b: Buffer) => b.readBigInt64LE(),
      toBuffer: (n: bigint) => {
        const b = Buffer.alloc(8);
        b.writeBigInt64LE(n);
        return b;
      },
      fromJSON: BigInt,
      toJSON: String,
      isValid: (n: unknown) => typeof n === "bigint",
      compare: (a: bigint, b: bigint) => (a < b ? -1 : a > b ? 1 : 0),
    });
    const read: bigint[] = [];
    const decoder = new avro.streams.BlockDecoder({
      parseHook: (schema) => avro.Type.forSchema(schema, { registry: { long }, wrapUnions: false } as never),
    });
    const done = new Promise<void>((resolve, reject) => {
      decoder.on("data", (record: { n: bigint }) => read.push(record.n));
      decoder.on("end", resolve);
      decoder.on("error", reject);
    });
    decoder.end(Buffer.from(bytes));
    return done.then(() => expect(read.map(String)).toEqual(numbers.map(String)));
  });
});

describe("decimals of Parquet", () => {
  it.each([
    [18, "INT64", undefined],
    [19, "FIXED_LEN_BYTE_ARRAY", 9],
    [38, "FIXED_LEN_BYTE_ARRAY", 16],
  ])("of %i digits are kept as %s, all of them", async (precision, type, length) => {
    const values = ["9", "-9", "3", "1"].map((d) => d + d.slice(-1).repeat(precision - 3) + ".25");
    const bytes = bytesOf(
      "parquet",
      [{ name: "g", type: "decimal", precision, scale: 2 }],
      values.map((v) => [v]),
    );
    const file = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer;
    expect(parquetMetadata(file).schema[1]).toMatchObject({
      ...{ name: "g", type, precision, scale: 2 },
      ...(length && { type_length: length }),
    });
    const read = await parquetReadObjects({ file });
    // The reader gives them as floating point.
    for (const [i, { g }] of read.entries()) expect(Number(g) / (Number(values[i]) || 1)).toBeCloseTo(1, 12);
  });
});

describe("values as text", () => {
  const list: Field = { name: "l", type: "list", of: "text", by: ";" };

  it("of a list are joined where they come back so, and JSON else", () => {
    expect(textOfValue(list, '["elm","ash"]')).toBe("elm;ash");
    for (const odd of ['["elm",""]', '["elm "," ash"]', '["a;b"]', '["[x"]', "[]"]) {
      expect(textOfValue(list, odd)).toBe(odd);
    }
    expect(textOfValue({ ...list, by: "|" }, '["a;b","c"]')).toBe("a;b|c");
  });

  it("that are yes or no are so in JSON, whichever way they are kept", () => {
    const write = jsonObjects([{ name: "b", type: "boolean" }]);
    expect(["t", "true", "f", "false", ""].map((b) => write([b]))).toEqual([
      '{"b":true}',
      '{"b":true}',
      '{"b":false}',
      '{"b":false}',
      '{"b":null}',
    ]);
  });
});

describe("names and marks", () => {
  it("an XML file's root has the feed's name where that can be one", () => {
    const root = (name: string, settings?: TextSettings): string =>
      /<([^?/>]+)>/.exec(textOf(bytesOf("xml", [{ name: "a", type: "text" }], [], name, settings)))![1]!;
    expect(["seeds", "seeds_2", "2seeds", "seed bank", "Seeds"].map((name) => root(name))).toEqual([
      ...["seeds", "seeds_2", "records", "records", "records"],
    ]);
    expect(root("seeds", { root: "List" })).toBe("List");
  });

  it("a workbook has characters that XML can't have by their numbers, and what looks like them told apart", () => {
    const files = unzipSync(bytesOf("xlsx", [{ name: "a", type: "text" }], [["a\u001fb"], ["_x001F_"], ["_x00zz_"]]));
    const sheet = strFromU8(files["xl/worksheets/sheet1.xml"]!);
    expect([...sheet.matchAll(/<t[^>]*>([^<]*)<\/t>/g)].map((m) => m[1])).toEqual([
      ...["a", "a_x001F_b", "_x005F_x001F_", "_x00zz_"],
    ]);
  });
});
