import type { SchemaElement } from "hyparquet";
import { ByteWriter, ParquetWriter } from "hyparquet-writer";
import { grouped } from "@/core/kernel/problem.ts";
import type { Plan } from "@/core/plan/document.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { fieldValues } from "@/core/course/of-record.ts";
import { microsOf } from "@/core/formula/value.ts";
import { outputCalled } from "@/core/write/records/index.ts";
import { median } from "./median.ts";
import { Random } from "./random.ts";
import { COLLECTORS, COUNTRIES, REMARKS, SITES, TAXA } from "./words.ts";

type Say = (text: string) => void;
type Rows = readonly (readonly string[])[];

/** Different records that are written over and over, a page of them at a time. */
const DIFFERENT = 40_000;
const PAGE = 2_000;
const DAY_MICROS = 86_400_000_000;

function rowsOf(plan: Plan): Rows {
  const random = new Random(20_261_130);
  const texts = Array.from({ length: DIFFERENT }, (_, i) => [
    `BHG-2026-${String(i).padStart(7, "0")}`,
    random.pick(["BHG", "CWA", "MIB", "QFS", "SMH"]),
    random.pick(TAXA),
    random.pick(COLLECTORS),
    `2026-${String(random.whole(1, 12)).padStart(2, "0")}-${String(random.whole(1, 28)).padStart(2, "0")}`,
    random.pick(SITES),
    random.pick(COUNTRIES),
    (48 + random.next() * 12).toFixed(4),
    (-8 + random.next() * 12).toFixed(4),
    String(random.whole(0, 1240)),
    (random.next() * 90).toFixed(3),
    `${random.pick(REMARKS)}, sheet ${random.whole(1, 9000)} of the field book, kept dry`,
  ]);
  const sifted = siftRows(
    compilePlan(plan),
    plan.contract.fields.map((f) => f.name),
    texts,
  );
  return texts.map((_, r) => fieldValues(sifted, r));
}

/** So many records to bytes that nobody keeps; gives how many bytes. */
type Write = (count: number) => number;

/** As records go out, from canonical texts. */
function ours(format: string, plan: Plan, rows: Rows): Write {
  return (count) => {
    const writer = outputCalled(format).open(plan.contract.fields, "record");
    let bytes = 0;
    for (let at = 0; at < count; at++) {
      writer.add(rows[at % DIFFERENT]!);
      if (at % PAGE === PAGE - 1) bytes += writer.take().length;
    }
    writer.end();
    return bytes + writer.take().length;
  };
}

/** What a library is given ready: texts for CSV, objects for JSON Lines, typed columns for Parquet. */
const LIBRARIES: Readonly<Record<string, (plan: Plan, rows: Rows) => Write>> = {
  csv: (_, rows) => (count) => {
    let bytes = 0;
    for (let at = 0; at < count; at += PAGE) {
      const from = at % DIFFERENT;
      const page = rows.slice(from, from + Math.min(PAGE, count - at));
      const quoted = (v: string): string => (/[",\r\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
      bytes += new TextEncoder().encode(page.map((r) => `${r.map(quoted).join(",")}\r\n`).join("")).length;
    }
    return bytes;
  },
  "json-lines": (plan, rows) => {
    const isNumber = plan.contract.fields.map((f) => f.type === "decimal" || f.type === "integer");
    const objects = rows.map((r) =>
      Object.fromEntries(
        plan.contract.fields.map((f, i) => [f.name, r[i] === "" ? null : isNumber[i] ? Number(r[i]) : r[i]]),
      ),
    );
    return (count) => {
      let bytes = 0;
      for (let at = 0; at < count; at += PAGE) {
        const from = at % DIFFERENT;
        const page = objects.slice(from, from + Math.min(PAGE, count - at));
        bytes += new TextEncoder().encode(page.map((o) => `${JSON.stringify(o)}\n`).join("")).length;
      }
      return bytes;
    };
  },
  parquet: (plan, rows) => {
    const { fields } = plan.contract;
    const columns = fields.map((f, i) => {
      const optional = { name: f.name, repetition_type: "OPTIONAL" } as const;
      const values = rows.map((r) => r[i]!);
      if (f.type === "integer") return { schema: { ...optional, type: "INT64" } as const, data: values.map(BigInt) };
      if (f.type === "date") {
        const data = values.map((v) => Math.round(microsOf(v) / DAY_MICROS));
        return { schema: { ...optional, type: "INT32", converted_type: "DATE" } as const, data };
      }
      if (f.type !== "decimal")
        return { schema: { ...optional, type: "BYTE_ARRAY", converted_type: "UTF8" } as const, data: values };
      const { precision, scale } = f;
      const data = values.map((v) => BigInt(Math.round(Number(v) * 10 ** scale!)));
      return {
        schema: { ...optional, type: "INT64", converted_type: "DECIMAL", precision, scale } as SchemaElement,
        data,
      };
    });
    return (count) => {
      const writer = new ByteWriter();
      const schema: SchemaElement[] = [
        { name: "record", num_children: fields.length },
        ...columns.map((c) => c.schema),
      ];
      const file = new ParquetWriter({ writer, schema });
      let bytes = 0;
      // What is written is left behind, as a file would take it.
      const leave = (): void => {
        bytes += writer.index;
        writer.index = 0;
      };
      for (let at = 0; at < count; at += 20_000) {
        const from = at % DIFFERENT;
        const length = Math.min(20_000, count - at);
        const columnData = columns.map((c, i) => ({ name: fields[i]!.name, data: c.data.slice(from, from + length) }));
        void file.write({ columnData, rowGroupSize: 20_000 });
        leave();
      }
      void file.finish();
      leave();
      return bytes;
    };
  },
};

/** Records to each format, beside the library that writes it (for CSV plain joins) fed with rows that are ready. */
export function benchOut(plan: Plan, count: number, rounds: number, say: Say): void {
  const rows = rowsOf(plan);
  for (const [format, library] of Object.entries(LIBRARIES)) {
    const writes = { ours: ours(format, plan, rows), bare: library(plan, rows) };
    const times: Record<keyof typeof writes, number[]> = { ours: [], bare: [] };
    const bytes = { ours: 0, bare: 0 };
    for (let i = 0; i < rounds; i++) {
      for (const which of ["bare", "ours"] as const) {
        const began = performance.now();
        bytes[which] = writes[which](count);
        times[which].push(performance.now() - began);
      }
    }
    globalThis.gc?.();
    const peaks = [count / 10, count].map((n) => peakOf(() => writes.ours(n)));
    const [own, bare] = [median(times.ours), median(times.bare)];
    say(
      `${grouped(count)} records to ${format}: ${(own / 1000).toFixed(2)} s, ${grouped(bytes.ours)} bytes; ready rows ${(bare / 1000).toFixed(2)} s, ${grouped(bytes.bare)} bytes; ${(own / bare).toFixed(2)} times; memory ${peaks[0]} MB for a tenth, ${peaks[1]} MB for all`,
    );
  }
}

/** The memory that the process has after some work, in MB. */
function peakOf(work: () => void): number {
  work();
  return Math.round(process.memoryUsage().rss / 1e6);
}
