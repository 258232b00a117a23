import { Repeats } from "@/core/check/repeats.ts";
import { textOf, utf8 } from "@/core/kernel/bytes.ts";
import { finishHash, hashSpan, startHash, type Hash } from "@/core/kernel/hash.ts";
import { NOTHING_WORDS, isNothingWord } from "@/core/profile/nothing-words.ts";
import { newCellShape, scanShape, shapeText } from "@/core/profile/shape.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { openFile } from "@/core/read/source.ts";
import { arrivedCells } from "@/core/course/of-record.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type DeliveryFile, type OnRead } from "@/store/deliveries.ts";
import { FileSpill, fileSpool } from "../threads/spool.ts";

/** What can be asked of a column's cells; `again`: the value is given more than once. */
export const CELL_IS = [
  "empty",
  "blank",
  "value",
  "shape",
  "has",
  "again",
  "outside",
  "case",
  "number",
  "no number",
] as const;

const NUMBER = /^\s*[-+]?(\d+[.,]?\d*|[.,]\d+)\s*$/;

/** How the letters of a value are written, as the profile counts them; null where it has none. */
function caseOf(text: string): "upper" | "lower" | "mixed" | null {
  const bytes = utf8(text);
  const shape = newCellShape();
  scanShape(bytes, 0, bytes.length, shape);
  if (shape.upper === 0 && shape.lower === 0) return null;
  return shape.lower === 0 ? "upper" : shape.upper === 0 ? "lower" : "mixed";
}

/** What is true of a column's cell in the records that are wanted. */
export interface CellFilter {
  readonly column: string;
  readonly is: (typeof CELL_IS)[number];
  /**
   * The value, the shape, or the text that it has somewhere; of `outside` two numbers with .. between, of `case` how
   * letters are written that are not wanted.
   */
  readonly value?: string | undefined;
}

export interface ArrivedRecord {
  file: string;
  line: number;
  cells: string[];
}

/** A test for values of a column that are given more than once, from one look at all of them. */
async function repeatedIn(
  db: Db,
  files: readonly DeliveryFile[],
  read: ReadSettings,
  column: string,
  onRead?: OnRead,
): Promise<(text: string) => boolean> {
  const { spool, close } = fileSpool();
  const spill = new FileSpill();
  const hash: Hash = { a: 0, b: 0 };
  const take = (bytes: Uint8Array, start: number, end: number): string => {
    startHash(hash);
    hashSpan(bytes, start, end, hash);
    finishHash(hash);
    return `${hash.a} ${hash.b}`;
  };
  try {
    const repeats = new Repeats(files.reduce((n, f) => n + f.bytes, 0) / 40, spill);
    const again = new Set<string>();
    for (const resolving of [false, true]) {
      const numbers = new Set<number>();
      if (resolving) for (const found of repeats.resolve()) for (const f of found) numbers.add(f.record);
      let record = 0;
      const parts = { next: 0 };
      for (const file of files) {
        for await (const opened of openFile(storedFile(db, file, onRead), read, spool, parts)) {
          for await (const block of opened.blocks) {
            const c = opened.columns().indexOf(column);
            for (let r = 0; r < block.count; r++, record++) {
              const at = r * block.width + c;
              if (c < 0 || c >= block.width || block.start[at] === block.end[at]) continue;
              if (resolving && !numbers.has(record)) continue;
              const key = take(block.heap.bytes, block.start[at]!, block.end[at]!);
              if (resolving) again.add(key);
              else repeats.add(hash.a, hash.b, record, block.file, block.origin.line[r]!);
            }
          }
        }
      }
    }
    return (text) => {
      const bytes = utf8(text);
      return again.has(take(bytes, 0, bytes.length));
    };
  } finally {
    spill.close();
    await close();
  }
}

/** Records of a delivery as they arrived whose cell is such, from the `from`th such record on. */
export async function findInDelivery(
  db: Db,
  delivery: number,
  read: ReadSettings,
  filter: CellFilter,
  from = 0,
  limit = 200,
  onRead?: OnRead,
): Promise<{ columns: string[]; records: ArrivedRecord[]; more: boolean }> {
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  const columns: string[] = [];
  const records: ArrivedRecord[] = [];
  let passed = 0;
  const sought = filter.is === "has" ? (filter.value ?? "").toLowerCase() : (filter.value ?? "");
  const word = NOTHING_WORDS.includes(sought);
  const [low, high] = filter.is === "outside" ? sought.split("..").map(Number) : [];
  const isAgain = filter.is === "again" ? await repeatedIn(db, files, read, filter.column, onRead) : null;
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
      case "again":
        return text !== "" && isAgain!(text);
      case "outside": {
        const n = NUMBER.test(text) ? Number(text.trim().replace(",", ".")) : NaN;
        return n < low! || n > high!;
      }
      case "case": {
        const own = caseOf(text);
        return own !== null && own !== sought;
      }
      case "number":
        return NUMBER.test(text);
      case "no number":
        return text.trim() !== "" && !NUMBER.test(text) && !isNothingWord(text);
    }
  };
  try {
    const parts = { next: 0 };
    for (const file of files) {
      for await (const opened of openFile(storedFile(db, file, onRead), read, spool, parts)) {
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
