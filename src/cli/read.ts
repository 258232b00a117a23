import { once } from "node:events";
import { openFile, rawText, type Opened } from "@/core/read/source.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { arrivedCells, rawBytes } from "@/core/course/of-record.ts";
import { fileSpool } from "@/engine/threads/spool.ts";
import { fileSource } from "./files.ts";

/**
 * The records of files as JSON Lines on standard output, one object a record keyed by column; what
 * was detected on standard error, one JSON line for each part of a file.
 */
export async function readFiles(paths: readonly string[], settings: ReadSettings): Promise<void> {
  const { spool, close } = fileSpool();
  try {
    const parts = { next: 0 };
    for (const path of paths) {
      for await (const opened of openFile(await fileSource(path), settings, spool, parts)) await readPart(opened);
    }
  } finally {
    await close();
  }
}

async function readPart(opened: Opened): Promise<void> {
  let told = false;
  const tell = (): void => {
    if (!told) process.stderr.write(`${JSON.stringify(report(opened))}\n`);
    told = true;
  };
  for await (const block of opened.blocks) {
    tell();
    const columns = opened.columns();
    const lines: string[] = [];
    for (let r = 0; r < block.count; r++) {
      const unreadable = block.unreadable.get(r);
      if (unreadable) {
        lines.push(
          JSON.stringify({
            unreadable: {
              reason: unreadable.reason,
              line: block.origin.line[r],
              bytes: [block.origin.start[r], block.origin.end[r]],
              raw: rawText(rawBytes(block, r)),
            },
          }),
        );
        continue;
      }
      // Assigning would make a prototype of a column called “__proto__”.
      lines.push(JSON.stringify(Object.fromEntries(arrivedCells(block, r).map((v, c) => [columns[c]!, v]))));
    }
    if (!process.stdout.write(`${lines.join("\n")}\n`)) await once(process.stdout, "drain");
  }
  tell();
}

function report(opened: Opened): object {
  const { as, ...options } = opened.options;
  return {
    file: opened.name,
    format: as,
    ...options,
    columns: opened.columns(),
    evidence: opened.evidence,
    ...(opened.doubts ? { doubts: opened.doubts } : {}),
  };
}
