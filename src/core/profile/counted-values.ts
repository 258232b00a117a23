import { Heap, textOf } from "../kernel/bytes.ts";

/** Different values whose counts are kept. */
export const KEPT_VALUES = 8192;
const SLOTS = KEPT_VALUES * 4;

/** A value, how often it was met, and the first record that has it. */
export interface CountedValue {
  readonly value: string;
  readonly count: number;
  readonly first: number;
}

/** Longest value that is kept whole, in bytes. */
export const KEPT_BYTES = 400;

/**
 * Counts values in flat memory. Up to KEPT_VALUES different ones the counts are exact; beyond, the
 * rarer half is forgotten whenever the table is full (lossy counting, Manku and Motwani, 2002), and
 * a kept count may fall short by at most `short`.
 */
export class CountedValues {
  /** Slot to entry, 0 for none. */
  private slots = new Int32Array(SLOTS);
  private hashes = new Int32Array(KEPT_VALUES * 2);
  private counts = new Float64Array(KEPT_VALUES * 2);
  private firsts = new Float64Array(KEPT_VALUES * 2);
  /** The values' bytes one after another, and where each begins and ends: they are decoded when they are asked for. */
  private heap = new Heap(new Uint8Array(0), 0);
  private starts = new Int32Array(KEPT_VALUES * 2);
  private ends = new Int32Array(KEPT_VALUES * 2);
  private size = 0;
  short = 0;
  /** Nothing was ever forgotten: every different value is here. */
  exact = true;

  /** Nearly all values are met once: new ones are no longer taken in. */
  private closed = false;
  private forgotten = 0;

  get full(): boolean {
    return this.size === KEPT_VALUES * 2;
  }

  /** Counts a value that is known; false for one that is not. */
  bump(hash: number): boolean {
    let slot = hash & (SLOTS - 1);
    for (;;) {
      const entry = this.slots[slot]!;
      if (entry === 0) return false;
      if (this.hashes[entry - 1] === (hash | 0)) {
        this.counts[entry - 1]!++;
        return true;
      }
      slot = (slot + 1) & (SLOTS - 1);
    }
  }

  /** Counts a value. One that is longer than KEPT_BYTES is told apart by its hash and kept by its beginning. */
  add(hash: number, bytes: Uint8Array, start: number, end: number, record: number, times = 1): void {
    let slot = hash & (SLOTS - 1);
    for (;;) {
      const entry = this.slots[slot]!;
      if (entry === 0) break;
      if (this.hashes[entry - 1] === (hash | 0)) {
        this.counts[entry - 1]! += times;
        return;
      }
      slot = (slot + 1) & (SLOTS - 1);
    }
    if (this.closed) return;
    if (this.size === KEPT_VALUES * 2) {
      this.forget();
      if (this.closed) return;
      this.add(hash, bytes, start, end, record, times);
      return;
    }
    const at = this.size++;
    this.hashes[at] = hash | 0;
    this.counts[at] = times + this.short;
    this.firsts[at] = record;
    // Long values are told apart by their hash and shown by their beginning.
    this.starts[at] = this.heap.length;
    this.heap.appendSpan(bytes, start, Math.min(end, start + KEPT_BYTES));
    this.ends[at] = this.heap.length;
    this.slots[slot] = at + 1;
  }

  private forget(): void {
    let keep: number[] = [];
    let limit = this.short + 1;
    for (let i = 0; i < this.size; i++) if (this.counts[i]! > limit) keep.push(i);
    if (keep.length > KEPT_VALUES) {
      keep.sort((a, b) => this.counts[b]! - this.counts[a]!);
      limit = this.counts[keep[KEPT_VALUES]!]!;
      keep = keep.slice(0, KEPT_VALUES);
    }
    this.short = limit;
    this.exact = false;
    this.closed = ++this.forgotten >= 3 && keep.length < KEPT_VALUES / 50;
    const hashes = keep.map((i) => this.hashes[i]!);
    const counts = keep.map((i) => this.counts[i]!);
    const firsts = keep.map((i) => this.firsts[i]!);
    // In the order in which they are kept, which is not always that in which they stand.
    const heap = new Heap(new Uint8Array(this.heap.bytes.length), 0);
    const ends = keep.map((i) => {
      heap.appendSpan(this.heap.bytes, this.starts[i]!, this.ends[i]!);
      return heap.length;
    });
    this.heap = heap;
    this.ends.set(ends);
    this.starts.set([0, ...ends.slice(0, -1)]);
    this.hashes.set(hashes);
    this.counts.set(counts);
    this.firsts.set(firsts);
    this.size = keep.length;
    this.slots.fill(0);
    for (let i = 0; i < this.size; i++) {
      let slot = this.hashes[i]! & (SLOTS - 1);
      while (this.slots[slot] !== 0) slot = (slot + 1) & (SLOTS - 1);
      this.slots[slot] = i + 1;
    }
  }

  /** Every kept value with its count; all of them while `exact`. */
  each(see: (text: string, count: number, first: number) => void): void {
    for (let i = 0; i < this.size; i++) see(this.text(i), this.counts[i]!, this.firsts[i]!);
  }

  private text(i: number): string {
    return textOf(this.heap.bytes, this.starts[i]!, this.ends[i]!);
  }

  /** Different values met, where none was forgotten. */
  get different(): number {
    return this.size;
  }

  /** The values in the order of their counts, the commonest first. */
  ordered(): CountedValue[] {
    return [...this.counts.subarray(0, this.size).keys()]
      .sort((a, b) => this.counts[b]! - this.counts[a]! || this.firsts[a]! - this.firsts[b]!)
      .map((i) => ({ value: this.text(i), count: this.counts[i]!, first: this.firsts[i]! }));
  }
}
