import type { AskedPair } from "@/store/matches.ts";

/** Pairs that are to be decided as a page has them, apart from the server and the screen. */
export interface Pairs {
  readonly pairs: readonly AskedPair[];
  /** The number of the pair that is shown; null where there is none. */
  readonly chosen: number | null;
}

export type PairsEvent =
  /** By so many pairs down, or up where it is below 0. */
  | { does: "move"; by: number }
  | { does: "choose"; id: number }
  /** Pairs are being decided: the next one is shown at once. */
  | { does: "decide"; which: readonly AskedPair[] }
  /** They could not be: they are there again, and the first is shown. */
  | { does: "failed"; which: readonly AskedPair[] }
  /** Records are settled, so nothing more is asked about them. */
  | { does: "settled"; records: readonly { load: number; record: number }[] }
  /** The pair that is shown comes last. */
  | { does: "later" }
  /** All pairs as they are now. */
  | { does: "again"; pairs: readonly AskedPair[]; chosen: number };

export function newPairs(pairs: readonly AskedPair[]): Pairs {
  return { pairs, chosen: pairs[0]?.id ?? null };
}

/** The place of the pair that is shown. */
export function placeOf({ pairs, chosen }: Pairs): number {
  return Math.max(
    0,
    pairs.findIndex((p) => p.id === chosen),
  );
}

export function nextPairs(state: Pairs, event: PairsEvent): Pairs {
  const { pairs } = state;
  const at = placeOf(state);
  switch (event.does) {
    case "move":
      return { ...state, chosen: pairs[Math.max(0, Math.min(pairs.length - 1, at + event.by))]?.id ?? null };
    case "choose":
      return { ...state, chosen: event.id };
    case "decide": {
      const rest = without(pairs, event.which);
      // The one that would have come next, or else the one before.
      const next = pairs.slice(at).find((p) => rest.includes(p)) ?? rest.at(-1);
      return { pairs: rest, chosen: next?.id ?? null };
    }
    case "failed":
      return { pairs: [...event.which, ...without(pairs, event.which)], chosen: event.which[0]!.id };
    case "settled": {
      const gone = new Set(event.records.map((r) => `${r.load}:${r.record}`));
      return { ...state, pairs: pairs.filter((p) => !gone.has(`${p.load}:${p.record}`)) };
    }
    case "later": {
      const shown = pairs[at];
      if (!shown || pairs.length < 2) return state;
      return { pairs: [...without(pairs, [shown]), shown], chosen: pairs[at + 1]?.id ?? pairs[0]!.id };
    }
    case "again":
      return { pairs: event.pairs, chosen: event.chosen };
  }
}

function without(pairs: readonly AskedPair[], which: readonly AskedPair[]): AskedPair[] {
  const ids = new Set(which.map((p) => p.id));
  return pairs.filter((p) => !ids.has(p.id));
}
