import type { FoundRecord, RowChange } from "@/engine/look/find-value.ts";

/** What a writing did to a row, in words. */
export function changeWords({
  kind,
  load,
  did,
  writing,
}: Pick<RowChange, "kind" | "load" | "did" | "writing">): string {
  const who = kind === "load" && load !== null ? `load ${load}` : `a ${kind}, writing ${writing},`;
  return did === "made" ? `${who} put it there` : did === "removed" ? `${who} took it away` : `${who} changed it`;
}

const STATES: Record<FoundRecord["state"], string> = {
  held: "is held",
  overtaken: "is held, and overtaken by something newer",
  released: "was held, and was released",
  discarded: "was held, and was discarded",
  closed: "was held, and came back",
  waiting: "waits for a decision",
  inserted: "waited, and became a row of its own",
  merged: "waited, and was put to another record",
};

/** What became of a record that did not simply go to the target. */
export function stateWords({ state, endedBy, reason }: Pick<FoundRecord, "state" | "endedBy" | "reason">): string {
  return `${STATES[state]}${endedBy === "" ? "" : ` by ${endedBy}`}${reason === "" ? "" : `: ${reason}`}`;
}

/** Where the quarantine or the list of a load has the record. */
export function placeOf({ load, record, state }: Pick<FoundRecord, "load" | "record" | "state">): string {
  if (state === "held" || state === "overtaken") return `/quarantine?load=${load}`;
  return state === "waiting" ? `/matches?load=${load}` : `/loads/${load}/records?from=${record}`;
}
