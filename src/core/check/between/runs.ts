import type { Spill } from "../repeats.ts";

/** What is kept of a record for a check between records, side by side in one row. */
export const ROW = { a: 0, b: 1, at: 2, record: 3, file: 4, line: 5, p: 6, q: 7, width: 8 } as const;

/** Rows that are sorted in memory at a time, and read back at a time. */
const RUN = 1 << 15;
const PAGE = 1 << 9;

function compareRows(x: Float64Array, i: number, y: Float64Array, j: number): number {
  for (let k = 0; k <= ROW.record; k++) {
    const [own, other] = [x[i + k]!, y[j + k]!];
    if (own !== other) return own < other ? -1 : 1;
  }
  return 0;
}

/**
 * Rows of numbers in the order of their first four (two words of hash, a place, the record), in
 * memory that does not grow with them: runs are sorted, spilled and merged (Donald E. Knuth, The
 * Art of Computer Programming, volume 3, 1973, section 5.4).
 */
export class SortedRuns {
  private buffer = new Float64Array(RUN * ROW.width);
  private filled = 0;
  private readonly runs: { offset: number; bytes: number }[][] = [];

  constructor(private readonly spill: Spill) {}

  /** Takes a row. `a` and `b` tell its group, `at` where in the group it stands; no value is NaN but `p` and `q`. */
  put(a: number, b: number, at: number, record: number, file: number, line: number, p = NaN, q = NaN): void {
    const { buffer } = this;
    let i = this.filled * ROW.width;
    buffer[i++] = a;
    buffer[i++] = b;
    buffer[i++] = at;
    buffer[i++] = record;
    buffer[i++] = file;
    buffer[i++] = line;
    buffer[i++] = p;
    buffer[i] = q;
    if (++this.filled === RUN) this.endRun();
  }

  /** All rows in their order; each is valid until the next is asked for. Can be asked for more than once. */
  *rows(): Generator<Float64Array> {
    if (this.runs.length === 0) {
      const sorted = this.sorted();
      for (let i = 0; i < sorted.length; i += ROW.width) yield sorted.subarray(i, i + ROW.width);
      return;
    }
    this.endRun();
    const heads = this.runs.map((pages) => new Head(this.spill, pages));
    // A heap of runs, the one with the least row first.
    const less = (x: Head, y: Head): boolean => compareRows(x.page, x.at, y.page, y.at) < 0;
    const heap: Head[] = [];
    const sink = (from: number): void => {
      for (let i = from; ;) {
        let least = i;
        for (const child of [2 * i + 1, 2 * i + 2]) {
          if (child < heap.length && less(heap[child]!, heap[least]!)) least = child;
        }
        if (least === i) return;
        [heap[i], heap[least]] = [heap[least]!, heap[i]!];
        i = least;
      }
    };
    heap.push(...heads);
    for (let i = heap.length >> 1; i >= 0; i--) sink(i);
    while (heap.length > 0) {
      const head = heap[0]!;
      yield head.page.subarray(head.at, head.at + ROW.width);
      if (!head.next()) {
        const last = heap.pop()!;
        if (heap.length === 0) return;
        if (last !== head) heap[0] = last;
      }
      sink(0);
    }
  }

  /** The same, each with whether a group begins with it; what is given is valid until the next is asked for. */
  *grouped(): Generator<{ readonly row: Float64Array; readonly begins: boolean }> {
    const given: { row: Float64Array; begins: boolean } = { row: new Float64Array(0), begins: true };
    let [a, b] = [NaN, NaN];
    for (const row of this.rows()) {
      given.row = row;
      given.begins = row[ROW.a] !== a || row[ROW.b] !== b;
      if (given.begins) [a, b] = [row[ROW.a]!, row[ROW.b]!];
      yield given;
    }
  }

  private sorted(): Float64Array {
    const { buffer, filled } = this;
    const order = new Int32Array(filled);
    for (let i = 0; i < filled; i++) order[i] = i * ROW.width;
    order.sort((i, j) => compareRows(buffer, i, buffer, j));
    const sorted = new Float64Array(filled * ROW.width);
    order.forEach((from, i) => sorted.set(buffer.subarray(from, from + ROW.width), i * ROW.width));
    return sorted;
  }

  private endRun(): void {
    if (this.filled === 0) return;
    const sorted = this.sorted();
    const pages: { offset: number; bytes: number }[] = [];
    for (let i = 0; i < sorted.length; i += PAGE * ROW.width) {
      const page = sorted.subarray(i, i + PAGE * ROW.width);
      const bytes = new Uint8Array(page.buffer, page.byteOffset, page.byteLength);
      pages.push({ offset: this.spill.append(bytes), bytes: bytes.length });
    }
    this.runs.push(pages);
    this.filled = 0;
  }
}

/** Where the reading of a run stands. */
class Head {
  page: Float64Array = new Float64Array(0);
  at = 0;
  private following = 0;

  constructor(
    private readonly spill: Spill,
    private readonly pages: readonly { offset: number; bytes: number }[],
  ) {
    this.turn();
  }

  private turn(): void {
    const { offset, bytes } = this.pages[this.following++]!;
    this.page = new Float64Array(this.spill.read(offset, bytes).slice().buffer);
    this.at = 0;
  }

  /** Goes to the next row; false when there is none. */
  next(): boolean {
    this.at += ROW.width;
    if (this.at < this.page.length) return true;
    if (this.following === this.pages.length) return false;
    this.turn();
    return true;
  }
}
