import { OUTCOMES, type Balance, type HeldAt, type Outcome } from "../kernel/ledger.ts";
import { STAGES, type Stage, type OnFailure } from "../plan/types.ts";

export interface CheckMetrics {
  readonly key: string;
  /** What holds when it passes. */
  readonly title: string;
  /** What is wrong where it fails. */
  readonly fault: string;
  readonly stage: HeldAt;
  readonly onFailure: OnFailure;
  readonly problems: number;
  /** Why it was switched off for this load. */
  readonly off?: string;
}

/** One stage of the sift: how many records left it, and what stayed behind there. */
export interface Stratum {
  readonly stage: Stage;
  /** A few words on what the stage did. */
  readonly note: string;
  readonly entered: number;
  readonly left: number;
  readonly trays: readonly Tray[];
}

export interface Tray {
  readonly outcome: Outcome;
  /** For held records, where they stayed behind. */
  readonly at: HeldAt | null;
  readonly count: number;
  /** What was wrong most often, then how many other causes there are. */
  readonly reason: string;
}

/** The stage in which a held record stayed behind. */
export const STAYED_IN: Record<HeldAt, Stage> = { read: "Read", check: "Check", "look up": "Look up", load: "Load" };
const HELD_IN: Partial<Record<Stage, HeldAt>> = { Read: "read", Check: "check", "Look up": "look up", Load: "load" };

/** The sift of a balance. It always adds up: entered = left + trays, and the last stage leaves what was loaded. */
export function siftOf(balance: Balance, checks: readonly CheckMetrics[], notes: Record<Stage, string>): Stratum[] {
  let travelling = balance.read;
  return STAGES.map((stage) => {
    const entered = travelling;
    const trays: Tray[] = [];
    if (stage === "Cleanse" && balance.outcomes["left out"] > 0) {
      trays.push({ outcome: "left out", at: null, count: balance.outcomes["left out"], reason: "as the plan says" });
      travelling -= balance.outcomes["left out"];
    }
    if (stage === "Match") {
      for (const outcome of ["merged", "waiting"] as const) {
        const count = balance.outcomes[outcome];
        if (count === 0) continue;
        trays.push({
          outcome,
          at: null,
          count,
          reason: outcome === "merged" ? "one with another record" : "for a decision",
        });
        travelling -= count;
      }
    }
    const at = HELD_IN[stage];
    if (at && balance.heldAt[at] > 0) {
      trays.push({ outcome: "held", at, count: balance.heldAt[at], reason: reasonOf(checks, at) });
      travelling -= balance.heldAt[at];
    }
    return { stage, note: notes[stage], entered, left: travelling, trays };
  });
}

function reasonOf(checks: readonly CheckMetrics[], stage: HeldAt): string {
  const fired = checks
    .filter((c) => c.stage === stage && c.problems > 0 && c.onFailure !== "note")
    .sort((a, b) => b.problems - a.problems);
  const [first] = fired;
  if (!first) return "";
  const more = fired.length - 1;
  return more === 0 ? first.fault : `${first.fault}, ${first.problems.toLocaleString("en")}; ${more} more`;
}

/** Records that reached the target or were found there already. */
export function loadedOf(balance: Balance): number {
  return OUTCOMES.reduce(
    (n, o) => n + (o === "inserted" || o === "updated" || o === "unchanged" ? balance.outcomes[o] : 0),
    0,
  );
}
