import { MISSING } from "../model/density.ts";
import type { Values } from "./table.ts";

const CACHE_BITS = 14;
const CACHE = 1 << CACHE_BITS;

/** Likeness as a byte: 250 is equal; and one that is no likeness. */
export const EQUAL = 250;
/** One of the two is missing. */
export const NONE = 255;

/** The likeness of two values of a field, each pair compared once as long as it is remembered. */
export class Likeness {
  private readonly as = new Int32Array(CACHE);
  private readonly bs = new Int32Array(CACHE);
  private readonly kept = new Uint8Array(CACHE);

  constructor(private readonly values: Values) {}

  of(a: number, b: number): number {
    if (a === 0 || b === 0) return NONE;
    if (a === b) return EQUAL;
    const at = (Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca77)) >>> (32 - CACHE_BITS);
    if (this.as[at] === a && this.bs[at] === b) return this.kept[at]!;
    const { texts, compare } = this.values;
    const likeness = Math.min(EQUAL, Math.round(EQUAL * compare(texts[a]!, texts[b]!)));
    this.as[at] = a;
    this.bs[at] = b;
    this.kept[at] = likeness;
    return likeness;
  }
}

/** The level of each likeness of a field. */
export function levelsOf(values: Values): Uint8Array {
  const { levels } = values;
  return Uint8Array.from({ length: 256 }, (_, likeness) => {
    if (likeness === NONE) return MISSING;
    if (likeness >= EQUAL) return 0;
    const at = levels.findIndex((least) => likeness / EQUAL >= least - 0.002);
    return at < 0 ? levels.length + 1 : at + 1;
  });
}

/** The weight of each likeness of a field: each level's at its middle, in a straight line between. */
export function curveOf(values: Values, weights: readonly number[]): Float32Array {
  const edges = [1, ...values.levels, 0];
  const middles = edges.slice(1).map((edge, i) => (edge + edges[i]!) / 2);
  const last = values.levels.length + 1;
  return Float32Array.from({ length: 256 }, (_, byte) => {
    if (byte === NONE) return 0;
    if (byte >= EQUAL) return weights[0]!;
    const likeness = byte / EQUAL;
    const i = middles.findIndex((m) => likeness >= m);
    if (i === 0) return weights[1]!;
    if (i < 0) return weights[last]!;
    const share = (likeness - middles[i]!) / (middles[i - 1]! - middles[i]!);
    return weights[i + 1]! + share * (weights[i]! - weights[i + 1]!);
  });
}
