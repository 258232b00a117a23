import { createReadStream } from "node:fs";
import { open, stat } from "node:fs/promises";
import { basename } from "node:path";
import { SieveError } from "@/core/kernel/problem.ts";
import type { RangedFile } from "@/core/read/part.ts";
import { fileRange } from "@/engine/threads/spool.ts";

/** A file of this machine as a source. Throws `file-missing` when there is none. */
export async function fileSource(path: string): Promise<RangedFile> {
  const info = await stat(path).catch(() => null);
  if (!info?.isFile()) {
    throw new SieveError("file-missing", `There is no file ${path}.`, { hint: "Check the path." });
  }
  return {
    name: basename(path),
    bytes: info.size,
    chunks: () => createReadStream(path, { highWaterMark: 1 << 20 }),
    range: async (start, end) => {
      const handle = await open(path);
      try {
        return await fileRange(handle, start, end);
      } finally {
        await handle.close();
      }
    },
  };
}
