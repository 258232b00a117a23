import type { ControlText, Figure } from "@/core/gate/part.ts";
import type { Profile } from "@/core/profile/facts.ts";
import type { Returned } from "@/core/mend/for-sender.ts";
import type { CodesSeen } from "@/core/course/codes.ts";
import type { SentBy } from "@/core/course/senders-seen.ts";
import type { Tally } from "@/core/course/tally.ts";
import type { LoadInputs, Problem } from "@/core/course/compiled.ts";
import type { HeldAt } from "@/core/kernel/ledger.ts";
import type { LookUpCounts } from "@/core/lookup/compile.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import type { Late } from "@/core/check/between/part.ts";

/** What the process that runs a load and its thread say to each other. */
export type ToThread =
  | ({ type: "begin" } & ThreadStart)
  | { type: "file"; index: number; name: string; bytes: number }
  | { type: "chunk"; bytes: Uint8Array }
  /** A block has been staged, so there is room for one more. */
  | { type: "took-block" }
  /** Memory of COPY rows that the database has taken, to be written to again. */
  | { type: "spent"; memory: ArrayBuffer }
  | { type: "end-of-file" }
  | { type: "end" };

export interface ThreadStart {
  plan: Plan;
  /** The lists that its look-ups ask. */
  references: readonly Reference[];
  /** The checks that the load does without, and its day. */
  inputs: LoadInputs;
  /** Staged records say which cells are to leave what the target has. */
  leave: boolean;
  expected: number;
}

export type FromThread =
  /** The memory of a chunk, when no more is needed of it. */
  | { type: "took-chunk"; memory: ArrayBuffer }
  | ({ type: "block" } & BlockResult)
  /** What only the whole delivery showed. */
  | { type: "late"; check: string; found: Late[] }
  | {
      type: "done";
      files: FileFacts[];
      distinct: { count: number; estimated: boolean }[];
      tally: Tally;
      extras: Profile | null;
      codes: CodesSeen[];
      lookUps: LookUpCounts[];
      figures: Figure[];
      controls: ControlText[];
      /** Held records that came back, by their marks. */
      returned: Returned[];
      senders: SentBy[];
    }
  | { type: "failed"; code: string; message: string; detail: string; hint: string };

/** One row of the ledger, with what goes to the staging tables. */
export interface BlockResult {
  file: number;
  firstRecord: number;
  firstInFile: number;
  line: number;
  byteStart: number;
  byteEnd: number;
  /** A byte a record, as in core/ledger.ts; `inserted` for every record that passes so far. */
  outcomes: Uint8Array<ArrayBuffer>;
  tally: Tally;
  /** What steps carried into it from the records before. */
  carry: string;
  copy: Uint8Array<ArrayBuffer>;
  /** The records as they were read, for a file that can't be entered in the middle. */
  packed: Uint8Array<ArrayBuffer> | null;
  /** Which values the records have that were left out; null where there are none. */
  left: Uint8Array<ArrayBuffer> | null;
  /** Bytes of the delivery that have been read so far. */
  bytesRead: number;
  /** Held and suspected records as JSON of HeldRow[]; "" for none. */
  held: string;
  heldCount: number;
}

/** A record on its way to the quarantine. */
export interface HeldRow {
  record: number;
  at: HeldAt;
  file: number;
  line: number;
  byte_start: number;
  byte_end: number;
  /** Base64. */
  raw: string;
  cells: string[] | null;
  field_values: string[];
  problems: Problem[];
  /** Whose it is, where a field of it says so; else null. */
  sender: string | null;
  /** It passes every check but may repeat a value. */
  suspect: boolean;
}
