import { createHash } from "node:crypto";
import { once } from "node:events";
import { createGzip, type Gzip } from "node:zlib";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import type { WrittenFile } from "@/core/interop/manifest.ts";
import type { Field } from "@/core/field/field.ts";
import { fileName, type AboutFile } from "@/core/write/files/name.ts";
import { folderOf, type Partition } from "@/core/write/files/partition.ts";
import { outputCalled } from "@/core/write/records/index.ts";
import type { RecordWriter, TextSettings } from "@/core/write/records/part.ts";

/** Records between two looks at what a file has come to. */
const STRETCH = 500;
/** Files that are open at once, where records come in no order of their folders: each keeps records in memory. */
const MOST_OPEN = 16;
/** Files that one writing makes. */
const MOST_FILES = 50_000;

/** How records go out. */
export interface OutSpec {
  /** A format's name or ending. */
  readonly format: string;
  readonly gzip: boolean;
  readonly partitions: readonly Partition[];
  /** A file has no more records than this. */
  readonly records?: number | undefined;
  /** A new file is begun once one has this many bytes. */
  readonly bytes?: number | undefined;
  /** A pattern of the files' names, without their ending. */
  readonly name: string;
  readonly text?: TextSettings | undefined;
}

/** A file that is being written. */
export interface FileSink {
  write(bytes: Uint8Array): Promise<void>;
  /** It is whole. */
  end(): Promise<void>;
}

/** Where files go. */
export interface Sink {
  /** Whether a file can be begun before another has ended. */
  readonly several: boolean;
  open(path: string): Promise<FileSink>;
}

/** Whether there may be several files. */
export const isSeveral = (spec: OutSpec): boolean =>
  spec.partitions.length > 0 || spec.records !== undefined || spec.bytes !== undefined;

/** The path of the only file of a writing that makes one. */
export function onlyPath(spec: OutSpec, about: AboutFile): string {
  return `${fileName(spec.name, about, null)}.${endingOf(spec)}`;
}

const endingOf = (spec: OutSpec): string => `${outputCalled(spec.format).extensions[0]!}${spec.gzip ? ".gz" : ""}`;

/** A file on its way into another, with its size and its hash as it stands there. */
export class MeasuredFile implements FileSink {
  bytes = 0;
  private readonly hash = createHash("sha256");

  constructor(private readonly into: FileSink) {}

  async write(bytes: Uint8Array): Promise<void> {
    this.bytes += bytes.length;
    this.hash.update(bytes);
    await this.into.write(bytes);
  }

  async end(): Promise<void> {
    await this.into.end();
  }

  /** Of what has been written so far, in hexadecimal digits. */
  get sha256(): string {
    return this.hash.copy().digest("hex");
  }
}

/** Compresses what goes into a file. */
class GzipFile implements FileSink {
  private readonly gzip: Gzip = createGzip();
  private readonly passed: Promise<void>;

  constructor(private readonly into: FileSink) {
    this.passed = this.pass();
    // What fails is told to whoever writes next.
    this.passed.catch((error: Error) => this.gzip.destroy(error));
  }

  private async pass(): Promise<void> {
    for await (const bytes of this.gzip) await this.into.write(bytes as Uint8Array);
  }

  async write(bytes: Uint8Array): Promise<void> {
    if (!this.gzip.write(bytes)) await once(this.gzip, "drain");
  }

  async end(): Promise<void> {
    this.gzip.end();
    await this.passed;
    await this.into.end();
  }
}

/** A file with its count, its size and its hash. */
class OpenFile {
  records = 0;
  /** As it stands where it went, compressed or not. */
  private readonly measured: MeasuredFile;
  private readonly into: FileSink;

  constructor(
    readonly path: string,
    private readonly writer: RecordWriter,
    sink: FileSink,
    gzip: boolean,
  ) {
    this.measured = new MeasuredFile(sink);
    this.into = gzip ? new GzipFile(this.measured) : this.measured;
  }

  get bytes(): number {
    return this.measured.bytes;
  }

  add(values: readonly string[]): void {
    this.writer.add(values);
    this.records++;
  }

  async flush(): Promise<void> {
    const bytes = this.writer.take();
    if (bytes.length > 0) await this.into.write(bytes);
  }

  async end(): Promise<WrittenFile> {
    this.writer.end();
    await this.flush();
    await this.into.end();
    const { bytes, sha256 } = this.measured;
    return { path: this.path, records: this.records, bytes, sha256 };
  }
}

/**
 * Writes records into files, in memory that does not grow with them. Without records there is one empty file, unless
 * they go into folders.
 * @param pages records with their canonical values by field, page by page
 * @param ordered whether records of one folder come one after the other, so that one file at a time is open
 * @returns the files in the order in which they were ended
 */
export async function writeOut(
  pages: AsyncIterable<readonly (readonly string[])[]>,
  fields: readonly Field[],
  spec: OutSpec,
  sink: Sink,
  { about, ordered }: { about: AboutFile; ordered: boolean },
): Promise<WrittenFile[]> {
  const part = outputCalled(spec.format);
  const folder = folderOf(spec.partitions, fields);
  const several = isSeveral(spec);
  const most = ordered || !sink.several ? 1 : MOST_OPEN;
  const written: WrittenFile[] = [];
  /** By folder, the latest used last. */
  const open = new Map<string, OpenFile>();
  let begun = 0;
  const end = async (at: string): Promise<void> => {
    written.push(await open.get(at)!.end());
    open.delete(at);
  };
  const begin = async (at: string): Promise<OpenFile> => {
    if (open.size >= most) await end(open.keys().next().value!);
    if (++begun > MOST_FILES) {
      throw new SieveError("out-unfit", `These would be more than ${grouped(MOST_FILES)} files.`, {
        hint: "Partition by fewer fields, or by longer periods.",
      });
    }
    const name = `${fileName(spec.name, about, several ? begun : null)}.${endingOf(spec)}`;
    const path = at === "" ? name : `${at}/${name}`;
    const file = new OpenFile(path, part.open(fields, about.feed, spec.text), await sink.open(path), spec.gzip);
    open.set(at, file);
    return file;
  };
  let since = 0;
  for await (const page of pages) {
    for (const values of page) {
      const at = folder(values);
      let file = open.get(at) ?? (await begin(at));
      if (file.records === spec.records || (spec.bytes !== undefined && file.bytes >= spec.bytes)) {
        await end(at);
        file = await begin(at);
      }
      file.add(values);
      if (++since % STRETCH === 0) await file.flush();
    }
    for (const file of open.values()) await file.flush();
  }
  if (begun === 0 && spec.partitions.length === 0) await begin("");
  for (const at of [...open.keys()]) await end(at);
  return written;
}
