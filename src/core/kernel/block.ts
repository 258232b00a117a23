import type { Heap } from "./bytes.ts";

/** Why a record could not be read. */
export type UnreadableReason =
  | "too-few-cells"
  | "too-many-cells"
  | "quote"
  | "encoding"
  | "nul"
  | "too-long"
  | "not-json"
  | "cell-error"
  | "key-twice";

/**
 * Some thousand records as they were read, before their columns have met the plan's fields.
 * Record `r`, column `c` is the span `start[r * width + c]` to `end[r * width + c]` of the heap.
 * The heap and the arrays are the reader's own and are valid only until it makes the next block.
 */
export interface Block {
  /** Number of the file in the delivery, from 0. */
  readonly file: number;
  /** Number of the first record in its file, from 0. */
  readonly first: number;
  readonly count: number;
  readonly width: number;
  readonly heap: Heap;
  readonly start: Int32Array;
  readonly end: Int32Array;
  /** Per record: how many of its first cells stand in the heap one after the other, a delimiter apart. */
  readonly plain: Int32Array;
  readonly origin: Origins;
  /** Records of this block that could not be read; their cells are all empty. */
  readonly unreadable: ReadonlyMap<number, Unreadable>;
}

/** Where each record of a block came from. */
export interface Origins {
  /** Line of the record's first character in its file, from 1. */
  readonly line: Int32Array;
  /** Byte range in the file, without the line end: [start, end). */
  readonly start: Float64Array;
  readonly end: Float64Array;
  /** The same range in the block's heap. A record that was too long has only its beginning there. */
  readonly from: Int32Array;
  readonly to: Int32Array;
}

export interface Unreadable {
  readonly reason: UnreadableReason;
  /** Cells found, for too few and too many. */
  readonly cells: number;
}

/** Most bytes of a record's raw text that are kept beside it; the delivery itself keeps all. */
export const RAW_KEPT = 65_536;
