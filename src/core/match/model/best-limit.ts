import type { Joined } from "./count.ts";
import type { Fit } from "./kinds.ts";

/** What a person wants of the limits. */
export interface Wanted {
  /** The share of what is joined that is to be the same. */
  readonly precision?: number | undefined;
}

/** What is wanted where nobody has said it: as few wrong as this, and never more than so many times as many. */
export const USUAL_PRECISION = 0.995;
export const TOLERATED = 4;
/** Stricter limits are given up for the tolerated ones where they would leave this share undone. */
const COSTLY = 0.1;
/** No limit is taken that leaves more doubt than a chance of five to one. */
const LEAST_LIMIT = 2.4;
/** A wrong pair is as bad as so many right ones are good. */
const PRICE = 6;
/** What differs by less than this share is worth the same. */
const EQUALLY = 0.003;
/** So many fits are looked at once more. */
const MOST_FITS = 3;
/** Fewer right ones than this may be chance, unless hardly any would be wrong. */
const LEAST_JOINED = 10;
/** Of the pairs that are asked about at least this share is the same. */
const WORTH_ASKING = 0.2;

/** What a limit is worth. */
function worthOf({ joined, wrong }: Joined): number {
  return joined - PRICE * wrong;
}

/** Of each fit the limit that is worth most, as long as no greater share of what is joined is wrong. */
function bestOf(list: readonly Joined[], share: number): Joined | null {
  const byFit = new Map<Fit, Joined>();
  for (const j of list) {
    if (j.limit < LEAST_LIMIT - 1e-9) continue;
    const few = j.joined - j.wrong < LEAST_JOINED;
    if (j.wrong > Math.max(share * j.joined, few ? 0 : 0.5)) continue;
    const best = byFit.get(j.fit);
    if (!best || worthOf(j) > worthOf(best)) byFit.set(j.fit, j);
  }
  const best = [...byFit.values()];
  const most = Math.max(...best.map(worthOf));
  // Of those that are as good as can be told, the likeliest.
  const good = best.filter((j) => worthOf(j) >= most - Math.max(1, EQUALLY * most));
  return good.reduce<Joined | null>((x, y) => (x && x.fit.gain >= y.fit.gain ? x : y), null);
}

/** The limits that would be taken, by what is wanted. */
export function chosenOf(list: readonly Joined[], wanted: Wanted): Joined | null {
  const strict = bestOf(list, 1 - (wanted.precision ?? USUAL_PRECISION));
  if (wanted.precision !== undefined) return strict;
  const loose = bestOf(list, TOLERATED * (1 - USUAL_PRECISION));
  if (!strict || (loose && strict.joined < (1 - COSTLY) * loose.joined)) return loose;
  return strict;
}

/** The fits that have most more pairs than look-alikes account for. */
export function mostOf(list: readonly Joined[]): Fit[] {
  const most = new Map<Fit, number>();
  for (const j of list) most.set(j.fit, Math.max(most.get(j.fit) ?? -Infinity, gainOf(j)));
  return [...most]
    .sort((x, y) => y[1] - x[1])
    .slice(0, MOST_FITS)
    .map(([fit]) => fit);
}

/** What is found by asking from a limit on, less what the questions cost. */
function gainOf({ joined, alike }: Joined): number {
  return joined - alike - WORTH_ASKING * joined;
}

/** From where most is found by asking about it, where nothing can be joined; null where there are no more pairs than look-alikes account for. */
export function askedFrom(list: readonly Joined[]): Joined | null {
  const worth = list.filter(
    ({ joined, alike }) => joined - alike >= LEAST_JOINED && joined - alike >= WORTH_ASKING * joined,
  );
  return worth.reduce<Joined | null>((x, y) => (x && gainOf(x) >= gainOf(y) ? x : y), null);
}
