import { textOf } from "@/core/kernel/bytes.ts";
import { NOTHING_WORDS } from "@/core/profile/profile.ts";
import { shapeText } from "@/core/profile/shape.ts";
import type { ReadSettings } from "@/core/read/part.ts";
import { openFile } from "@/core/read/source.ts";
import { arrivedCells } from "@/core/course/course.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type ReadTold } from "@/store/deliveries.ts";
import { fileSpool } from "../threads/spool.ts";

/** What is true of a column's cell in the records that are wanted. */
export interface CellFilter {
  readonly column: string;
  readonly is: "empty" | "blank" | "value" | "shape" | "has";
  /** The value, the shape, or the text that it has somewhere. */
  readonly value?: string | undefined;
}

export interface ArrivedRecord {
  file: string;
  line: number;
  cells: string[];
}

/** Records of a delivery as they arrived whose cell is such, from the `from`th such record on. */
export async function findInDelivery(
  db: Db,
  delivery: number,
  read: ReadSettings,
  filter: CellFilter,
  from = 0,
  limit = 200,
  told?: ReadTold,
): Promise<{ columns: string[]; records: ArrivedRecord[]; more: boolean }> {
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  const columns: string[] = [];
  const records: ArrivedRecord[] = [];
  let passed = 0;
  const sought = filter.is === "has" ? (filter.value ?? "").toLowerCase() : (filter.value ?? "");
  const word = NOTHING_WORDS.includes(sought);
  const fits = (text: string): boolean => {
    switch (filter.is) {
      case "empty":
        return text === "";
      case "blank":
        return text !== "" && text.trim() === "";
      case "value":
        return word
          ? text.trim().toLowerCase() === sought
          : text === sought || (sought.length >= 150 && text.startsWith(sought));
      case "shape":
        return text !== "" && shapeText(text) === sought;
      case "has":
        return text.toLowerCase().includes(sought);
    }
  };
  try {
    const parts = { next: 0 };
    for (const file of files) {
      for await (const opened of openFile(storedFile(db, file, told), read, spool, parts)) {
        for await (const block of opened.blocks) {
          const names = opened.columns();
          for (const name of names) if (!columns.includes(name)) columns.push(name);
          const c = names.indexOf(filter.column);
          for (let r = 0; r < block.count; r++) {
            if (block.unreadable.has(r)) continue;
            const at = r * block.width + c;
            const cell = c < 0 || c >= block.width ? "" : textOf(block.heap.bytes, block.start[at]!, block.end[at]!);
            if (!fits(cell)) continue;
            if (passed++ < from) continue;
            if (records.length === limit) return { columns, records, more: true };
            const own = new Map(arrivedCells(block, r).map((v, i) => [names[i]!, v]));
            records.push({
              file: opened.name,
              line: block.origin.line[r]!,
              cells: columns.map((name) => own.get(name) ?? ""),
            });
          }
        }
      }
    }
    return { columns, records, more: false };
  } finally {
    await close();
  }
}
