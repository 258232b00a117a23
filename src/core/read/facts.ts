import type { UnreadableReason } from "../kernel/block.ts";
import type { Doubt, Evidence } from "./part.ts";
import type { ReadOptions } from "./settings.ts";

/** What reading one part of a delivery has shown: a file, or a file or sheet within one. */
export interface FileFacts {
  readonly name: string;
  /** Number of the delivery's file that it is or is in. */
  readonly position: number;
  readonly bytes: number;
  /** Its blocks can be read again from their byte ranges. */
  readonly resumable: boolean;
  readonly columns: readonly string[];
  readonly read: ReadOptions;
  readonly evidence: Evidence;
  /** Guesses that could as well be another. */
  readonly doubts?: readonly Doubt[] | undefined;
  readonly records: number;
  readonly unreadable: Partial<Record<UnreadableReason, number>>;
  /** Columns that no field takes, and fields that no column gives. */
  readonly extra: readonly string[];
  readonly missing: readonly string[];
}
