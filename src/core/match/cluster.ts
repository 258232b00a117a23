/** Two records that were found to be one, and the bits of evidence for it. */
export interface Link {
  readonly a: number;
  readonly b: number;
  readonly bits: number;
}

/** How much one pair can speak against a cluster: else one odd record outweighs all others. */
const LEAST_BITS = -20;
const MOST_BITS = 40;
/** Of larger clusters not every pair is looked at. */
const MOST_LOOKED_AT = 20;

/**
 * Puts records into clusters that hold together: links are taken from the strongest on, and two
 * clusters become one only where all pairs between them speak for it on the average
 * (average-linkage clustering, Sokal and Michener, 1958). So a chain of links does not join
 * strangers at its ends.
 *
 * `records`: how many there are. `bitsOf`: the evidence of any pair, found by a link or not;
 * -Infinity for two that must never be together. `least`: the mean bits that join.
 * Gives for each record the number of the first record of its cluster.
 */
export function clusterRecords(
  records: number,
  links: readonly Link[],
  bitsOf: (a: number, b: number) => number,
  least: number,
): Int32Array {
  const first = Int32Array.from({ length: records }, (_, r) => r);
  const members = new Map<number, number[]>();
  const order = [...links].sort((x, y) => y.bits - x.bits || x.a - y.a || x.b - y.b);
  for (const { a, b } of order) {
    const [x, y] = [first[a]!, first[b]!];
    if (x === y) continue;
    const left = members.get(x) ?? [x];
    const right = members.get(y) ?? [y];
    if (!holdTogether(left, right, bitsOf, least)) continue;
    const [kept, gone] = x < y ? [left, right] : [right, left];
    const to = Math.min(x, y);
    for (const r of gone) {
      first[r] = to;
      kept.push(r);
    }
    members.delete(Math.max(x, y));
    members.set(to, kept);
  }
  return first;
}

function holdTogether(
  left: readonly number[],
  right: readonly number[],
  bitsOf: (a: number, b: number) => number,
  least: number,
): boolean {
  let sum = 0;
  let count = 0;
  for (const a of left.slice(0, MOST_LOOKED_AT)) {
    for (const b of right.slice(0, MOST_LOOKED_AT)) {
      const bits = bitsOf(a, b);
      if (bits === -Infinity) return false;
      sum += Math.max(LEAST_BITS, Math.min(MOST_BITS, bits));
      count++;
    }
  }
  return sum >= least * count;
}
