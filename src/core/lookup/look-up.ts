import { plainWords } from "../match/normalise.ts";
import { limitsFor, shareListed, tryList, type Answer, type LookUpLimits, type Trials } from "./limits.ts";
import { Nearest, type Near, type NearestEntry } from "./nearest.ts";
import { SieveError, quoted } from "../kernel/problem.ts";
import { acceptedEntries, columnOf, holdingOf, type Reference } from "../kernel/reference.ts";
import type { ExactLookUp, LookUp, RangeLookUp, ScoredLookUp } from "./schema.ts";

/** What came of it: what it asked for was found exactly, by score, in several entries, or not at all; or it asked for nothing. */
export const FARED = ["exact", "scored", "several", "none", "empty"] as const;
export type LookUpResult = (typeof FARED)[number];

export interface Found {
  readonly result: LookUpResult;
  /** The accepted entry that is the partner; -1 for none. */
  readonly entry: number;
  /** Of a scored look-up: the best entry's score and how far it is ahead of the next. */
  readonly score: number;
  readonly lead: number;
}

const NOTHING: Found = { result: "empty", entry: -1, score: 0, lead: 0 };
const NONE: Found = { result: "none", entry: -1, score: 0, lead: 0 };

/** Values by which a look-up is asked, in the order of `by`, and the day; "" for none. */
export interface Asked {
  readonly values: readonly string[];
  readonly day: string;
}

/** Finds the entries of a list that are nearest to some values elsewhere, while here those of others are found. */
export interface Beside {
  /** Begins with these. Their answers are taken before others are begun. */
  begin(asked: readonly Asked[]): void;
  /** Waits for the answers, in the order of what was asked; null where none come. */
  take(): readonly NearestEntry[] | null;
}

/** A look-up that is ready to be asked. */
export interface Ask {
  /** Values of a record by which it asks, in the order of `by` (of a range: the ranged value first), and the day. */
  (values: readonly string[], day: string): Found;
  /** Of one by score. */
  readonly likeness?: ByLikeness;
  /** Of one by key or by score: entries that have their key in common with others and are not the same as these, by key. */
  readonly repeated?: () => number[][];
}

/** What can be asked of a look-up by score beside a partner. */
export interface ByLikeness {
  /** The limits that it uses: those set, and for the others what the list itself says. */
  readonly limits: () => LookUpLimits;
  /** What limits would be for those who ask so, from how near their answers are. */
  readonly limitsOfAsked: (asked: readonly (readonly string[])[]) => LookUpLimits;
  /** The accepted entries that are most like some values, the best first. */
  readonly nearest: (values: readonly string[], most: number) => Near[];
  /** The entry that is nearest to what is asked by, and how near the next is. */
  readonly nearestOf: (asked: Asked) => NearestEntry;
  /** Has others find some of what is going to be asked; null: no longer. */
  readonly shareWith: (beside: Beside | null) => void;
  /** Whether others do. */
  readonly isShared: () => boolean;
  /** Finds what is going to be asked, half of it by others, and remembers it. */
  readonly ahead: (asked: readonly Asked[]) => void;
}

/** Fewer different values than these are not worth being shared. */
const LEAST_SHARED = 64;

/** Answers that are remembered: the same names come again and again. */
const REMEMBERED = 50_000;

/**
 * Makes a look-up ready: what it finds for a record follows from the record's values and the list's
 * version alone. Throws `look-up-invalid` where the list lacks a column, or ranges overlap.
 */
export function prepareLookUp(lookUp: LookUp, reference: Reference): Ask {
  const column = (name: string): number => {
    const at = columnOf(reference, name);
    if (at >= 0) return at;
    throw new SieveError("look-up-invalid", `The list ${reference.name} has no column ${quoted(name)}.`, {
      detail: `The look-up ${quoted(lookUp.name)} needs it; the list has ${reference.columns.join(", ")}.`,
      hint: "Change the look-up, or give the list such a column.",
    });
  };
  for (const name of Object.values(lookUp.bring)) column(name);
  const accepted = acceptedEntries(reference);
  const conditions = Object.entries(lookUp.only ?? {}).map(
    ([name, values]) => [column(name), new Set(values)] as const,
  );
  const usable = reference.entries.flatMap((cells, i) =>
    conditions.every(([c, values]) => values.has(cells[c]!)) ? [i] : [],
  );
  const holding = holdingOf(reference);
  const holds = (entry: number, day: string): boolean => day === "" || holding(reference.entries[entry]!, day);
  const tools: Tools = { reference, usable, accepted, holds, column };
  const memory = new Answers();
  const ask =
    lookUp.how === "exact"
      ? exact(lookUp, tools)
      : lookUp.how === "range"
        ? range(lookUp, tools)
        : scored(lookUp, tools, memory);
  const remembering = (values: readonly string[], day: string): Found => {
    const key = keyOfAsked(values, day);
    const known = memory.get(key);
    if (known) return known;
    const found = ask(values, day);
    memory.put(key, found);
    return found;
  };
  const { likeness, repeated } = ask;
  return Object.assign(remembering, { ...(likeness && { likeness }), ...(repeated && { repeated }) });
}

/** By what an answer is remembered. */
const keyOfAsked = (values: readonly string[], day: string): string =>
  values.length === 1 && day === "" ? values[0]! : JSON.stringify([values, day]);

/** Answers to what was asked, as long as they are not too many. */
class Answers {
  private known = new Map<string, Found>();

  get(key: string): Found | undefined {
    return this.known.get(key);
  }

  put(key: string, found: Found): void {
    if (this.known.size >= REMEMBERED) this.known = new Map();
    this.known.set(key, found);
  }
}

/** A look-up by score in its parts: what is the same, what is nearest, and what comes of that. */
interface ByScore {
  /** What came of it where that needs no comparing; null where it does. */
  readonly plain: (asked: Asked) => Found | null;
  readonly nearest: (asked: Asked) => NearestEntry;
  readonly judged: (best: NearestEntry) => Found;
}

/** What is asked ahead is found in halves, one of them by others; what each finds is the same. */
function sharing(
  { plain, nearest, judged }: ByScore,
  memory: Answers,
): Pick<ByLikeness, "shareWith" | "isShared" | "ahead"> {
  let beside: Beside | null = null;
  return {
    shareWith: (with_) => void (beside = with_),
    isShared: () => beside !== null,
    ahead(asked) {
      const open = new Map<string, Asked>();
      for (const one of asked) {
        const key = keyOfAsked(one.values, one.day);
        if (!memory.get(key) && !open.has(key) && plain(one) === null) open.set(key, one);
      }
      if (!beside || open.size < LEAST_SHARED) return;
      const all = [...open];
      const theirs = all.splice(all.length >> 1);
      beside.begin(theirs.map(([, one]) => one));
      for (const [key, one] of all) memory.put(key, judged(nearest(one)));
      const answers = beside.take();
      // They are found one by one, as they are asked for.
      if (!answers) beside = null;
      else theirs.forEach(([key], i) => memory.put(key, judged(answers[i]!)));
    },
  };
}

interface Tools {
  readonly reference: Reference;
  /** Entries that meet the look-up's conditions. */
  readonly usable: readonly number[];
  readonly accepted: Int32Array;
  holds(entry: number, day: string): boolean;
  column(name: string): number;
}

/** One partner of several entries that are there: those that lead to one accepted entry are one. */
function partnerOf(entries: readonly number[], { accepted }: Tools): Found {
  const partners = new Set(entries.map((e) => accepted[e]!));
  if (partners.size === 0) return NONE;
  if (partners.size > 1) return { ...NONE, result: "several" };
  return { result: "exact", entry: [...partners][0]!, score: 100, lead: 100 };
}

function keyed(
  by: readonly { readonly column: string }[],
  plain: (text: string) => string,
  { reference, usable, accepted, column }: Tools,
): { keyOf: (values: readonly string[]) => string; entries: Map<string, number[]>; repeated: () => number[][] } {
  const columns = by.map((b) => column(b.column));
  const keyOf = (values: readonly string[]): string =>
    values.length === 1 ? plain(values[0]!) : JSON.stringify(values.map(plain));
  const entries = new Map<string, number[]>();
  for (const e of usable) {
    const key = keyOf(columns.map((c) => reference.entries[e]![c]!));
    const list = entries.get(key);
    if (list) list.push(e);
    else entries.set(key, [e]);
  }
  const repeated = (): number[][] =>
    [...entries.values()].filter((of) => of.some((e) => accepted[e] !== accepted[of[0]!]));
  return { keyOf, entries, repeated };
}

function exact(lookUp: ExactLookUp, tools: Tools): Ask {
  const { keyOf, entries, repeated } = keyed(lookUp.by, lookUp.same === "exactly" ? (t) => t : plainWords, tools);
  const ask = (values: readonly string[], day: string): Found => {
    if (values.every((v) => v === "")) return NOTHING;
    return partnerOf(
      (entries.get(keyOf(values)) ?? []).filter((e) => tools.holds(e, day)),
      tools,
    );
  };
  return Object.assign(ask, { repeated });
}

/** Numbers by their size, dates by their letters; the same for a value and for the ends of a range. */
function orderOf(text: string): number {
  const day = /^(\d{4})-(\d{2})-(\d{2})/.exec(text);
  return day ? Date.UTC(Number(day[1]), Number(day[2]) - 1, Number(day[3])) : Number(text);
}

function range(lookUp: RangeLookUp, tools: Tools): Ask {
  const { reference, column, accepted } = tools;
  const by = lookUp.by ?? [];
  const { keyOf, entries } = keyed(by, plainWords, tools);
  const [from, to] = [column(lookUp.from), column(lookUp.to)];
  const bounds = (e: number): [number, number] => {
    const cells = reference.entries[e]!;
    return [cells[from] === "" ? -Infinity : orderOf(cells[from]!), cells[to] === "" ? Infinity : orderOf(cells[to]!)];
  };
  for (const list of entries.values()) {
    list.sort((a, b) => bounds(a)[0] - bounds(b)[0]);
    list.forEach((e, i) => {
      const [start, end] = bounds(e);
      const next = list[i + 1];
      const said = (n: number): string => reference.entries[n]!.filter((v) => v !== "").join(", ");
      if (Number.isNaN(start) || Number.isNaN(end) || start > end) {
        throw new SieveError("look-up-invalid", `An entry of the list ${reference.name} has no range: ${said(e)}.`, {
          hint: `${lookUp.from} and ${lookUp.to} must be numbers or ISO 8601 dates, the beginning first.`,
        });
      }
      if (next !== undefined && bounds(next)[0] <= end) {
        throw new SieveError("look-up-invalid", `Two ranges of the list ${reference.name} overlap.`, {
          detail: `${said(e)}; and ${said(next)}.`,
          hint: "Each value must be in one range; mend the list.",
        });
      }
    });
  }
  return (values, day) => {
    const [value, ...keys] = values;
    if (value === "" || value === undefined) return NOTHING;
    const at = orderOf(value);
    const list = entries.get(keyOf(keys)) ?? [];
    let [low, high] = [0, list.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (bounds(list[middle]!)[0] <= at) low = middle + 1;
      else high = middle;
    }
    const e = list[low - 1];
    if (e === undefined || at > bounds(e)[1] || !tools.holds(e, day)) return NONE;
    return { result: "exact", entry: accepted[e]!, score: 100, lead: 100 };
  };
}

/** By score: the mean likeness of the compared fields that both have, times 100. */
function scored(lookUp: ScoredLookUp, tools: Tools, memory: Answers): Ask {
  const { reference, usable, accepted, column } = tools;
  const columns = lookUp.by.map((b) => column(b.column));
  const { keyOf, entries, repeated } = keyed(lookUp.by, plainWords, tools);
  const near = new Nearest(lookUp.by, reference, columns, usable, accepted);
  const isEntry = (values: readonly string[]): boolean => entries.has(keyOf(values));
  let trials: Trials | null = null;
  const tried = (): Trials =>
    (trials ??= tryList(
      usable.map((e) => columns.map((c) => reference.entries[e]![c]!)),
      isEntry,
      (values, without) => near.find(values, (e) => without < 0 || accepted[e] !== accepted[usable[without]!]),
      (entry, of) => entry === accepted[usable[of]!],
    ));
  let limits: LookUpLimits | null = null;
  const inUse = (): LookUpLimits => (limits ??= limitsFor(tried(), undefined, lookUp));
  const { least, lead } = lookUp;
  const fits = (answer: Answer): "scored" | "several" | "none" => {
    const at = least !== undefined && lead !== undefined ? { least, lead } : inUse();
    return answer.score < at.least ? "none" : answer.lead < at.lead ? "several" : "scored";
  };
  const tenths = (n: number): number => Math.round(n * 10) / 10;
  const rounded = ({ score, next }: NearestEntry): Answer => ({ score: tenths(score), lead: tenths(score - next) });
  const byScore: ByScore = {
    plain({ values, day }) {
      if (values.every((v) => v === "")) return NOTHING;
      const same = partnerOf(
        (entries.get(keyOf(values)) ?? []).filter((e) => tools.holds(e, day)),
        tools,
      );
      return same.result === "none" ? null : same;
    },
    nearest: ({ values, day }) => near.find(values, (e) => tools.holds(e, day)),
    judged(best) {
      const answer = rounded(best);
      const result = best.entry < 0 ? "none" : fits(answer);
      return { result, entry: result === "scored" ? best.entry : -1, ...answer };
    },
  };
  const ask = (values: readonly string[], day: string): Found => {
    const asked = { values, day };
    return byScore.plain(asked) ?? byScore.judged(byScore.nearest(asked));
  };
  const likeness: ByLikeness = {
    limits: inUse,
    limitsOfAsked: (asked) => {
      const others = asked.filter((values) => !isEntry(values) && values.some((v) => v !== ""));
      const answers = others.map((values) => rounded(near.find(values, () => true)));
      return limitsFor(tried(), shareListed(tried(), answers));
    },
    nearest: (values, most) => near.best(values, most, () => true),
    nearestOf: byScore.nearest,
    ...sharing(byScore, memory),
  };
  return Object.assign(ask, { likeness, repeated });
}
