import type { Problem } from "@/core/course/compiled.ts";
import type { HeldRecord } from "@/store/held.ts";

/** A record of the quarantine, and the values that a person gives it, by field. */
export interface Mend {
  load: number;
  record: number;
  values?: Record<string, string> | undefined;
}

/** What the target has by now for a held record, whose key was written since. */
export interface Overtaken {
  /** The writing that wrote the row since; null where another program did. */
  readonly by: number | null;
  /** The row that stands there, by field. */
  readonly now: Record<string, string | null>;
}

export interface Released {
  load: number;
  record: number;
  released: boolean;
  /** Why it stays, when it does. */
  problems: Problem[];
  /** Its key has been written since by something newer, so that it stays unless a person says otherwise. */
  overtaken?: Overtaken;
  /** Somebody else was faster: what the record is by now. */
  ended?: string;
  /** It left the quarantine and waits for a decision, as it may be the same as so many others. */
  waits?: number;
  /** It was not compared with the target, which has more rows than can be compared at a release. */
  uncompared?: boolean;
}

export interface ReleaseOptions {
  /** Write also records that are overtaken, over what is newer. */
  readonly overtaken?: boolean;
  readonly reason?: string;
  /** All of it is taken back when it has been seen: what the quarantine would say of the records is not written. */
  readonly preview?: boolean;
  /** Is told of so many records more that have been checked and written; what it throws takes all of it back. */
  readonly onBatch?: (records: number) => void;
}

/** A held record as it is needed to be released. */
export interface HeldRow {
  record: number;
  feed: string;
  file: number;
  /** As they came, where the plan keeps what no field takes. */
  cells: string[] | null;
  values: string[];
  mended: Record<string, string> | null;
  state: HeldRecord["state"];
  found: string | null;
  endedBy: string;
}
