import { createReadStream } from "node:fs";
import { open } from "node:fs/promises";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import { openFile, type SourceFile, type Spool } from "@/core/read/source.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { arrivedCells } from "@/core/course/of-record.ts";
import { MOST_ENTRIES } from "@/store/references.ts";
import { fileRange, fileSpool } from "../threads/spool.ts";

/** The entries of a file that lies at a path, named as it came. */
export async function readEntriesAt(path: string, name: string): ReturnType<typeof readEntries> {
  const { spool, close } = fileSpool();
  const handle = await open(path);
  try {
    const file = {
      name,
      bytes: (await handle.stat()).size,
      chunks: () => createReadStream(path, { highWaterMark: 1 << 20 }),
      range: (start: number, end: number) => fileRange(handle, start, end),
    };
    return await readEntries(file, {}, spool);
  } finally {
    await handle.close();
    await close();
  }
}

/**
 * The entries of a file in any format that is read, for a reference list: its columns and their
 * cells, ends trimmed. Throws `list-invalid` for a file with a record that can't be read, or with too many.
 */
export async function readEntries(
  file: SourceFile,
  settings: ReadSettings,
  spool: Spool,
): Promise<{ columns: string[]; entries: string[][] }> {
  let columns: string[] = [];
  const rows: string[][] = [];
  for await (const opened of openFile(file, settings, spool, { next: 0 })) {
    const from = rows.length;
    for await (const block of opened.blocks) {
      const [bad] = block.unreadable.keys();
      if (bad !== undefined) {
        throw new SieveError("list-invalid", `Line ${block.origin.line[bad]} of ${opened.name} can't be read.`, {
          hint: "A reference list is taken whole or not at all: mend the line.",
        });
      }
      for (let r = 0; r < block.count; r++) rows.push(arrivedCells(block, r).map((c) => c.trim()));
      if (rows.length > MOST_ENTRIES) {
        throw new SieveError(
          "list-invalid",
          `${opened.name} has more than ${counted(MOST_ENTRIES, "entry", "entries")}.`,
        );
      }
    }
    const names = opened.columns();
    if (columns.length === 0) columns = [...names];
    // Sheets and files of one list are met by name.
    const order = columns.map((c) => names.indexOf(c));
    for (let i = from; i < rows.length; i++) rows[i] = order.map((at) => rows[i]![at] ?? "");
  }
  return { columns, entries: rows.filter((cells) => cells.some((c) => c !== "")) };
}
