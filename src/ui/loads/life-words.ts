import type { HeldAt } from "@/core/kernel/ledger.ts";
import type { RecordPair } from "@/engine/look/life.ts";

/** Where a held record stayed behind. */
export const HELD_AT_WORDS: Readonly<Record<HeldAt, string>> = {
  read: "when it was read",
  check: "by a check",
  "look up": "by a look-up",
  load: "before the target",
};

/** What a pair came to, with its score. */
export function pairWords({ score, band, decision, decidedBy }: RecordPair): string {
  const by = decidedBy === "" ? "" : ` by ${decidedBy}`;
  const is =
    decision === null
      ? band === "same"
        ? "the same"
        : "asked about, and not decided"
      : `decided${by} to be ${decision === "same" ? "the same" : "another"}`;
  return `${is}, score ${Math.round(score)}`;
}
