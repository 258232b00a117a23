import { gzipSync } from "node:zlib";
import { strToU8, zipSync } from "fflate";
import { parquetWriteBuffer } from "hyparquet-writer";
import type { FormatId } from "@/core/read/formats.ts";
import { Random } from "./random.ts";
import { workbook } from "./workbook.ts";

/** Files that somebody sends who means harm, or whose program has gone wrong: each small, each of one kind. */
export interface HostileFile {
  readonly name: string;
  /** How a plan would have it read. */
  readonly as: FormatId;
  readonly bytes: () => Uint8Array;
  /** It keeps whoever reads it busy for long. */
  readonly long?: boolean;
}

const LONG = new Set([
  "short-lines.csv.gz",
  "many.zip",
  "bomb.xlsx",
  "bomb.zip",
  "below.csv.gz",
  "wide.csv",
  "one-line.csv",
  "open-quote.csv",
  "within.zip",
]);

const MB = 1_000_000;
const text = (s: string): Uint8Array => strToU8(s);
const line = `a,b,c\n`;
const lines = (bytes: number, one = "oak,12,seeds of oak\n"): string =>
  line + one.repeat(Math.floor(bytes / one.length));
const gz = (s: string): Uint8Array => new Uint8Array(gzipSync(text(s)));
const zip = (files: Record<string, Uint8Array>): Uint8Array => zipSync(files, { level: 9 });

const rows = Array.from({ length: 300 }, (_, i) => ({ a: `B${i}`, b: i * 7, c: `note ${i}, “${i % 5}”` }));
const parquet = (): Uint8Array =>
  new Uint8Array(
    parquetWriteBuffer({
      columnData: [
        { name: "a", data: rows.map((r) => r.a), type: "STRING" },
        { name: "b", data: rows.map((r) => BigInt(r.b)), type: "INT64" },
      ],
    }),
  );
const honest: Readonly<Record<string, readonly [FormatId, () => Uint8Array]>> = {
  "flipped.csv": ["delimited", () => text(line + rows.map((r) => `${r.a},${r.b},"${r.c}"\n`).join(""))],
  "flipped.jsonl": ["json-lines", () => text(rows.map((r) => JSON.stringify(r)).join("\n"))],
  "flipped.json": ["json", () => text(JSON.stringify({ list: rows }))],
  "flipped.xml": [
    "xml",
    () => text(`<?xml version="1.0"?><list>${rows.map((r) => `<r><a>${r.a}</a><b>${r.b}</b></r>`).join("")}</list>`),
  ],
  "flipped.parquet": ["parquet", parquet],
  "flipped.xlsx": ["xlsx", () => workbook([{ name: "S", rows: [["a", "b"], ...rows.map((r) => [r.a, r.b])] }])],
  "flipped.csv.gz": ["delimited", () => gz(lines(20_000))],
  "flipped.zip": ["delimited", () => zip({ "a.csv": text(lines(20_000)) })],
};

/** A copy with some of its bits the other way. */
function flipped(bytes: Uint8Array, seed: number): Uint8Array {
  const random = new Random(seed);
  const copy = bytes.slice();
  for (let i = 0; i < 6; i++) copy[random.whole(0, copy.length - 1)]! ^= 1 << random.whole(0, 7);
  return copy;
}

/** All of them; the same for the same seed. */
export function hostileFiles(seed = 1): HostileFile[] {
  const of = (name: string, as: FormatId, bytes: () => Uint8Array): HostileFile => ({
    name,
    as,
    bytes,
    long: LONG.has(name),
  });
  const deep = (open: string, close: string, n: number): string => open.repeat(n) + close.repeat(n);
  return [
    of("deep-arrays.json", "json", () => text(deep("[", "]", 100_000))),
    of("deep-objects.json", "json", () => text(`${'{"a":'.repeat(40_000)}1${"}".repeat(40_000)}`)),
    of("deep-open.json", "json", () => text("[".repeat(200_000))),
    of("deep-record.jsonl", "json-lines", () => text(`{"a":${deep("[", "]", 100_000)}}\n{"a":"oak"}\n`)),
    of("deep.xml", "xml", () => text(`<l><r>${deep("<a>", "</a>", 60_000)}</r></l>`)),
    of("laughs.xml", "xml", () =>
      text(
        `<?xml version="1.0"?><!DOCTYPE l [<!ENTITY a "ha">${"bcdefghij"
          .split("")
          .map((c, i) => `<!ENTITY ${c} "${`&${"abcdefghi"[i]};`.repeat(10)}">`)
          .join("")}]><l><r><a>&j;</a></r></l>`,
      ),
    ),
    of("attribute.xml", "xml", () => text(`<l><r a="${"x".repeat(20 * MB)}"/></l>`)),
    of("huge-key.jsonl", "json-lines", () => text(`{"${"k".repeat(10 * MB)}": 1}\n{"a":"oak"}\n`)),
    of("huge-keys.jsonl", "json-lines", () =>
      text(Array.from({ length: 60 }, (_, i) => `{"${String(i).repeat(100_000)}": 1}`).join("\n")),
    ),
    of("many-keys.jsonl", "json-lines", () =>
      text(
        Array.from({ length: 800 }, (_, i) =>
          JSON.stringify(Object.fromEntries(Array.from({ length: 50 }, (_, k) => [`k${i * 50 + k}`, 1]))),
        ).join("\n"),
      ),
    ),
    of("nul.jsonl", "json-lines", () =>
      text(String.raw`{"a":"x\u0000y"}` + "\n" + String.raw`{"a":"\ud800"}` + '\n{"a":"oak"}\n'),
    ),
    of("nul.csv", "delimited", () => text(`${line}oak\0,1,2\n${"oak,1,2\n".repeat(2000)}`)),
    of("bomb.csv.gz", "delimited", () => gz(lines(50 * MB))),
    of("below.csv.gz", "delimited", () => gz(lines(15 * MB))),
    of("empty-lines.csv.gz", "delimited", () => gz(line + "\n".repeat(15 * MB))),
    of("short-lines.csv.gz", "delimited", () => gz(`a\n${"1\n".repeat(4 * MB)}`)),
    of("bomb.zip", "delimited", () => zip({ "a.csv": text(lines(50 * MB)) })),
    of("within.zip", "delimited", () => zip({ "b.zip": zip({ "a.csv": text(lines(50 * MB)) }) })),
    of("zip-in-zip.zip", "delimited", () => {
      let inner = zip({ "a.csv": text(lines(100)) });
      for (let i = 0; i < 8; i++) inner = zip({ "z.zip": inner });
      return inner;
    }),
    of("many.zip", "delimited", () =>
      zip(Object.fromEntries(Array.from({ length: 2000 }, (_, i) => [`f${i}.csv`, text("a,b\noak,1\n")]))),
    ),
    of("bomb.xlsx", "xlsx", () =>
      workbook([{ name: "S", rows: [["a", "b"], ...Array.from({ length: 900_000 }, () => ["oak", 1])] }]),
    ),
    of("wide.csv", "delimited", () =>
      text(`${Array.from({ length: 100_000 }, (_, i) => `c${i}`).join(",")}\n${",".repeat(99_999)}\n`),
    ),
    of("one-line.csv", "delimited", () => text("x".repeat(40 * MB))),
    of("open-quote.csv", "delimited", () => text(`${line}oak,1,"${lines(20 * MB)}`)),
    of("quotes.csv", "delimited", () => text(`${line}${'"'.repeat(5 * MB)}`)),
    of("lying.parquet", "parquet", () => {
      const bytes = parquet();
      const footer = new DataView(bytes.buffer).getUint32(bytes.length - 8, true);
      // 300 rows are the zigzag number d8 04; fe 7f is 8,191.
      for (let p = bytes.length - 8 - footer; p < bytes.length - 10; p++) {
        if (bytes[p] === 0xd8 && bytes[p + 1] === 0x04) bytes.set([0xfe, 0x7f], p);
      }
      return bytes;
    }),
    of("footer.parquet", "parquet", () => {
      const bytes = parquet();
      new DataView(bytes.buffer).setUint32(bytes.length - 8, 0x7fffffff, true);
      return bytes;
    }),
    of("half.parquet", "parquet", () => {
      const bytes = parquet();
      return Uint8Array.from([...bytes.subarray(0, 200), ...bytes.subarray(bytes.length - 200)]);
    }),
    of("not.avro", "avro", () =>
      Uint8Array.from([0x4f, 0x62, 0x6a, 1, 0xff, 0xff, 0xff, 0xff, 0xff, 0x7f, ...text("avro.schema")]),
    ),
    ...Object.entries(honest).flatMap(([name, [as, make]], i) =>
      [1, 2].map((n) => of(`${n}-${name}`, as, () => flipped(make(), seed * 100 + i * 10 + n))),
    ),
  ];
}

/** Formulas that cost much, each in another way; `a` is a text, `n` a whole number. */
export const HOSTILE_FORMULAS: readonly string[] = [
  `[${Array.from({ length: 450 }, (_, i) => i).join(",")}].all(x, [${Array.from({ length: 450 }, (_, i) => i).join(",")}].all(y, x + y >= 0))`,
  'a.split("").all(x, a.split("").all(y, a.contains(x + y)))',
  `a${'.replace("a", "aaaaaaaaaa")'.repeat(12)} != "x"`,
  `a${'.split("").join("aaaaaaaaaaaaaaaaaaaa")'.repeat(5)} != "x"`,
  'a.matches("(a+)+$") && a.matches("(a|a)*b")',
  `${"(".repeat(900)}true${")".repeat(900)}`,
  Array.from({ length: 400 }, () => 'a.contains("oak")').join(" || "),
];
