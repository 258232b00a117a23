import { createWriteStream } from "node:fs";
import { mkdir, rename, rm, writeFile } from "node:fs/promises";
import { once } from "node:events";
import { dirname, resolve, sep } from "node:path";
import { Zip, ZipDeflate, ZipPassThrough } from "fflate";
import { SieveError } from "@/core/kernel/problem.ts";
import type { FileSink, Sink } from "./write-out.ts";

/** Names that have their content compressed already. */
const PACKED = /\.(gz|parquet|xlsx)$/;
/** What an archive without the extension for large ones may have. */
const MOST_ARCHIVE = 4_000_000_000;

/** Files in a folder: each aside until it is whole, and what is not whole goes again. */
export class FolderSink implements Sink {
  readonly several = true;
  private readonly aside = new Set<string>();

  constructor(private readonly folder: string) {}

  private at(path: string): string {
    const at = resolve(this.folder, path);
    if (!at.startsWith(resolve(this.folder) + sep)) throw new Error(`${path} leads out of its folder`);
    return at;
  }

  async open(path: string): Promise<FileSink> {
    const at = this.at(path);
    await mkdir(dirname(at), { recursive: true });
    const stream = createWriteStream(`${at}.part`);
    this.aside.add(at);
    let failed: Error | null = null;
    stream.on("error", (error) => (failed = error));
    return {
      write: async (bytes) => {
        if (failed) throw failed;
        if (!stream.write(bytes)) await once(stream, "drain");
      },
      end: async () => {
        stream.end();
        await once(stream, "finish");
        await rename(`${at}.part`, at);
        this.aside.delete(at);
      },
    };
  }

  /** Writes a small file whole. */
  async put(path: string, text: string): Promise<void> {
    const at = this.at(path);
    await mkdir(dirname(at), { recursive: true });
    await writeFile(`${at}.part`, text);
    await rename(`${at}.part`, at);
  }

  /** Takes away what is not whole. */
  async drop(): Promise<void> {
    await Promise.all([...this.aside].map((at) => rm(`${at}.part`, { force: true })));
  }
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

  async put(path: string, text: string): Promise<void> {
    const file = await this.open(path);
    await file.write(new TextEncoder().encode(text));
    await file.end();
  }

  async end(): Promise<void> {
    this.zip.end();
    await this.pass();
  }
}
