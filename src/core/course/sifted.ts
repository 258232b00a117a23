import type { Block } from "../kernel/block.ts";
import type { Cells, Heap } from "../kernel/bytes.ts";
import type { Tally } from "./tally.ts";

/**
 * A block after Map, Cleanse and Check. Everything in it is the course's own and valid only until
 * the next block is run.
 */
export interface Sifted {
  readonly block: Block;
  readonly heap: Heap;
  /** Number of the block's first record in the delivery, from 0. */
  readonly first: number;
  /** One column a field; sound cells are canonical. */
  readonly cells: readonly Cells[];
  /** The same after Cleanse and before types made them canonical. */
  readonly cleansed: readonly Cells[];
  /** Per field and record: 0 for a sound cell. */
  readonly faults: readonly Uint8Array[];
  /** Per field and record: 1 for a cell that a step changed. */
  readonly changed: readonly Uint8Array[];
  /**
   * Per record: how many of the first fields stand in the raw text one after the other, a delimiter
   * apart, just as they were read.
   */
  readonly untouched: Int32Array;
  /** By number of a field that has texts meaning “leave it as it is”: 1 for a record whose cell was one, and is empty now. */
  readonly left: ReadonlyMap<number, Uint8Array>;
  /** Per record: the number of the step that left it out, plus one; 0 for others. */
  readonly leftOutBy: Int32Array;
  /** Per record, of VERDICT. A suspect passes unless it turns out to repeat a value. */
  readonly verdict: Uint8Array;
  /** Problems found in this block: record in the block and number of the check, side by side. */
  readonly problemRecord: readonly number[];
  readonly problemCheck: readonly number[];
  readonly tally: Tally;
  /** What steps carried into the block from the records before it; "" for nothing. */
  readonly carry: string;
}
