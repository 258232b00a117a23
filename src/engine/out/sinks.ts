import { mkdir } from "node:fs/promises";
import { dirname, resolve, sep } from "node:path";
import { Zip, ZipDeflate, ZipPassThrough } from "fflate";
import { SieveError } from "@/core/kernel/problem.ts";
import { Output } from "./output.ts";
import type { FileSink, Sink } from "./write-out.ts";

/** Names that have their content compressed already. */
const PACKED = /\.(gz|parquet|avro|xlsx)$/;
/** What an archive without the extension for large ones may have. */
const MOST_ARCHIVE = 4_000_000_000;

/** Files in a folder: each aside until it is whole, and what is not whole goes again. */
export class FolderSink implements Sink {
  readonly several = true;
  private readonly unfinished = new Set<Output>();

  constructor(private readonly folder: string) {}

  async open(path: string): Promise<FileSink> {
    const at = resolve(this.folder, path);
    if (!at.startsWith(resolve(this.folder) + sep)) throw new Error(`${path} leads out of its folder`);
    await mkdir(dirname(at), { recursive: true });
    const file = new Output(at);
    this.unfinished.add(file);
    return {
      write: (bytes) => file.write(bytes),
      end: async () => {
        await file.end();
        this.unfinished.delete(file);
      },
    };
  }

  /** Takes away what is not whole. */
  async drop(): Promise<void> {
    await Promise.all([...this.unfinished].map((file) => file.drop()));
  }
}

/** Writes a small file whole. */
export async function putFile(sink: Sink, path: string, text: string): Promise<void> {
  const file = await sink.open(path);
  await file.write(new TextEncoder().encode(text));
  await file.end();
}

/** One file, whatever it is called. */
export function oneFile(write: (bytes: Uint8Array) => Promise<void>): Sink {
  return { several: false, open: () => Promise.resolve({ write, end: () => Promise.resolve() }) };
}

/** Files in an archive, one after the other. */
export class ZipSink implements Sink {
  readonly several = false;
  private ready: Uint8Array[] = [];
  private bytes = 0;
  private readonly zip = new Zip((error, bytes) => {
    if (error) throw error;
    this.ready.push(bytes);
  });

  constructor(private readonly into: (bytes: Uint8Array) => Promise<void>) {}

  private async pass(): Promise<void> {
    for (const bytes of this.ready.splice(0)) {
      this.bytes += bytes.length;
      if (this.bytes > MOST_ARCHIVE) {
        throw new SieveError("out-unfit", "The archive would be larger than 4 GB.", {
          hint: "Compress the files themselves, or have them written into a folder from the command line.",
        });
      }
      await this.into(bytes);
    }
  }

  async open(path: string): Promise<FileSink> {
    const file = PACKED.test(path) ? new ZipPassThrough(path) : new ZipDeflate(path, { level: 6 });
    this.zip.add(file);
    await this.pass();
    return {
      write: async (bytes) => {
        // What is given on is kept until it is compressed.
        file.push(bytes.slice(), false);
        await this.pass();
      },
      end: async () => {
        file.push(new Uint8Array(0), true);
        await this.pass();
      },
    };
  }

  async end(): Promise<void> {
    this.zip.end();
    await this.pass();
  }
}
