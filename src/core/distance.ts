/**
 * How many letters must be put in, taken out, changed or swapped with the next to make one text of
 * another: the restricted Damerau-Levenshtein distance, in which nothing is edited twice (Boytsov,
 * 2011). Letters are code points.
 */
export function editDistance(a: string, b: string): number {
  const [x, y] = [Array.from(a), Array.from(b)];
  let before: number[] = [];
  let row = Array.from({ length: y.length + 1 }, (_, j) => j);
  for (let i = 1; i <= x.length; i++) {
    const next = [i];
    for (let j = 1; j <= y.length; j++) {
      const cost = x[i - 1] === y[j - 1] ? 0 : 1;
      let d = Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + cost);
      if (i > 1 && j > 1 && x[i - 1] === y[j - 2] && x[i - 2] === y[j - 1]) d = Math.min(d, before[j - 2]! + 1);
      next.push(d);
    }
    before = row;
    row = next;
  }
  return row[y.length]!;
}

/** The share of letters that stay, from 0 to 1: 1 less the distance over the longer text's length. */
export function similarity(a: string, b: string): number {
  const longest = Math.max(Array.from(a).length, Array.from(b).length);
  return longest === 0 ? 1 : 1 - editDistance(a, b) / longest;
}
