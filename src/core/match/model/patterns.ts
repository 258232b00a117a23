import type { Pool } from "../pairs/draw.ts";

/**
 * Pairs as they are estimated from. What is estimated sees of a pair the levels of its fields and how rare its values
 * are: pairs that agree in all of that are one pattern, however many they are (Fellegi and Sunter, 1969).
 */
export interface Patterns {
  readonly count: number;
  /** By pattern and field. */
  readonly levels: Uint8Array;
  readonly rarity: Float32Array;
  /** By pattern: what its pairs weigh, and the sum of the squares of what each weighs. */
  readonly weight: Float64Array;
  readonly squares: Float64Array;
}

/** The pairs of a pool, each a pattern of its own. */
export function eachAlone({ count, levels, rarity, weight }: Pool): Patterns {
  const [weights, squares] = [new Float64Array(weight), new Float64Array(weight)];
  for (let p = 0; p < count; p++) squares[p]! *= squares[p]!;
  return { count, levels, rarity, weight: weights, squares };
}

/** The patterns of a pool, in the order in which they first come. */
export function patternsOf(pool: Pool, width: number): Patterns {
  const { count, levels } = pool;
  // Floating-point numbers as what they are made of, so that they can be told apart by whole numbers.
  const rarity = new Int32Array(pool.rarity.buffer, pool.rarity.byteOffset, count * width);
  const places = 1 << (32 - Math.clz32(2 * count));
  /** By place in a hash table: one more than the pattern that lies there. */
  const table = new Int32Array(places);
  /** By pattern: the first pair that has it. */
  const first = new Int32Array(count);
  const weight = new Float64Array(count);
  const squares = new Float64Array(count);
  let found = 0;
  for (let p = 0; p < count; p++) {
    const at = p * width;
    let hash = 0;
    for (let f = 0; f < width; f++) hash = Math.imul(hash ^ levels[at + f]!, 0x9e3779b1) ^ rarity[at + f]!;
    let place = Math.imul(hash ^ (hash >>> 15), 0x85ebca77) >>> 0;
    place = (place ^ (place >>> 13)) & (places - 1);
    for (; table[place] !== 0; place = (place + 1) & (places - 1)) {
      const other = first[table[place]! - 1]! * width;
      let f = 0;
      while (f < width && levels[at + f] === levels[other + f] && rarity[at + f] === rarity[other + f]) f++;
      if (f === width) break;
    }
    if (table[place] === 0) {
      first[found] = p;
      table[place] = ++found;
    }
    const pattern = table[place]! - 1;
    const w = pool.weight[p]!;
    weight[pattern]! += w;
    squares[pattern]! += w * w;
  }
  const from = first.subarray(0, found);
  return {
    count: found,
    levels: rowsAt(from, levels, new Uint8Array(found * width), width),
    rarity: rowsAt(from, pool.rarity, new Float32Array(found * width), width),
    weight: weight.slice(0, found),
    squares: squares.slice(0, found),
  };
}

/** The patterns that a test lets through, and which they were. */
export function some(
  { count, levels, rarity, weight, squares }: Patterns,
  width: number,
  keep: (p: number) => boolean,
): { patterns: Patterns; from: Int32Array } {
  const from = placesOf(count, keep);
  const patterns = {
    count: from.length,
    levels: rowsAt(from, levels, new Uint8Array(from.length * width), width),
    rarity: rowsAt(from, rarity, new Float32Array(from.length * width), width),
    weight: Float64Array.from(from, (p) => weight[p]!),
    squares: Float64Array.from(from, (p) => squares[p]!),
  };
  return { patterns, from };
}

/** The places that a test lets through, of so many. */
export function placesOf(count: number, keep: (p: number) => boolean): Int32Array {
  const from = new Int32Array(count);
  let kept = 0;
  for (let p = 0; p < count; p++) if (keep(p)) from[kept++] = p;
  return from.slice(0, kept);
}

/** Puts the rows at some places one after the other. */
export function rowsAt<T extends Uint8Array | Float32Array>(from: Int32Array, all: T, into: T, width: number): T {
  from.forEach((p, i) => into.set(all.subarray(p * width, (p + 1) * width), i * width));
  return into;
}
