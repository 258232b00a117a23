import { gzipSync } from "node:zlib";
import { zipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { parquetWriteBuffer } from "hyparquet-writer";
import { openFile } from "@/core/read/source.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { arrivedCells } from "@/core/course/of-record.ts";
import { avroBytes, memoryFile, memorySpool } from "../support/formats.ts";
import { workbook } from "../../demo/workbook.ts";

const nowhere = (): Promise<never> => Promise.reject(new Error("it is not spooled"));
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
interface Part {
  name: string;
  columns: readonly string[];
  /** Of each record its cells, or why it can't be read. */
  records: (string[] | string)[];
}

async function read(name: string, bytes: Uint8Array, settings: ReadSettings = {}): Promise<Part[]> {
  const parts: Part[] = [];
  for await (const opened of openFile(memoryFile(name, bytes), settings, memorySpool)) {
    const part: Part = { name: opened.name, columns: [], records: [] };
    parts.push(part);
    for await (const block of opened.blocks) {
      for (let r = 0; r < block.count; r++) {
        part.records.push(block.unreadable.get(r)?.reason ?? arrivedCells(block, r));
      }
    }
    part.columns = [...opened.columns()];
  }
  return parts;
}

const first = (record: string[] | string): string => (typeof record === "string" ? record : record[0]!);

/** Half a character, and one that no text here can have, as JSON writes them. */
const HALF = String.raw`"\ud800 half"`;
const NUL = String.raw`"a\u0000b"`;

describe("a character that can't be kept holds its record alone", () => {
  it.each([
    ["a.jsonl", text(`{"v":"one"}\n{"v":${NUL}}\n{"v":${HALF}}\n{"v":"two"}\n`)],
    ["a.json", text(`[{"v":"one"},{"v":${NUL}},{"v":${HALF}},{"v":"two"}]`)],
    ["nested.json", text(`[{"v":"one"},{"v":[${NUL}]},{"v":["x",${HALF}]},{"v":"two"}]`)],
  ])("%s", async (name, bytes) => {
    const [part] = await read(name, bytes);
    expect(part!.records.map(first)).toEqual(["one", "nul", "encoding", "two"]);
  });

  it("in Avro, Parquet and delimited text too", async () => {
    const avro = await avroBytes(
      { type: "record", name: "r", fields: [{ name: "v", type: "string" }] },
      [{ v: "one" }, { v: "a\0b" }, { v: "two" }],
      "null",
    );
    const parquet = new Uint8Array(
      parquetWriteBuffer({ columnData: [{ name: "v", data: ["one", "a\0b", "two"], type: "STRING" }] }),
    );
    for (const [name, bytes] of [
      ["a.avro", avro],
      ["a.parquet", parquet],
      ["a.csv", text(`v,w\none,${"x".repeat(100)}\na\0b,x\ntwo,x\n`)],
    ] as const) {
      const [part] = await read(name, bytes);
      expect(part!.records.map(first), name).toEqual(["one", "nul", "two"]);
    }
  });

  it("in a name it is made visible", async () => {
    const [json] = await read("a.jsonl", text(String.raw`{"a\u0000b": 1, "c\udc00": 2}`));
    expect(json!.columns).toEqual(["a␀b", "c\ufffd"]);
    const [zip] = await read("z.zip", zipSync({ "a\0.csv": text("v\n1\n") }));
    expect(zip!.name).toBe("z.zip/a␀.csv");
  });
});

describe("what a file says of itself", () => {
  it("is not believed past what there is of it: rows of Parquet", async () => {
    const rows = 40;
    const honest = new Uint8Array(
      parquetWriteBuffer({
        columnData: [
          { name: "acc", data: Array.from({ length: rows }, (_, i) => `B${i}`), type: "STRING" },
          { name: "n", data: Array.from({ length: rows }, (_, i) => BigInt(i)), type: "INT64" },
        ],
      }),
    );
    expect((await read("a.parquet", honest))[0]!.records).toHaveLength(rows);
    // Counts stand in the footer as zigzag numbers of one byte: 40 is 0x50, 60 is 0x78.
    const lying = honest.slice();
    const footer = new DataView(lying.buffer).getUint32(lying.length - 8, true);
    for (let p = lying.length - 8 - footer; p < lying.length - 9; p++) {
      if (lying[p] === 0x16 && lying[p + 1] === 0x50) lying[p + 1] = 0x78;
    }
    await expect(read("a.parquet", lying)).rejects.toMatchObject({
      code: "parquet-broken",
      detail: expect.stringMatching(/^Of 60 rows that it says it has there are \d+/),
    });
  });
});

describe("depth and width", () => {
  const deep = (n: number): string => `${"[".repeat(n)}1${"]".repeat(n)}`;

  it.each([
    ["arrays.json", text(deep(100_000))],
    ["objects.json", text(`${'{"a":'.repeat(40_000)}1${"}".repeat(40_000)}`)],
    ["open.json", text("[".repeat(200_000))],
    ["mixed.json", text('[{"a":'.repeat(30_000))],
  ])("%s is refused in words, or its record held, at once", async (name, bytes) => {
    const end = await read(name, bytes).then(
      (parts) => parts.flatMap((p) => p.records),
      (error: { code: string }) => error.code,
    );
    if (typeof end === "string") expect(end).toMatch(/^(json-broken|no-records)$/);
    else expect(end.length).toBeLessThan(5);
  });

  it("a deep value in one line of many holds that line", async () => {
    const [part] = await read("a.jsonl", text(`{"v":"one"}\n{"v":${deep(50_000)}}\n{"v":"two"}\n`));
    expect(part!.records.map(first)).toEqual(["one", "not-json", "two"]);
  });

  it("elements within elements without end are refused in words, at once", async () => {
    const bytes = text(`<l><r><a>one</a></r><r>${"<a>".repeat(60_000)}${"</a>".repeat(60_000)}</r></l>`);
    await expect(read("a.xml", bytes)).rejects.toMatchObject({
      code: "xml-broken",
      detail: "in line 1 elements are nested more than 500 deep",
    });
  });

  it("names without end, and columns without end, are refused in words, at once", async () => {
    await expect(read("a.jsonl", text(`{"${"k".repeat(3_000_000)}": 1}`))).rejects.toMatchObject({
      code: "name-too-long",
    });
    const csv = (n: number, name = "x"): Uint8Array => text(`${Array(n).fill(name).join(",")}\n${",".repeat(n - 1)}\n`);
    await expect(read("a.csv", csv(100_000), { header: true })).rejects.toMatchObject({ code: "too-many-columns" });
    await expect(read("a.csv", csv(3, "x".repeat(2000)), { header: true })).rejects.toMatchObject({
      code: "name-too-long",
    });
    const [part] = await read("a.csv", csv(1600), { header: true });
    expect(new Set(part!.columns).size).toBe(1600);
  });

  it("keys without end are refused in words", async () => {
    const lines = Array.from({ length: 300 }, (_, i) =>
      JSON.stringify(Object.fromEntries(Array.from({ length: 50 }, (_, k) => [`k${i * 50 + k}`, 1]))),
    );
    await expect(read("a.jsonl", text(lines.join("\n")))).rejects.toMatchObject({ code: "too-many-columns" });
  });

  it("a wide file is read in blocks of fewer records", async () => {
    const line = JSON.stringify(Object.fromEntries(Array.from({ length: 1500 }, (_, k) => [`k${k}`, k])));
    const [part] = await read("a.jsonl", text(Array(700).fill(line).join("\n")));
    expect(part!.records).toHaveLength(700);
    expect(part!.records.every((r) => r[1499] === "1499")).toBe(true);
  });
});

describe("what unpacks to very much", () => {
  const same = new Uint8Array(24 << 20).fill(97).map((b, i) => (i % 64 === 0 ? 10 : b));

  it.each([
    ["bomb.csv.gz", () => new Uint8Array(gzipSync(same))],
    ["bomb.zip", () => zipSync({ "a.csv": same }, { level: 9 })],
    ["within.zip", () => zipSync({ "b.zip": zipSync({ "a.csv": same }, { level: 9 }) }, { level: 9 })],
  ])("%s is asked about before it is read", async (name, make) => {
    await expect(read(name, make())).rejects.toMatchObject({
      code: "unpacks-too-far",
      hint: expect.stringContaining("unpacked_mb"),
    });
  });

  it("is left in the midst without a fault that comes later, when nobody is there to hear it", async () => {
    const faults: unknown[] = [];
    const hear = (error: unknown): void => void faults.push(error);
    process.on("uncaughtException", hear);
    try {
      const lines = text(`a,${"b".repeat(1000)}\n`.repeat(25_000));
      const bombs = [
        ["bomb.zip", zipSync({ "a.csv": lines })],
        ["bomb.csv.gz", new Uint8Array(gzipSync(lines))],
      ] as const;
      for (const [name, bytes] of bombs)
        await expect(read(name, bytes)).rejects.toMatchObject({ code: "unpacks-too-far" });
      await new Promise((resolve) => setTimeout(resolve, 300));
      expect(faults).toEqual([]);
    } finally {
      process.off("uncaughtException", hear);
    }
  });

  it("an archive of very many files is read file by file, each found by the directory", async () => {
    const files = Array.from({ length: 500 }, (_, i) => [`f${i}.csv`, text(`v,w\n${i},oak\n`)] as const);
    const parts = await read("many.zip", zipSync(Object.fromEntries(files)), { header: true });
    expect(parts.map((p) => p.records[0]![0])).toEqual(files.map((_, i) => String(i)));
  });

  it("an archive whose directory lies is damaged, or read from its beginning", async () => {
    const whole = zipSync({ "a.csv": text("v,w\n1,oak\n2,elm\n") });
    const at = whole.findIndex((_, i) => whole[i] === 0x50 && whole[i + 1] === 0x4b && whole[i + 2] === 1);
    const lied = (change: (view: DataView) => void): Uint8Array => {
      const copy = whole.slice();
      change(new DataView(copy.buffer, at));
      return copy;
    };
    const promised = lied((v) => v.setUint32(24, 999, true));
    await expect(read("a.zip", promised)).rejects.toMatchObject({
      detail: expect.stringContaining("999 are promised"),
    });
    const elsewhere = lied((v) => v.setUint32(42, 3, true));
    expect((await read("a.zip", elsewhere, { header: true }))[0]!.records).toHaveLength(2);
    const beyond = lied((v) => v.setUint32(20, 0x7fffffff, true));
    expect((await read("a.zip", beyond, { header: true }))[0]!.records).toHaveLength(2);
  });

  it("is read where a person has said how far", async () => {
    // Just over what is unpacked without being asked.
    const records = 300_000;
    const bytes = new Uint8Array(gzipSync(text(`v\n${`${"1".repeat(60)}\n`.repeat(records)}`)));
    const file = memoryFile("a.csv.gz", bytes);
    await expect(read("a.csv.gz", bytes)).rejects.toMatchObject({ code: "unpacks-too-far" });
    let count = 0;
    for await (const opened of openFile(file, { unpacked_mb: 100, header: true }, nowhere)) {
      for await (const block of opened.blocks) count += block.count;
    }
    expect(count).toBe(records);
  });

  it("a workbook of very many rows is not", async () => {
    const book = workbook([
      { name: "A", rows: [["a", "n"], ...Array.from({ length: 5000 }, (_, i) => [`x${i}`, i])] },
    ] as never);
    const [part] = await read("a.xlsx", book);
    expect(part!.records).toHaveLength(5000);
  });
});
