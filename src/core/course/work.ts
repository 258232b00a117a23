import type { Block } from "../kernel/block.ts";
import { Heap, emptyCells, type Cells } from "../kernel/bytes.ts";
import { OTHER_FAULT, VERDICT } from "../kernel/verdict.ts";
import { typePart } from "../type/index.ts";
import type { Compiled } from "./compiled.ts";
import { newTally, type Tally } from "./tally.ts";

/** What becomes of the records of one block on their course. Its arrays are used again by the next block. */
export class Work {
  count = 0;
  heap = new Heap(new Uint8Array(0), 0);
  /** One column a field; sound cells become canonical. */
  readonly cells: Cells[] = [];
  /** The same after Cleanse, of fields whose cells are rewritten after it; of others the same columns. */
  readonly cleansed: Cells[] = [];
  /** Per field and record: 0 for a sound cell. */
  readonly faults: Uint8Array[] = [];
  /** Per field and record: 1 for a cell that a step changed. */
  readonly changed: Uint8Array[] = [];
  /** The same of steps that nobody looks at. */
  unwatched = new Uint8Array(0);
  /** By number of a field that has texts meaning “leave it as it is”: 1 where the cell was one. */
  readonly left = new Map<number, Uint8Array>();
  /** Per record, of VERDICT. */
  verdict = new Uint8Array(0);
  /** Per record: the number of the step that left it out, plus one. */
  leftOutBy = new Int32Array(0);
  untouched = new Int32Array(0);
  /** Room for the numbers of records that a check fails. */
  failing = new Int32Array(0);
  /** Problems: record and check side by side. */
  problemRecord: number[] = [];
  problemCheck: number[] = [];
  tally: Tally;

  constructor(private readonly compiled: Compiled) {
    this.tally = newTally(compiled);
  }

  /** Makes room for a block, of whose records nothing is known but which can't be read. */
  begin({ count, heap, unreadable }: Block): void {
    // Of no records there are columns all the same.
    if (this.verdict.length < count || this.cells.length === 0) this.grow(count);
    this.count = count;
    this.heap = heap;
    this.tally = newTally(this.compiled);
    this.problemRecord = [];
    this.problemCheck = [];
    this.leftOutBy.fill(0, 0, count);
    this.verdict.fill(0, 0, count);
    for (const r of unreadable.keys()) this.verdict[r] = VERDICT.unreadable;
    for (const faults of this.faults) faults.fill(0, 0, count);
    for (const changed of this.changed) changed.fill(0, 0, count);
  }

  private grow(count: number): void {
    const { compiled } = this;
    this.verdict = new Uint8Array(count);
    this.failing = new Int32Array(count);
    this.untouched = new Int32Array(count);
    this.leftOutBy = new Int32Array(count);
    this.unwatched = new Uint8Array(count);
    compiled.fields.forEach((field, f) => {
      this.cells[f] = emptyCells(count);
      const own = typePart(field.type).rewrites || compiled.leaves.has(f);
      this.cleansed[f] = own ? emptyCells(count) : this.cells[f];
      if (compiled.leaves.has(f)) this.left.set(f, new Uint8Array(count));
      this.faults[f] = new Uint8Array(count);
      this.changed[f] = new Uint8Array(count);
    });
  }

  /** A record fails a check. */
  note(r: number, check: number): void {
    this.tally.checks[check]!++;
    this.problemRecord.push(r);
    this.problemCheck.push(check);
  }

  /** A cell has a fault, unless it had one before. */
  fault(f: number, r: number, fault: number = OTHER_FAULT): void {
    const faults = this.faults[f]!;
    if (faults[r] === 0) faults[r] = fault;
  }

  /** Keeps the cells as they are after Cleanse, where they are rewritten later. */
  keepCleansed(): void {
    this.cleansed.forEach((kept, f) => {
      const { start, end } = this.cells[f]!;
      if (kept.start === start) return;
      kept.start.set(start);
      kept.end.set(end);
    });
  }

  /** Puts a text into a cell. */
  set(f: number, r: number, value: string): void {
    const { start, end } = this.cells[f]!;
    start[r] = this.heap.append(value);
    end[r] = this.heap.length;
  }
}
