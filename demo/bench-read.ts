import { createReadStream, existsSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import avro from "avsc";
import { Unzip, UnzipInflate } from "fflate";
import { parquetReadObjects } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import { parquetWriteBuffer } from "hyparquet-writer";
import { SaxesParser } from "saxes";
import { MemorySpill } from "@/core/check/repeats.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Plan } from "@/core/plan/document.ts";
import { openFile } from "@/core/read/source.ts";
import { siftFile } from "@/core/course/files.ts";
import { Course } from "@/core/course/course.ts";
import { fileSource } from "@/cli/files.ts";
import { fileSpool } from "@/engine/threads/spool.ts";
import { Random } from "./random.ts";
import { COLLECTORS, COUNTRIES, SITES, TAXA } from "./words.ts";
import { workbook } from "./workbook.ts";
import { median } from "./median.ts";

type Say = (text: string) => void;

async function seconds(work: () => Promise<number>): Promise<{ records: number; s: number }> {
  const began = performance.now();
  const records = await work();
  return { records, s: (performance.now() - began) / 1000 };
}

/** Reads a file's records and does nothing with them. */
async function readAll(path: string): Promise<number> {
  const { spool, close } = fileSpool();
  try {
    let records = 0;
    for await (const opened of openFile(await fileSource(path), {}, spool)) {
      for await (const block of opened.blocks) records += block.count;
    }
    return records;
  } finally {
    await close();
  }
}

/** Reading each format beside its own library alone, in turn; prints records a second and the ratio of times. */
export async function benchFormats(folder: string, count: number, rounds: number, say: Say): Promise<void> {
  const random = new Random(7);
  const records = Array.from({ length: count }, (_, i) => ({
    accession: `BHG-2026-${String(i).padStart(7, "0")}`,
    taxon: random.pick(TAXA),
    collector: random.pick(COLLECTORS),
    site: random.pick(SITES),
    country: random.pick(COUNTRIES),
    latitude: Math.round(random.next() * 900_000) / 10_000,
    altitude: random.whole(0, 1240),
    kept: random.chance(0.5),
  }));
  const path = (end: string): string => join(folder, `formats-${count}.${end}`);
  const names = Object.keys(records[0]!) as (keyof (typeof records)[number])[];
  const make = async (end: string, bytes: () => string | Uint8Array | Promise<Uint8Array>): Promise<string> => {
    if (!existsSync(path(end))) writeFileSync(path(end), await bytes());
    return path(end);
  };
  const jsonl = await make("jsonl", () => `${records.map((r) => JSON.stringify(r)).join("\n")}\n`);
  const json = await make("json", () => JSON.stringify({ items: records }));
  const escaped = (v: unknown): string => String(v).replace(/&/g, "&amp;").replace(/</g, "&lt;");
  const xml = await make(
    "xml",
    () =>
      `<all>\n${records.map((r) => `<r>${names.map((n) => `<${n}>${escaped(r[n])}</${n}>`).join("")}</r>`).join("\n")}\n</all>\n`,
  );
  const xlsx = await make("xlsx", () =>
    workbook([
      {
        name: "A",
        rows: [names, ...records.map((r) => names.map((n) => (typeof r[n] === "number" ? r[n] : String(r[n]))))],
      },
    ]),
  );
  const parquet = await make(
    "parquet",
    () =>
      new Uint8Array(
        parquetWriteBuffer({ columnData: names.map((name) => ({ name, data: records.map((r) => r[name]) })) }),
      ),
  );
  const schema = {
    type: "record",
    name: "r",
    fields: names.map((name) => ({
      name,
      type: { string: "string", number: name === "altitude" ? "int" : "double", boolean: "boolean" }[
        typeof records[0]![name] as "string"
      ],
    })),
  } as const;
  const avroPath = await make("avro", async () => {
    const parts: Buffer[] = [];
    const encoder = new avro.streams.BlockEncoder(schema as never, { codec: "null" });
    encoder.on("data", (b: Buffer) => parts.push(b));
    const done = new Promise((resolve) => encoder.on("end", resolve));
    for (const r of records) encoder.write(r);
    encoder.end();
    await done;
    return new Uint8Array(Buffer.concat(parts));
  });

  const saxes = (push: (parser: SaxesParser) => Promise<void> | void): Promise<number> => {
    const parser = new SaxesParser();
    let n = 0;
    parser.on("opentag", () => n++);
    parser.on("text", () => {});
    return Promise.resolve(push(parser)).then(() => n);
  };
  const libraries: [string, string, () => Promise<number>][] = [
    [
      "JSON Lines, beside JSON.parse of each line",
      jsonl,
      async () => {
        let n = 0;
        let rest = Buffer.alloc(0);
        for await (const chunk of createReadStream(jsonl, { highWaterMark: 1 << 20 })) {
          const all = Buffer.concat([rest, chunk as Buffer]);
          let from = 0;
          for (let at = all.indexOf(10); at >= 0; at = all.indexOf(10, from)) {
            JSON.parse(all.toString("utf8", from, at));
            from = at + 1;
            n++;
          }
          rest = all.subarray(from);
        }
        return n;
      },
    ],
    [
      "JSON, beside JSON.parse of the whole text",
      json,
      async () => (JSON.parse(readFileSync(json, "utf8")) as { items: unknown[] }).items.length,
    ],
    [
      "XML, beside saxes alone",
      xml,
      () =>
        saxes(async (parser) => {
          for await (const chunk of createReadStream(xml, { highWaterMark: 1 << 20, encoding: "utf8" }))
            parser.write(chunk as string);
        }),
    ],
    [
      "XLSX, beside fflate and saxes alone",
      xlsx,
      () =>
        saxes((parser) => {
          const decoder = new TextDecoder();
          const unzip = new Unzip((file) => {
            if (!/sheet1|sharedStrings/.test(file.name)) return;
            let first = true;
            file.ondata = (_, data) => {
              // Each entry is a document of its own: what is measured is tags, not whether they nest.
              const text = decoder.decode(data, { stream: true });
              parser.write(first ? text.replace(/<\?xml[^>]*\?>/, "") : text);
              first = false;
            };
            file.start();
          });
          unzip.register(UnzipInflate);
          parser.on("error", () => {});
          unzip.push(readFileSync(xlsx), true);
        }),
    ],
    [
      "Parquet, beside hyparquet alone",
      parquet,
      async () => {
        const bytes = readFileSync(parquet);
        const file = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer;
        return (await parquetReadObjects({ file, compressors })).length;
      },
    ],
    [
      "Avro, beside avsc alone",
      avroPath,
      () =>
        new Promise((resolve, reject) => {
          let n = 0;
          const decoder = avro.createFileDecoder(avroPath);
          decoder.on("data", () => n++);
          decoder.on("end", () => resolve(n));
          decoder.on("error", reject);
        }),
    ],
  ];
  for (const [title, file, library] of libraries) {
    const ours: number[] = [];
    const theirs: number[] = [];
    for (let i = 0; i <= rounds; i++) {
      const a = await seconds(library);
      const b = await seconds(() => readAll(file));
      if (b.records !== count) throw new Error(`${file}: ${b.records} records were read, not ${count}`);
      // The first round warms both up.
      if (i === 0) continue;
      theirs.push(a.s);
      ours.push(b.s);
    }
    const ratio = median(ours.map((o, i) => o / theirs[i]!));
    say(`read ${title}: ${Math.round(count / median(ours))} records a second, ${ratio.toFixed(2)} times its time`);
  }
}

/** A profile of the whole file beside reading and checking it, in turn. */
export async function benchProfile(path: string, plan: Plan, rounds: number, say: Say): Promise<void> {
  const compiled = compilePlan(plan);
  const { spool, close } = fileSpool();
  const check = async (): Promise<number> => {
    const course = new Course(compiled, {
      spill: new MemorySpill(),
      expected: statSync(path).size / 40,
      distinct: true,
    });
    let n = 0;
    for await (const sifted of siftFile(course, await fileSource(path), 0, plan.read, spool)) n += sifted.block.count;
    return n;
  };
  const profile = async (): Promise<number> => {
    const fold = new ProfileFold(new MemorySpill(), statSync(path).size / 40);
    for await (const opened of openFile(await fileSource(path), plan.read, spool)) {
      for await (const block of opened.blocks) fold.add(block, opened.columns());
    }
    return fold.finish().records;
  };
  const checks: number[] = [];
  const profiles: number[] = [];
  for (let i = 0; i < rounds; i++) {
    checks.push((await seconds(check)).s);
    profiles.push((await seconds(profile)).s);
  }
  await close();
  const ratio = median(profiles.map((p, i) => p / checks[i]!));
  say(
    `profile of the whole file / reading and checking it: median ${median(profiles).toFixed(2)} s / ${median(checks).toFixed(2)} s, ratio ${ratio.toFixed(2)}`,
  );
}
