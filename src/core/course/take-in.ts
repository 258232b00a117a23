import type { Block } from "../kernel/block.ts";
import { NOT_OF_TYPE } from "../kernel/verdict.ts";
import { ABOUT, type Mapping } from "../map/columns.ts";
import type { Work } from "./work.ts";

/** What is known of the file that a block is of. */
export interface OfFile {
  readonly mapping: Mapping;
  readonly fileName: string;
  /** The name of a record's file by its number in the block, where records of several files are run as one. */
  readonly fileOf: ((record: number) => string) | null;
}

/** Takes a block's columns into the fields that they meet. */
export function takeIn(work: Work, block: Block, of: OfFile): void {
  const { count, width } = block;
  for (const [f, { start, end }] of work.cells.entries()) {
    const column = of.mapping.column[f]!;
    if (column < -1) {
      takeAbout(work, block, f, column === ABOUT["@file"] ? of : null);
      continue;
    }
    // A document's column that first comes later in the file is not in this block yet.
    if (column === -1 || column >= width) {
      start.fill(0, 0, count);
      end.fill(0, 0, count);
      continue;
    }
    for (let r = 0, i = column; r < count; r++, i += width) {
      start[r] = block.start[i]!;
      end[r] = block.end[i]!;
    }
  }
}

/** Fills a field that is about the record: its file, where that is given, or its line. */
function takeAbout(work: Work, block: Block, f: number, file: OfFile | null): void {
  const { heap, count } = block;
  const { start, end } = work.cells[f]!;
  if (file && !file.fileOf) {
    start.fill(heap.append(file.fileName), 0, count);
    end.fill(heap.length, 0, count);
  } else {
    for (let r = 0; r < count; r++) work.set(f, r, file?.fileOf ? file.fileOf(r) : String(block.origin.line[r]));
  }
  for (const r of block.unreadable.keys()) end[r] = start[r]!;
}

/** Finds of each record how many of the first fields stand in the raw text just as they were read. */
export function findUntouched(work: Work, block: Block, { column }: Mapping): void {
  const { untouched, cells } = work;
  const { count, width } = block;
  let most = 0;
  while (most < cells.length && column[most] === most) most++;
  for (let r = 0; r < count; r++) untouched[r] = Math.min(most, block.plain[r]!);
  for (let f = 0; f < most; f++) {
    const { start, end } = cells[f]!;
    const faults = work.faults[f]!;
    for (let r = 0, i = f; r < count; r++, i += width) {
      if ((start[r] !== block.start[i] || end[r] !== block.end[i] || faults[r] === NOT_OF_TYPE) && untouched[r]! > f) {
        untouched[r] = f;
      }
    }
  }
}
