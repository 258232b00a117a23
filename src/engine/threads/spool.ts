import { appendFileSync, closeSync, createReadStream, mkdtempSync, openSync, readSync, rmSync } from "node:fs";
import { mkdtemp, open, rm, writeFile, type FileHandle } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Spill } from "@/core/check/repeats.ts";
import type { RangedFile, Spool } from "@/core/read/part.ts";

/** Some bytes of an open file, [start, end); fewer where it ends before. */
export async function fileRange(handle: FileHandle, start: number, end: number): Promise<Uint8Array> {
  const bytes = new Uint8Array(Math.max(0, end - start));
  const { bytesRead } = await handle.read(bytes, 0, bytes.length, start);
  return bytes.subarray(0, bytesRead);
}

/** Temporary files for what has to be read from anywhere within; all go with `close`. */
export function fileSpool(): { spool: Spool; close: () => Promise<void> } {
  let folder = "";
  const handles: FileHandle[] = [];
  return {
    spool: async (name, chunks): Promise<RangedFile> => {
      folder ||= mkdtempSync(join(tmpdir(), "sieve-"));
      const path = join(folder, `spool-${handles.length}`);
      const handle = await open(path, "wx+", 0o600);
      handles.push(handle);
      let bytes = 0;
      for await (const chunk of chunks) {
        await handle.write(chunk);
        bytes += chunk.length;
      }
      return {
        name,
        bytes,
        chunks: () => createReadStream(path, { highWaterMark: 1 << 20 }),
        range: (start, end) => fileRange(handle, start, end),
      };
    },
    close: async () => {
      for (const handle of handles) await handle.close();
      if (folder) rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Bytes put into a temporary file of their own, for another process; `remove` takes it away. */
export async function fileOf(
  chunks: AsyncIterable<Uint8Array>,
): Promise<{ path: string; remove: () => Promise<void> }> {
  const folder = await mkdtemp(join(tmpdir(), "sieve-"));
  const remove = (): Promise<void> => rm(folder, { recursive: true, force: true });
  const path = join(folder, "file");
  try {
    await writeFile(path, chunks, { mode: 0o600 });
    return { path, remove };
  } catch (error) {
    await remove();
    throw error;
  }
}

/** Hashes of values that must be unique, in a temporary file that goes with the thread. */
export class FileSpill implements Spill {
  private readonly folder = mkdtempSync(join(tmpdir(), "sieve-"));
  private readonly file = openSync(join(this.folder, "spill"), "a+");
  private length = 0;

  append(bytes: Uint8Array): number {
    appendFileSync(this.file, bytes);
    this.length += bytes.length;
    return this.length - bytes.length;
  }

  read(offset: number, length: number): Uint8Array {
    const bytes = new Uint8Array(length);
    readSync(this.file, bytes, 0, length, offset);
    return bytes;
  }

  close(): void {
    closeSync(this.file);
    rmSync(this.folder, { recursive: true, force: true });
  }
}
