import fc from "fast-check";
import { zipSync } from "fflate";
import { parquetWriteBuffer } from "hyparquet-writer";
import { gzipSync } from "node:zlib";
import { describe, expect, it } from "vitest";
import { SieveError } from "@/core/kernel/problem.ts";
import { workbook } from "../../demo/workbook.ts";
import { avroBytes, memoryFile, readParts } from "../support/formats.ts";

/** Whatever happens to a file on its way, a person is told in words, and what could be read is there. */

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const rows = Array.from({ length: 40 }, (_, i) => [`B${i}`, String(i * 7), `note ${i}, of “${i % 5}”`] as const);
const csv = text(`acc,n,note\n${rows.map(([a, n, t]) => `${a},${n},"${t}"`).join("\n")}\n`);
const jsonLines = text(
  rows.map(([acc, n, note]) => JSON.stringify({ acc, n: Number(n), note, at: { k: [n] } })).join("\n"),
);
const xml = text(
  `<?xml version="1.0"?><list>${rows.map(([a, n, t]) => `<r id="${a}"><n>${n}</n><t>${t}</t><k>1</k><k>2</k></r>`).join("")}</list>`,
);

const avroFile = (codec: string): Promise<Uint8Array> => {
  const fields = [
    { name: "acc", type: "string" },
    { name: "n", type: ["null", "long"] },
    { name: "tags", type: { type: "array", items: "string" } },
  ];
  const records = rows.map(([acc, n]) => ({ acc, n: Number(n), tags: ["x", acc] }));
  return avroBytes({ type: "record", name: "r", fields }, records, codec);
};

const parquet = (codec: "UNCOMPRESSED" | "SNAPPY"): Uint8Array =>
  new Uint8Array(
    parquetWriteBuffer({
      codec,
      columnData: [
        { name: "acc", data: rows.map((r) => r[0]), type: "STRING" },
        { name: "n", data: rows.map((r) => BigInt(r[1])), type: "INT64" },
        { name: "note", data: rows.map((r, i) => (i % 3 === 0 ? null : r[2])), type: "STRING" },
      ],
    }),
  );

const book = workbook([
  { name: "People", rows: [["acc", "n", "note"], ...rows.map((r) => [r[0], Number(r[1]), r[2]])] },
] as never);

/** By name: a whole file, and how many records it has. */
const FILES: readonly (readonly [string, () => Uint8Array | Promise<Uint8Array>])[] = [
  ["a.csv", () => csv],
  ["a.jsonl", () => jsonLines],
  ["a.json", () => text(`{"list":[${new TextDecoder().decode(jsonLines).replaceAll("\n", ",")}]}`)],
  ["a.xml", () => xml],
  ["a.avro", () => avroFile("null")],
  ["packed.avro", () => avroFile("deflate")],
  ["a.parquet", () => parquet("UNCOMPRESSED")],
  ["packed.parquet", () => parquet("SNAPPY")],
  ["a.xlsx", () => book],
  ["a.csv.gz", () => new Uint8Array(gzipSync(csv))],
  ["a.zip", () => zipSync({ "a.csv": csv, "b.jsonl": jsonLines })],
];

const cut = fc.record({ kind: fc.constant("cut" as const), at: fc.nat(), to: fc.constant(0) });
/** What may happen to a file. */
const harm = fc.oneof(
  cut,
  fc.record({ kind: fc.constant("set" as const), at: fc.nat(), to: fc.integer({ min: 0, max: 255 }) }),
  fc.record({ kind: fc.constant("flip" as const), at: fc.nat(), to: fc.integer({ min: 0, max: 7 }) }),
  fc.record({ kind: fc.constant("lose" as const), at: fc.nat(), to: fc.integer({ min: 1, max: 40 }) }),
  fc.record({ kind: fc.constant("twice" as const), at: fc.nat(), to: fc.integer({ min: 1, max: 40 }) }),
  fc.record({ kind: fc.constant("fill" as const), at: fc.nat(), to: fc.integer({ min: 1, max: 12 }) }),
);

function harmed(bytes: Uint8Array, { kind, at, to }: { kind: string; at: number; to: number }): Uint8Array {
  const place = at % Math.max(1, bytes.length);
  const copy = bytes.slice();
  switch (kind) {
    case "set":
      copy[place] = to;
      return copy;
    case "flip":
      copy[place]! ^= 1 << to;
      return copy;
    case "cut":
      return copy.subarray(0, place);
    case "lose":
      return Uint8Array.from([...bytes.subarray(0, place), ...bytes.subarray(place + to)]);
    case "twice":
      return Uint8Array.from([...bytes.subarray(0, place + to), ...bytes.subarray(place)]);
    default:
      copy.fill(255, place, place + to);
      return copy;
  }
}

const RUNS = process.env["DAMAGE_RUNS"];

describe.each(FILES)("%s", (name, make) => {
  it("is read whole", async () => {
    const { parts, error } = await readParts(memoryFile(name, await make()));
    expect(error).toBeNull();
    expect(parts[0]!.records).toHaveLength(rows.length);
    expect(parts[0]!.records[3]).toMatchObject(name === "a.xml" ? { n: "21" } : { acc: "B3", n: "21" });
  });

  it("that was damaged on its way is refused in words, or read as far as it goes", async () => {
    const whole = await make();
    await fc.assert(
      // The library for Parquet believes what a page says of how long its runs are, however long that takes.
      fc.asyncProperty(
        fc.array(name.endsWith(".parquet") ? cut : harm, { minLength: 1, maxLength: 4 }),
        async (harms) => {
          const bytes = harms.reduce(harmed, whole);
          const { parts, error } = await readParts(memoryFile(name, bytes));
          if (error) {
            expect(error, error.stack).toBeInstanceOf(SieveError);
            expect(error.message).toMatch(/^[A-Z“a-z0-9].*[.:!?”)]$/su);
          }
          // Nothing comes of nothing.
          const read = parts.reduce((n, p) => n + p.records.length, 0);
          expect(read).toBeLessThan(rows.length * 6);
        },
      ),
      {
        // The same harms each time; with DAMAGE_RUNS others, and as many as are wanted.
        ...(RUNS === undefined ? { numRuns: 60, seed: 7 } : { numRuns: Number(RUNS) }),
        interruptAfterTimeLimit: 40_000,
        markInterruptAsFailure: false,
      },
    );
  }, 60_000);
});
