import { clusterRecords, type Link } from "./cluster.ts";
import { type Matcher, type Pairs } from "./match.ts";
import { BANDS, bandOf, type Band, type LimitsInUse } from "./limits.ts";
import type { Choice, Doubt } from "./model/choose.ts";
import { wordOf } from "./model/count.ts";
import { bitsOf, scoreOf } from "./model/score.ts";

/** What a person decided about a pair before. */
export type Decision = "same" | "different";

/** Score and band of each pair, and what follows from them for the records. */
export interface Resolution {
  readonly scores: Float64Array;
  /** By pair: the number of its band in `BANDS`. */
  readonly bands: Uint8Array;
  /** By pair: whether a person had decided it. */
  readonly decided: Uint8Array;
  /**
   * Every record's cluster as the number of its first record. Known records are numbered from 0,
   * incoming ones after them; where records are compared with one another there is but one kind.
   */
  readonly clusters: Int32Array;
  /** By incoming record: 1 where a person has to be asked about it. */
  readonly asks: Uint8Array;
  readonly counts: Record<Band, number>;
}

/** A score's bits from which on, on the average, records are held together: halfway to the limit for the same. */
const HOLD = 0.5;

/**
 * Says of each pair whether it is the same, to be asked about, or different: by the limits, the
 * lead of the best candidate where one is demanded, and by what people decided. Same pairs become
 * clusters. A record is to be asked about when it has a pair in that band and none that makes it
 * one with another record already.
 */
export function resolvePairs(
  matcher: Matcher,
  pairs: Pairs,
  limits: LimitsInUse,
  decided: (pair: number) => Decision | null = () => null,
): Resolution {
  const among = matcher.known === matcher.incoming;
  const known = among ? 0 : matcher.known.length;
  const scores = Float64Array.from({ length: pairs.count }, (_, i) => scoreOf(pairs.bits[i]!));
  const bands = new Uint8Array(pairs.count);
  const said = new Uint8Array(pairs.count);
  const lead = limits.lead ?? 0;
  const [best, next] = leadOf(pairs, scores, matcher.incoming.length);
  const apart = new Set<number>();
  const together = new Map<number, number>();
  const total = known + matcher.incoming.length;
  const links: Link[] = [];
  for (let i = 0; i < pairs.count; i++) {
    const decision = decided(i);
    let band = bandOf(scores[i]!, limits);
    const a = pairs.a[i]!;
    if (band === "same" && lead > 0 && (best[a] !== i || scores[i]! - next[a]! < lead)) band = "ask";
    if (decision) {
      band = decision;
      said[i] = 1;
    }
    bands[i] = BANDS.indexOf(band);
    const [x, y] = [pairs.b[i]!, known + a];
    const key = Math.min(x, y) * total + Math.max(x, y);
    if (decision === "different") apart.add(key);
    if (band !== "same") continue;
    const bits = decision === "same" ? 60 : pairs.bits[i]!;
    together.set(key, bits);
    links.push({ a: x, b: y, bits });
  }
  const bits = (x: number, y: number): number => {
    const key = Math.min(x, y) * total + Math.max(x, y);
    if (apart.has(key)) return -Infinity;
    const found = together.get(key);
    if (found !== undefined) return found;
    if (among) return matcher.explain(Math.max(x, y), Math.min(x, y)).bits;
    // Two known records, or two incoming ones, are not compared with each other: they speak neither way.
    if (x < known === y < known) return bitsOf(limits.same ?? 100) * HOLD;
    return x < known ? matcher.explain(y - known, x).bits : matcher.explain(x - known, y).bits;
  };
  const clusters = clusterRecords(total, links, bits, bitsOf(limits.same ?? 100) * HOLD);
  const asks = new Uint8Array(matcher.incoming.length);
  const counts: Record<Band, number> = { same: 0, ask: 0, different: 0 };
  for (let i = 0; i < pairs.count; i++) {
    counts[BANDS[bands[i]!]!]++;
    if (bands[i] !== 1) continue;
    const [x, y] = [pairs.b[i]!, known + pairs.a[i]!];
    // Whoever is in one cluster already needs no answer.
    if (clusters[x] === clusters[y]) continue;
    asks[pairs.a[i]!] = 1;
  }
  return { scores, bands, decided: said, clusters, asks, counts };
}

/** By incoming record: its best pair, and the score of the next. */
function leadOf(pairs: Pairs, scores: Float64Array, records: number): [Int32Array, Float64Array] {
  const best = new Int32Array(records).fill(-1);
  const next = new Float64Array(records);
  for (let i = 0; i < pairs.count; i++) {
    const a = pairs.a[i]!;
    const b = best[a]!;
    if (b < 0) best[a] = i;
    else if (scores[i]! > scores[b]!) {
      next[a] = scores[b]!;
      best[a] = i;
    } else if (scores[i]! > next[a]!) next[a] = scores[i]!;
  }
  return [best, next];
}

/** By what a cluster was joined. */
export interface JoinedBy {
  /** The least score of its pairs. */
  readonly score: number;
  /** How far the best pairs of its records were ahead of the next ones, at the least; null where none had another. */
  readonly lead: number | null;
}

/** By cluster, as the number of its first record: by what it was joined. */
export function joinedBy(
  matcher: Matcher,
  pairs: Pairs,
  { scores, bands, clusters }: Resolution,
): Map<number, JoinedBy> {
  const known = matcher.known === matcher.incoming ? 0 : matcher.known.length;
  const [best, next] = leadOf(pairs, scores, matcher.incoming.length);
  const others = new Uint8Array(matcher.incoming.length);
  for (let i = 0; i < pairs.count; i++) if (best[pairs.a[i]!] !== i) others[pairs.a[i]!] = 1;
  const found = new Map<number, JoinedBy>();
  for (let i = 0; i < pairs.count; i++) {
    const a = pairs.a[i]!;
    const first = clusters[known + a]!;
    if (bands[i] !== 0 || clusters[pairs.b[i]!] !== first) continue;
    const lead = best[a] === i && others[a] === 1 ? scores[i]! - next[a]! : null;
    const before = found.get(first);
    const leads = [before?.lead ?? null, lead].filter((x) => x !== null);
    found.set(first, {
      score: Math.min(before?.score ?? 100, scores[i]!),
      lead: leads.length === 0 ? null : Math.min(...leads),
    });
  }
  return found;
}

/** What is known of limits without anyone's labels. */
export interface LimitsEstimate {
  /** Of the pairs from the limit on the share that are the same; null where it can't be told, or there are none. */
  readonly precision: number | null;
  /** Of all same pairs the share that are from the limit on. */
  readonly recall: number | null;
  /** Between which shares the precision is with 95 %, where it was counted and nobody has decided pairs; left out where that can't be told. */
  readonly within?: { readonly low: number; readonly high: number };
  /** How the precision is known: counted within the files, or by the model's own word; null where nothing is. */
  readonly basis: Choice["basis"];
  readonly doubts: readonly Doubt[];
  /** The numbers of compared fields in which the likeliest pairs differ too often to be the same; left out where there are none. */
  readonly differing?: readonly number[];
  /** Pairs that people have decided, from the limit on: how many of all were the same. Left out where there are none. */
  readonly answered?: Choice["answered"];
}

/** What is known of the limits in use, be they set by hand or chosen. */
export function estimateOfLimits(pairs: Pairs, { same: limit }: LimitsInUse, choice: Choice): LimitsEstimate {
  const { curve } = choice;
  const known = {
    doubts: choice.doubts,
    ...(choice.differing.length > 0 && { differing: choice.differing }),
    ...(choice.answered.all > 0 && { answered: choice.answered }),
  };
  const least = limit === null ? Infinity : bitsOf(limit);
  const { joined: same, right, all } = wordOf(pairs.bits.subarray(0, pairs.count), least);
  const [precision, recall] = [same === 0 ? null : right / same, same === 0 ? null : right / all];
  if (choice.basis === null || same === 0) return { precision: null, recall: null, basis: null, ...known };
  if (choice.basis === "model") {
    const told = choice.precision !== null;
    return { precision: told ? precision : null, recall: told ? recall : null, basis: "model", ...known };
  }
  const { wrong, within } = curveAt(curve, least);
  return {
    precision: 1 - wrong,
    recall,
    ...(within && { within: { low: 1 - within.high, high: 1 - within.low } }),
    basis: "counted",
    ...known,
  };
}

function curveAt(curve: Choice["curve"], bits: number): Pick<Choice["curve"][number], "wrong" | "within"> {
  return curve.findLast((c) => c.bits <= bits + 1e-6) ?? curve[0] ?? { wrong: 0, within: null };
}

/** What share of what is joined from so many bits on is wrong, by what was counted. */
export function wrongFrom(curve: Choice["curve"], bits: number): number {
  return curveAt(curve, bits).wrong;
}
