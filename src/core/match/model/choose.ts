import type { Pool } from "../pairs/draw.ts";
import type { Values } from "../pairs/table.ts";
import { Answers, LIMITS, UNSEEN, countJoined, judgePool, wordOf, type Joined } from "./count.ts";
import { TOLERATED, USUAL_PRECISION, askedFrom, chosenOf, mostOf, type Wanted } from "./best-limit.ts";
import { curveOf, type CurvePoint } from "./curve.ts";
import type { Labelled } from "./estimate.ts";
import type { FieldFacts } from "./fields.ts";
import { Judge } from "./judge.ts";
import type { Fit, Source } from "./kinds.ts";
import {
  RELATED_DIFFER,
  differingFields,
  differingOwn,
  isAsFrequentWithin,
  isRareEnough,
  mayHaveSilenced,
  relatedDiffer,
  sameOfRecord,
  sameAgree,
  seesLookalikes,
  withOtherNumbers,
  withRepeats,
} from "./plausible.ts";
import { NO_RIVALS, type Rivals } from "./rivals.ts";
import { MOST_BITS } from "./score.ts";

/** What speaks against trusting an estimate; where it is grave nothing is joined by itself. */
export const DOUBTS = [
  "few-records",
  "one-file",
  "repeats-inside",
  "nothing-same",
  "not-parted",
  "not-told-apart",
  "hardly-any",
  "below-wanted",
] as const;
export type Doubt = (typeof DOUBTS)[number];

/** A fit and the limits that follow from it. Bits are those of a pair, rivals weighed. */
export interface Choice {
  readonly fit: Fit;
  /** From so many bits on a pair is taken for the same; null where nothing is joined by itself. */
  readonly same: number | null;
  /** From so many bits on a person is asked. */
  readonly ask: number;
  readonly rivals: Rivals;
  /**
   * How the precision is known: `counted` where the files themselves show how many would be joined
   * wrongly, `model` where only the model has a word on it.
   */
  readonly basis: "counted" | "model" | null;
  /** Pairs that people have decided, from the limit on: how many of all are the same. */
  readonly answered: { readonly right: number; readonly all: number };
  /** Of what is joined the share that is the same, and of the same pairs the share that is joined; null where it can't be told. */
  readonly precision: number | null;
  readonly recall: number | null;
  readonly doubts: readonly Doubt[];
  /** Fields, by their numbers, that tell things apart and in which the pairs that are most alike differ too often to be the same. */
  readonly differing: readonly number[];
  /** By limit, ascending. */
  readonly curve: readonly CurvePoint[];
}

/** A person is asked from these bits on: one in three is the same. */
const ASK_BITS = -1;
/** Where the model is not to be believed a person is asked from these bits on. */
const SURER = 3;
/** And about so many pairs for each record at most, twice as each is seen from both its records. */
const MOST_ASKED = 0.04;
/** With so many decided pairs from the limit on an estimate counts as checked. */
const CHECKED = 20;
/** Where nothing can be counted: about ten to one. */
const MODEL_LIMIT = 3.3;
/** By three fields or fewer, which can hardly tell what only belongs together: what is all but beyond doubt. */
const MODEL_LIMIT_OF_FEW = 13;
/** With fewer records nothing can be estimated. */
const LEAST_RECORDS = 40;

/** What is chosen from. The first source is the one in which the limits are looked for. */
export interface Choosing {
  readonly values: readonly Values[];
  readonly facts: readonly FieldFacts[];
  readonly fits: readonly Fit[];
  readonly sources: readonly Source[];
  readonly wanted: Wanted;
  /** Pairs that people have decided. */
  readonly labels: Labelled | null;
  /** Draws more records of a source, candidates alone; the source itself where it has all. */
  readonly more: (source: number) => Source;
}

/**
 * The fit and the limits: where two sides are compared, by which most is joined rightly. How much would
 * be joined wrongly is counted where nothing is the same, within each side: what belongs together, or is
 * alike by chance, is as frequent there as across (Hui and Walter, 1980). In one file nothing can be
 * counted, and the model's own word is all there is.
 */
export function choose(given: Choosing): Choice {
  const { values, facts, sources, wanted } = given;
  // What has other numbers more often than not comes after the other, as this year's list does after last year's: no count tells that.
  const byHand = facts.some((f) => f.byHand);
  const stands = given.fits.filter(
    (fit) => byHand || withOtherNumbers(fit, facts).length === 0 || isBorneOut(given, fit),
  );
  const sound = stands.filter((fit) => relatedDiffer(fit, facts, RELATED_DIFFER.counted));
  const fits = [sound, stands, given.fits].find((list) => list.length > 0)!;
  const input = { ...given, fits };
  const repeats = withRepeats(fits, sources, facts);
  // Repeats count as wrong where they are counted. By few fields it is better to join too little than by the model's word.
  const few = fits.every((fit) => fit.start.few);
  const sides = sources.map((source, s) => (s > 0 && !source.sought && (few || !repeats.has(s)) ? s : -1));
  const counted = sides.filter(
    (s) => s > 0 && sources[s]!.pool.records * sources[s]!.pool.others >= LEAST_RECORDS ** 2,
  );
  const single = (side: Source["side"]): boolean =>
    sources.some((source, s) => source.side === side && !source.sought && !repeats.has(s));
  const rivals: Rivals = sources.length > 1 ? { byA: single("known"), byB: single("incoming") } : NO_RIVALS;
  const doubts: Doubt[] = [];
  if (repeats.size > 0) doubts.push("repeats-inside");
  const first = sources[0]!.pool;
  if (first.all + first.others < LEAST_RECORDS || first.count === 0) {
    return ranked(fits, facts, rivals, [...doubts, "few-records"], 0);
  }
  if (counted.length === 0) return byModel(input, rivals, doubts);
  let list = fits.flatMap((fit) => countJoined(input, fit, sources, counted, rivals));
  let best = chosenOf(list, wanted);
  // Where little is joined a few look-alikes among the records that were drawn say too little: more are looked at.
  const least = 1 - (wanted.precision ?? USUAL_PRECISION);
  const one = (UNSEEN * first.all * first.others) / counted.reduce((n, s) => n + pairsOf(sources[s]!.pool), 0);
  const greatest = Math.max(...list.map((j) => j.joined));
  if (one > (least * greatest) / 4) {
    const larger = sources.map((source, s) => (s === 0 || counted.includes(s) ? input.more(s) : source));
    const isLarger = larger.some((source, s) => source !== sources[s]);
    const counts = list;
    list = mostOf(counts).flatMap((fit) =>
      isLarger ? countJoined(input, fit, larger, counted, rivals) : counts.filter((j) => j.fit === fit),
    );
    best = chosenOf(list, wanted);
  }
  if (!best) return asked(list, rivals, doubts) ?? ranked(fits, facts, rivals, [...doubts, "nothing-same"], null);
  if (stands.length === 0) return untold(input, best.fit, rivals, doubts);
  const precision = 1 - best.wrong / best.joined;
  const judge = new Judge(values, best.fit);
  const { right, all } = wordOf(judgePool(judge, first, values.length, rivals), best.limit);
  if (precision < (wanted.precision ?? USUAL_PRECISION)) doubts.push("below-wanted");
  return {
    fit: best.fit,
    same: best.limit,
    ask: Math.min(best.limit, ASK_BITS),
    rivals,
    basis: "counted",
    answered: answeredFrom(given, best.fit, best.limit),
    precision,
    recall: all === 0 ? null : right / all,
    doubts,
    differing: [],
    curve: curveOf(list.filter((j) => j.fit === best.fit)),
  };
}

function pairsOf({ records, others }: Pool): number {
  return records * others;
}

/** Nothing is joined by itself; asked about is where there are more pairs than look-alikes account for. Null where there is no such place. */
function asked(list: readonly Joined[], rivals: Rivals, doubts: readonly Doubt[]): Choice | null {
  const best = askedFrom(list);
  if (!best) return null;
  const nothing = { same: null, basis: null, answered: NO_ANSWERS, precision: null, recall: null } as const;
  return {
    ...nothing,
    fit: best.fit,
    ask: best.limit,
    rivals,
    doubts: [...doubts, "not-parted"],
    differing: [],
    curve: curveOf(list.filter((j) => j.fit === best.fit)),
  };
}

/** Nothing is joined by itself: pairs are ranked, and asked about from a limit on; null where none is. */
function ranked(
  fits: readonly Fit[],
  facts: readonly FieldFacts[],
  rivals: Rivals,
  doubts: readonly Doubt[],
  ask: number | null,
): Choice {
  const fit = likeliest(fits, facts) ?? fits[0]!;
  return {
    fit,
    same: null,
    ask: ask ?? MOST_BITS,
    rivals,
    basis: null,
    answered: NO_ANSWERS,
    precision: null,
    recall: null,
    doubts,
    differing: doubts.includes("not-told-apart") ? differingFields(fit, facts) : [],
    curve: [],
  };
}

function likeliest(fits: readonly Fit[], facts: readonly FieldFacts[]): Fit | null {
  const plausible = fits.filter(
    (fit) => facts.some((f) => f.byHand) || (sameAgree(fit, facts) && relatedDiffer(fit, facts, RELATED_DIFFER.alone)),
  );
  return plausible.reduce<Fit | null>((best, fit) => (best && best.gain >= fit.gain ? best : fit), null);
}

const NO_ANSWERS = { right: 0, all: 0 };

function answeredFrom({ values, labels }: Choosing, fit: Fit, limit: number): Choice["answered"] {
  const { all, wrong } = new Answers(new Judge(values, fit), labels, values.length).from(limit);
  return { right: all - wrong, all };
}

/** The bits of the candidates where the limits are looked for, from the greatest on. */
function judged({ values, sources }: Choosing, fit: Fit, rivals: Rivals): Float64Array {
  return judgePool(new Judge(values, fit), sources[0]!.pool, values.length, rivals);
}

/** The fit whose same pairs differ least in what tells things apart. */
function leastDiffering(fits: readonly Fit[], facts: readonly FieldFacts[]): Fit {
  return fits.reduce((x, y) => (differingOwn(y, facts) < differingOwn(x, facts) ? y : x));
}

/** The likeliest few are asked about: all that can be said is which pairs come first. */
function untold(input: Choosing, fit: Fit, rivals: Rivals, doubts: readonly Doubt[]): Choice {
  const most = Math.floor(MOST_ASKED * input.sources[0]!.pool.records);
  const surest = judged(input, fit, rivals)[most] ?? SURER;
  const ask = Math.min(MOST_BITS - 1, Math.max(SURER, surest));
  return ranked([fit], input.facts, rivals, [...doubts, "not-told-apart"], ask);
}

/** Whether what people have decided bears a fit out, however implausible it looks. */
function isBorneOut(input: Choosing, fit: Fit): boolean {
  const { right, all } = answeredFrom(input, fit, MODEL_LIMIT);
  return all >= CHECKED && right >= BORNE_OUT * all;
}

/** By the model's own word, which nothing but what people have decided can check. */
function byModel(input: Choosing, rivals: Rivals, before: readonly Doubt[]): Choice {
  const { values, facts, fits, sources, wanted, labels } = input;
  const doubts: Doubt[] = [...before, "one-file"];
  // A fit that looks implausible may have been borne out.
  const borneOut = fits.filter((fit) => isBorneOut(input, fit));
  const { others } = sources[0]!.pool;
  const plausible = fits.filter(
    (fit) => facts.some((f) => f.byHand) || (isRareEnough(fit, facts) && !mayHaveSilenced(fit, facts, others)),
  );
  const fit =
    likeliest(plausible, facts) ?? borneOut.reduce<Fit | null>((x, y) => (x && x.gain >= y.gain ? x : y), null);
  // A likelier fit may see much that only belongs together and looks like the same, which one without it takes for that.
  const doubted = (of: Fit): boolean =>
    !borneOut.includes(of) && fits.some((other) => other.gain > of.gain && seesLookalikes(other, facts));
  if (!fit && fits.every((f) => sameOfRecord(f, sources)[0]! < LEAST_SHARE)) {
    return ranked(
      [fits.reduce((x, y) => (y.gain > x.gain ? y : x))],
      facts,
      rivals,
      [...doubts, "hardly-any"],
      ASK_BITS,
    );
  }
  if (!fit || doubted(fit)) return untold(input, leastDiffering(fits, facts), rivals, doubts);
  if (isAsFrequentWithin(fit, sources) && !borneOut.includes(fit)) return untold(input, fit, rivals, doubts);
  const bits = judged(input, fit, rivals);
  const answers = new Answers(new Judge(values, fit), labels, values.length);
  const aim = wanted.precision ?? 1 - TOLERATED * (1 - USUAL_PRECISION);
  const begin = fit.start.few && !borneOut.includes(fit) ? MODEL_LIMIT_OF_FEW : MODEL_LIMIT;
  for (let limit = begin; limit <= LIMITS.to; limit += LIMITS.step) {
    const { joined, right, all } = wordOf(bits, limit);
    const precision = joined === 0 ? null : 1 - answers.share(1 - right / joined, limit);
    if (precision !== null && precision < aim) continue;
    const answered = answeredFrom(input, fit, limit);
    const checked = answered.all >= CHECKED;
    const { records, all: ofAll } = sources[0]!.pool;
    if (!checked && joined < LEAST_SHARE * records && (joined > 0 || records < ofAll))
      return ranked([fit], facts, rivals, [...doubts, "hardly-any"], ASK_BITS);
    return {
      fit,
      same: limit,
      ask: ASK_BITS,
      rivals,
      basis: joined === 0 ? null : "model",
      answered,
      // Of two files of one kind the model has said 0.985 of both, and was right to 0.01 and wrong by 0.4.
      precision: checked ? precision : null,
      recall: checked && joined > 0 && all > 0 ? right / all : null,
      doubts: checked ? doubts.filter((d) => d !== "one-file") : doubts,
      differing: [],
      curve: [],
    };
  }
  return untold(input, fit, rivals, doubts);
}

/** Where fewer records than this have a pair that would be joined, these may be alike by chance, which nothing here can count. */
const LEAST_SHARE = 1 / 250;

/** An implausible fit is believed where of its decided pairs at least this share are the same. */
const BORNE_OUT = 0.9;
