import type { HeldState } from "../kernel/writing.ts";

/** What a record is, or was, that did not simply go to the target. */
export type RecordState = HeldState | "waiting" | "inserted" | "merged" | "joined" | "left out";

/** What a writing did to a row, in words. */
export function changeWords({
  kind,
  load,
  did,
  writing,
}: {
  readonly kind: string;
  readonly load: number | null;
  readonly did: string;
  readonly writing: number;
}): string {
  const who = kind === "load" && load !== null ? `load ${load}` : `a ${kind}, writing ${writing},`;
  return did === "made" ? `${who} put it there` : did === "removed" ? `${who} took it away` : `${who} changed it`;
}

const STATES: Record<RecordState, string> = {
  held: "is held",
  overtaken: "is held, and overtaken by something newer",
  released: "was held, and was released",
  discarded: "was held, and was discarded",
  closed: "was held, and came back",
  waiting: "waits for a decision",
  inserted: "waited, and became a row of its own",
  merged: "waited, and was put to another record",
  joined: "became one",
  "left out": "was left out",
};

/** What became of a record that did not simply go to the target. */
export function stateWords({
  state,
  endedBy,
  reason,
}: {
  readonly state: RecordState;
  readonly endedBy: string;
  readonly reason: string;
}): string {
  return `${STATES[state]}${endedBy === "" ? "" : ` by ${endedBy}`}${reason === "" ? "" : state === "joined" ? ` ${reason}` : `: ${reason}`}`;
}
