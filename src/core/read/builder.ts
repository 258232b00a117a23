import { grown } from "../kernel/lists.ts";
import { RAW_KEPT, type Block, type Unreadable } from "../kernel/block.ts";
import { Heap, isUtf8, utf8 } from "../kernel/bytes.ts";
import { hexOf } from "./documents.ts";

const BLOCK_RECORDS = 8192;
/** Cells of a block, so that wide records make blocks of fewer records. */
const BLOCK_CELLS = 1 << 19;
/** A block ends once it holds this much text, so that long records make blocks of fewer records. */
const BLOCK_BYTES = 2 << 20;

/** Where a record came from, for formats whose records are not simply spans of the file. */
export interface Place {
  /** From 1: a line, a row of a sheet, the number of a record. */
  readonly line: number;
  /** Byte range in the file once it is unpacked and in UTF-8. */
  readonly start: number;
  readonly end: number;
}

/** Records that are best added together by `addRows`. */
export const ROWS_TOGETHER = 512;

/** A value on its way into a cell: bytes are a text in UTF-8. */
export type CellValue = string | number | Uint8Array | undefined;

/** Values of one column of some records. */
export interface ColumnValues {
  readonly values: ArrayLike<CellValue>;
  /** Bytes that are no UTF-8 are shown as hexadecimal digits, and are not a text that is broken. */
  readonly loose: boolean;
}

function areTexts(values: ArrayLike<CellValue>, from: number, to: number): values is ArrayLike<string> {
  for (let r = from; r < to; r++) if (typeof values[r] !== "string") return false;
  return true;
}

/**
 * Makes blocks of records whose values come one by one and not as spans of a file. Columns may be
 * added at any time: later blocks are wider than earlier ones. A block is valid until the next
 * record is added.
 */
export class BlockBuilder {
  readonly heap = new Heap(new Uint8Array(1 << 20), 0);
  private start = new Int32Array(0);
  private end = new Int32Array(0);
  private width = 0;
  private count = 0;
  private first = 0;
  private capacity = BLOCK_RECORDS;
  private plain = new Int32Array(BLOCK_RECORDS);
  private origin = originsOf(BLOCK_RECORDS);
  private unreadable = new Map<number, Unreadable>();

  constructor(private readonly file: number) {}

  /** The block at hand is to be taken before the next record, or the next few, are added. */
  get full(): boolean {
    return this.count >= BLOCK_RECORDS || this.heap.length >= BLOCK_BYTES || this.count * this.width >= BLOCK_CELLS;
  }

  /** Adds a record. `raw` is what it looked like, `values` its cells by column; undefined is empty. */
  add(values: readonly (string | undefined)[], width: number, place: Place, raw: Uint8Array | string): void {
    this.makeRoom(width);
    const { heap } = this;
    this.note(place, raw);
    let i = this.count * this.width;
    const cells = heap.length;
    let broken = false;
    for (let c = 0; c < this.width; c++, i++) {
      const value = values[c];
      if (value === undefined || value === "") {
        this.start[i] = this.end[i] = 0;
        continue;
      }
      if (LONE_SURROGATE.test(value)) broken = true;
      this.start[i] = heap.append(value);
      this.end[i] = heap.length;
    }
    const nul = hasNul(heap, cells, heap.length);
    if (broken || nul) {
      this.start.fill(0, this.count * this.width, (this.count + 1) * this.width);
      this.end.fill(0, this.count * this.width, (this.count + 1) * this.width);
      this.unreadable.set(this.count, { reason: nul ? "nul" : "encoding", cells: 0 });
    }
    this.count++;
  }

  /**
   * Adds records column by column, those at `from` to before `to` of the columns' values, which have
   * no text of their own; the first is number `line`. One with a text that is no UTF-8 can't be read.
   */
  addRows(columns: readonly ColumnValues[], from: number, to: number, line: number): void {
    for (let r = from; r < to; r++) {
      this.makeRoom(columns.length);
      const { origin, count } = this;
      origin.line[count] = line + r - from;
      origin.start[count] = origin.end[count] = 0;
      origin.from[count] = origin.to[count] = this.heap.length;
      this.count++;
    }
    const { heap, start, end, width } = this;
    const first = this.count - (to - from);
    const texts = heap.length;
    for (let c = 0; c < width; c++) {
      const { values, loose } = columns[c]!;
      if (areTexts(values, from, to)) {
        heap.appendTexts(values, from, to, start, end, first * width + c, width);
        continue;
      }
      for (let r = from, i = first * width + c; r < to; r++, i += width) {
        const value = values[r];
        if (value === undefined || value === "") {
          start[i] = end[i] = 0;
          continue;
        }
        if (typeof value === "string") start[i] = heap.append(value);
        else if (typeof value === "number") start[i] = heap.appendNumber(value);
        else {
          const at = (start[i] = heap.length);
          if (!heap.appendBytes(value) && !isUtf8(heap.bytes, at, heap.length)) {
            if (!loose) this.unreadable.set(first + r - from, { reason: "encoding", cells: 0 });
            else {
              heap.length = at;
              heap.append(hexOf(value));
            }
          }
        }
        end[i] = heap.length;
      }
    }
    if (hasNul(heap, texts, heap.length)) {
      for (let r = first; r < this.count; r++) {
        for (let i = r * width; i < (r + 1) * width; i++) {
          if (hasNul(heap, start[i]!, end[i]!)) this.unreadable.set(r, { reason: "nul", cells: 0 });
        }
      }
    }
    for (const r of this.unreadable.keys()) if (r >= first) this.makeRaw(r);
  }

  /** Makes the cells of a record that can't be read its text, tabs between them, and leaves it none. */
  private makeRaw(r: number): void {
    const { heap, start, end, width, origin } = this;
    const from = heap.length;
    for (let i = r * width; i < (r + 1) * width; i++) {
      heap.appendBytes(heap.bytes.slice(start[i], Math.min(end[i]!, start[i]! + RAW_KEPT)));
      heap.append("\t");
      start[i] = end[i] = 0;
    }
    origin.from[r] = from;
    origin.to[r] = Math.min(heap.length - 1, from + RAW_KEPT);
  }

  /**
   * Opens a record whose cells are set one by one, as spans of the heap; all are empty at first.
   * Gives where its raw text stands in the heap, or -1 when it is too long to be kept there whole.
   */
  open(width: number, place: Place, raw: Uint8Array): number {
    if (raw.length > RAW_KEPT) return -1;
    this.makeRoom(width);
    const at = this.heap.length;
    this.note(place, raw);
    this.start.fill(0, this.count * this.width, (this.count + 1) * this.width);
    this.end.fill(0, this.count * this.width, (this.count + 1) * this.width);
    return at;
  }

  /** Sets a cell of the record that is open. */
  setCell(column: number, start: number, end: number): void {
    const i = this.count * this.width + column;
    this.start[i] = start;
    this.end[i] = end;
  }

  /** Closes the record that is open. One that is not closed leaves its place to the next. */
  close(): void {
    this.count++;
  }

  /** Adds a record that can't be read. */
  addUnreadable(unreadable: Unreadable, width: number, place: Place, raw: Uint8Array | string): void {
    this.makeRoom(width);
    this.note(place, raw);
    this.start.fill(0, this.count * this.width, (this.count + 1) * this.width);
    this.end.fill(0, this.count * this.width, (this.count + 1) * this.width);
    this.unreadable.set(this.count++, unreadable);
  }

  private makeRoom(width: number): void {
    if (this.count === 0) {
      this.heap.length = 0;
      this.width = Math.max(1, width);
      this.unreadable = new Map();
    } else if (width > this.width) this.widen(width);
    if (this.count === this.capacity) {
      // A document of very many records.
      this.capacity *= 2;
      this.plain = new Int32Array(this.capacity);
      const { line, start, end, from, to } = this.origin;
      this.origin = originsOf(this.capacity);
      this.origin.line.set(line);
      this.origin.start.set(start);
      this.origin.end.set(end);
      this.origin.from.set(from);
      this.origin.to.set(to);
    }
    if (this.start.length >= (this.count + 1) * this.width) return;
    const cells = Math.max((this.count + 1) * 2, Math.min(this.capacity, roomFor(this.width))) * this.width;
    this.start = grown(this.start, cells);
    this.end = grown(this.end, cells);
  }

  /** A column that first comes in the middle of a block is empty in the records before. */
  private widen(width: number): void {
    for (const name of ["start", "end"] as const) {
      const wide = new Int32Array(Math.max(this.count + 1, Math.min(this.capacity, roomFor(width))) * width);
      for (let r = 0; r < this.count; r++) {
        wide.set(this[name].subarray(r * this.width, (r + 1) * this.width), r * width);
      }
      this[name] = wide;
    }
    this.width = width;
  }

  private note(place: Place, raw: Uint8Array | string): void {
    const { heap, origin, count } = this;
    const at = heap.length;
    if (typeof raw === "string" && raw.length * 3 <= RAW_KEPT) {
      if (raw !== "") heap.append(raw);
    } else if (raw.length > 0) {
      const bytes = (typeof raw === "string" ? utf8(raw) : raw).subarray(0, RAW_KEPT);
      heap.reserve(bytes.length);
      heap.bytes.set(bytes, at);
      heap.length = at + bytes.length;
    }
    origin.line[count] = place.line;
    origin.start[count] = place.start;
    origin.end[count] = place.end;
    origin.from[count] = at;
    origin.to[count] = heap.length;
  }

  /** The records added since the last block, or null for none. */
  take(): Block | null {
    if (this.count === 0) return null;
    const block: Block = {
      file: this.file,
      first: this.first,
      count: this.count,
      width: this.width,
      heap: this.heap,
      start: this.start,
      end: this.end,
      plain: this.plain,
      origin: this.origin,
      unreadable: this.unreadable,
    };
    this.first += this.count;
    this.count = 0;
    return block;
  }
}

function originsOf(n: number) {
  return {
    line: new Int32Array(n),
    start: new Float64Array(n),
    end: new Float64Array(n),
    from: new Int32Array(n),
    to: new Int32Array(n),
  };
}

/** Records of a width that a block has room for at first. */
function roomFor(width: number): number {
  return Math.max(1, Math.ceil(BLOCK_CELLS / width));
}

/** Half a character of UTF-16, which stands for nothing. */
const LONE_SURROGATE = /\p{Surrogate}/u;

function hasNul(heap: Heap, from: number, to: number): boolean {
  return to > from && heap.bytes.subarray(from, to).includes(0);
}

/** Whether a text can't be kept as it is: it has a NUL, or half a character. */
export function isBrokenText(text: string): boolean {
  return text.includes("\0") || LONE_SURROGATE.test(text);
}
