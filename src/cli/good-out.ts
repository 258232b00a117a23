import { once } from "node:events";
import { stat } from "node:fs/promises";
import { extname } from "node:path";
import { PassThrough } from "node:stream";
import type { Compiled } from "@/core/course/compiled.ts";
import { manifestOf } from "@/core/interop/manifest.ts";
import { readPartitions } from "@/core/write/files/partition.ts";
import { outputCalled, outputOf } from "@/core/write/records/index.ts";
import type { RecordWriter } from "@/core/write/records/part.ts";
import { Output } from "@/engine/out/output.ts";
import { FolderSink, putFile } from "@/engine/out/sinks.ts";
import { writeOut } from "@/engine/out/write-out.ts";

/** Where good records go. */
export interface GoodOut {
  add(values: readonly string[]): void;
  /** Lets what was added be written, so that little is in memory. */
  flush(): Promise<void>;
  end(): Promise<void>;
  /** Leaves nothing that is not whole. */
  drop(): Promise<void>;
}

/** How good records are written. */
export interface GoodOptions {
  /** A file, whose ending says the format; or a folder. */
  good?: string;
  format?: string;
  /** Fields by which records go into folders: `partner,collected_on:month`. */
  partition?: string;
  /** A file has no more records. */
  records?: number;
}

/** A folder has no ending, or is there; what has one is a file. */
export async function isFolder(path: string): Promise<boolean> {
  const there = await stat(path).catch(() => null);
  return there ? there.isDirectory() : path.endsWith("/") || extname(path) === "";
}

/** Good records into one file, or, where they are to be in several, into a folder with a manifest. Throws `out-unfit`. */
export async function goodOut(options: GoodOptions, compiled: Compiled, sent: readonly string[]): Promise<GoodOut> {
  const { good, partition, records } = options;
  const several = partition !== undefined || records !== undefined;
  if (good !== undefined && (several || (await isFolder(good)))) return new GoodFolder(options, compiled, sent);
  return new GoodFile(good, options.format, compiled);
}

class GoodFile implements GoodOut {
  private readonly file: Output;
  private readonly writer: RecordWriter;

  constructor(path: string | undefined, format: string | undefined, { fields, plan }: Compiled) {
    const part = format === undefined ? outputOf(path ?? "") : outputCalled(format);
    this.file = new Output(path);
    this.writer = part.open(fields, plan.feed);
  }

  add(values: readonly string[]): void {
    this.writer.add(values);
  }

  async flush(): Promise<void> {
    await this.file.write(this.writer.take());
  }

  async end(): Promise<void> {
    this.writer.end();
    await this.flush();
    await this.file.end();
  }

  drop(): Promise<void> {
    return this.file.drop();
  }
}

/** Files in folders. What writes them takes page by page, and whoever adds waits until a page is taken. */
class GoodFolder implements GoodOut {
  private readonly sink: FolderSink;
  private readonly pages = new PassThrough({ objectMode: true, highWaterMark: 1 });
  private readonly written: ReturnType<typeof writeOut>;
  private page: (readonly string[])[] = [];

  constructor(
    options: GoodOptions,
    private readonly compiled: Compiled,
    private readonly sent: readonly string[],
  ) {
    const { fields, plan } = compiled;
    const path = options.good!;
    // A name with an ending says the format of the files in a folder of that name.
    const ending = extname(path);
    this.sink = new FolderSink(ending === "" ? path : path.slice(0, -ending.length));
    const spec = {
      format: outputCalled(options.format ?? (ending.slice(1) || "csv")).id,
      gzip: false,
      partitions: readPartitions(options.partition ?? "", fields),
      records: options.records,
      name: "{feed}-{day}",
    };
    const about = { feed: plan.feed, load: "", sender: "", day: compiled.day ?? "" };
    this.written = writeOut(this.pages, fields, spec, this.sink, { about, ordered: false });
    // What fails is told to whoever adds next.
    this.written.catch(() => {});
  }

  add(values: readonly string[]): void {
    this.page.push([...values]);
  }

  async flush(): Promise<void> {
    if (this.page.length === 0) return;
    if (this.pages.write(this.page.splice(0))) return;
    await Promise.race([once(this.pages, "drain"), this.written]);
  }

  async end(): Promise<void> {
    await this.flush();
    this.pages.end();
    const files = await this.written;
    const about = { plan: null, of: { files: this.sent }, made_at: new Date().toISOString() };
    await putFile(
      this.sink,
      "manifest.json",
      `${JSON.stringify(manifestOf(this.compiled.plan, about, files), null, 2)}\n`,
    );
  }

  async drop(): Promise<void> {
    this.pages.destroy();
    await this.written.catch(() => {});
    await this.sink.drop();
  }
}
