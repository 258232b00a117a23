import { numbersFrom } from "../kernel/random.ts";
import { wilson } from "../match/model/measured.ts";
import type { NearestEntry } from "./nearest.ts";

/**
 * What a likeness means depends on the list: where entries stand far from each other a score of 70 is a
 * slip of the pen, where they stand close together 90 may be another entry. So it is tried on the list
 * itself: entries with errors are asked for, and entries that are left out; and the limits are those by
 * which the most is found at the share of right answers that is wanted.
 */
export interface Trials {
  /** Entries with an error or two: what was found, and whether it is the entry. */
  readonly damaged: readonly (Answer & { readonly right: boolean })[];
  /** Entries that were asked for while they are not in the list, as they are and with an error or two. */
  readonly absent: readonly Answer[];
}

export interface Answer {
  readonly score: number;
  readonly lead: number;
}

/** The limits of a look-up by score, and what they come to. */
export interface LookUpLimits {
  readonly least: number;
  readonly lead: number;
  /** The share of right ones among what is found by score, 0 to 1; null where that can't be said. */
  readonly right: number | null;
  /** Why that can't be said: the list is too small to try it, or its entries are too near to each other for any limits. */
  readonly unknown?: "small" | "near";
  /** The share that is found of what has an entry and is not spelled as the list has it, 0 to 1. */
  readonly found: number;
  /** The share of things that have an entry, among those that are not found exactly, that this is estimated for. */
  readonly listed: number;
}

/** Limits that somebody has set; those left open are estimated. */
export interface SetLimits {
  readonly least?: number | undefined;
  readonly lead?: number | undefined;
}

/** The share of right answers that is wanted of what is found by score. */
export const WANTED_RIGHT = 0.95;
/** Where nothing has been asked yet: as many of the things that are not found exactly have an entry as have none. */
const LISTED_UNKNOWN = 0.5;
/** Entries that a list needs to be tried; with fewer the usual limits stand, and nobody knows what they come to. */
const FEWEST = 40;
const USUAL = { least: 85, lead: 3 };
/** Entries that are tried. */
const TRIED = 500;
/** Of a hundred entries with an error, so many have two. */
const TWICE = 30;
/** So often an entry is asked for that is left out, which says no more than once. */
const ASKED = 2;
/** Every limit between these is looked at; below them nobody would speak of alike. With no lead at all it would be either of two. */
const SCORES = { from: 50, to: 100, step: 1 };
const LEADS = [0.1, 0.5, 1, 1.5, 2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 25, 30];
/** By which scores and leads answers are counted, to see which share of them have an entry. */
const BINS = { score: [60, 68, 74, 80, 85, 90, 95], lead: [2, 5, 10, 18] };
const ROUNDS = 60;
/** So many answers are put to those that there are as if nothing was known of them: a few can't say that all, or none, have an entry. */
const FEW = 5;

const LETTERS = "abcdefghijklmnopqrstuvwxyz";

/**
 * A share as it may well be: one standard error above what was seen (Wilson, 1927). The
 * limits are chosen among many, and those whose errors happened not to be seen would be chosen too often.
 */
function most(seen: number, of: number): number {
  return wilson(seen, of, 1)?.high ?? 1;
}

/** A text with one slip: a letter that is another, is missing, is too many, or has changed places with the next. */
function slip(text: string, below: (bound: number) => number): string {
  const letters = [...text];
  const i = below(letters.length);
  const letter = LETTERS[below(LETTERS.length)]!;
  const kind = below(4);
  if (kind === 0) letters[i] = letter;
  else if (kind === 1) letters.splice(i, 1);
  else if (kind === 2) letters.splice(i, 0, letter);
  else if (i + 1 < letters.length) [letters[i], letters[i + 1]] = [letters[i + 1]!, letters[i]!];
  else letters.pop();
  return letters.join("");
}

/**
 * Asks the list for entries of its own, with errors and left out.
 * @param entries values of the entries that can be found, in the order of the look-up's `by`
 * @param isEntry whether the list has such values exactly, so that they would not be looked for by score
 * @param find what is nearest to values; `without`: an entry that is to be left out, with all that lead to the same
 * @param same whether an accepted entry is that of the numbered one
 */
export function tryList(
  entries: readonly (readonly string[])[],
  isEntry: (values: readonly string[]) => boolean,
  find: (values: readonly string[], without: number) => NearestEntry,
  same: (accepted: number, entry: number) => boolean,
): Trials {
  const below = numbersFrom(1);
  const damaged: (Answer & { right: boolean })[] = [];
  const absent: Answer[] = [];
  const tried = Math.min(TRIED, entries.length);
  for (let i = 0; i < tried; i++) {
    const e = Math.floor((i * entries.length) / tried);
    const values = entries[e]!;
    const filled = values.flatMap((v, f) => (v === "" ? [] : [f]));
    if (filled.length === 0) continue;
    const written = (): string[] => {
      const wrong = [...values];
      for (let n = below(100) < TWICE ? 2 : 1; n > 0; n--) {
        const f = filled[below(filled.length)]!;
        wrong[f] = slip(wrong[f]!, below);
      }
      return wrong;
    };
    const wrong = written();
    if (!isEntry(wrong)) {
      const { entry, score, next } = find(wrong, -1);
      damaged.push({ score, lead: score - next, right: entry >= 0 && same(entry, e) });
    }
    // What has no entry is written wrongly as well: then one of several that were equally near may come out ahead.
    for (const asked of [values, written()]) {
      const { score, next } = find(asked, e);
      absent.push({ score, lead: score - next });
    }
  }
  return { damaged, absent };
}

const binOf = ({ score, lead }: Answer): number =>
  BINS.score.filter((s) => score >= s).length * (BINS.lead.length + 1) + BINS.lead.filter((l) => lead >= l).length;

function shares(answers: readonly Answer[]): Float64Array {
  const bins = new Float64Array((BINS.score.length + 1) * (BINS.lead.length + 1));
  for (const a of answers) bins[binOf(a)]!++;
  // A bin that no trial fell into is not impossible.
  const sum = answers.length + bins.length * 0.1;
  return bins.map((n) => (n + 0.1) / sum);
}

/**
 * The share of what was asked for that has an entry, from how near its answers are: a mixture of those of
 * the two trials, by expectation-maximisation (Dempster, Laird and Rubin, 1977).
 */
export function shareListed({ damaged, absent }: Trials, asked: readonly Answer[]): number {
  if (asked.length === 0) return LISTED_UNKNOWN;
  const [with_, without] = [shares(damaged), shares(absent)];
  const bins = asked.map(binOf);
  let share = LISTED_UNKNOWN;
  for (let n = 0; n < ROUNDS; n++) {
    let sum = 0;
    for (const b of bins) {
      const p = share * with_[b]!;
      sum += p / (p + (1 - share) * without[b]!);
    }
    share = (sum + FEW * LISTED_UNKNOWN) / (bins.length + FEW);
  }
  return share;
}

/**
 * The limits by which the most is found at the wanted share of right answers; where both are set, what they
 * come to. With a score of 100 nothing but the same words in another order is found: so it is where no limits
 * would do.
 */
export function limitsFor(
  { damaged, absent }: Trials,
  listed = LISTED_UNKNOWN,
  set: SetLimits = {},
  wanted = WANTED_RIGHT,
): LookUpLimits {
  const of = (least: number, lead: number): LookUpLimits => {
    const within = (a: Answer): boolean => a.score >= least && a.lead >= lead;
    const answered = damaged.filter(within);
    const right = answered.filter((a) => a.right).length;
    const wrong = answered.length - right;
    const other = absent.filter(within).length;
    if (right === 0) return { least, lead, right: null, unknown: "near", found: 0, listed };
    const found = right / damaged.length;
    const amiss = listed * most(wrong, damaged.length) + (1 - listed) * most(other / ASKED, absent.length / ASKED);
    return { least, lead, right: (listed * found) / (listed * found + amiss), found, listed };
  };
  if (Math.min(damaged.length, absent.length) < FEWEST) {
    return {
      least: set.least ?? USUAL.least,
      lead: set.lead ?? USUAL.lead,
      right: null,
      unknown: "small",
      found: 0,
      listed,
    };
  }
  if (set.least !== undefined && set.lead !== undefined) return of(set.least, set.lead);
  let best = of(set.least ?? SCORES.to, set.lead ?? 0);
  if ((best.right ?? 0) < wanted) best = { ...best, right: null, unknown: "near", found: 0 };
  for (const lead of set.lead === undefined ? LEADS : [set.lead]) {
    for (let least = set.least ?? SCORES.from; least <= (set.least ?? SCORES.to); least += SCORES.step) {
      const at = of(least, lead);
      if (at.right !== null && at.right >= wanted && at.found > best.found) best = at;
    }
  }
  return best;
}

/** A share as so many of a hundred; all of them only where it is all. */
function ofHundred(share: number): string {
  const n = Math.round(share * 100);
  return String(n === 100 && share < 1 ? 99 : n);
}

/** What limits of likeness come to, in words. */
export function likenessWords({ least, lead, right, unknown, found, listed }: LookUpLimits): string {
  const from = `From ${least}, ${lead} ahead of the next`;
  if (unknown === "small") return `${from}: the list is too small to say how many of those found are the right ones.`;
  const about = `where ${ofHundred(listed)} of 100 values that are not in the list as they stand have an entry`;
  if (right === null) {
    return `No limits would find the right entry in ${ofHundred(WANTED_RIGHT)} of 100 cases, ${about}: the entries are too near to each other.`;
  }
  return `${from}: about ${ofHundred(right)} of 100 that are found are the right ones, and ${ofHundred(found)} of 100 that have an entry find it, ${about}.`;
}
