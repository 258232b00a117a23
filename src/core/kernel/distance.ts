/**
 * How many letters must be put in, taken out, changed or swapped with the next to make one text of
 * another: the restricted Damerau-Levenshtein distance, in which nothing is edited twice (Boytsov,
 * 2011). Letters are code points.
 */
export function editDistance(a: string, b: string): number {
  if (a === b) return 0;
  if (a.length > b.length) [a, b] = [b, a];
  if (a.length === 0) return lengthOf(b);
  const distance = a.length <= 32 ? byBits(a, b) : -1;
  return distance >= 0 ? distance : byTable(Array.from(a), Array.from(b));
}

/** The share of letters that stay, from 0 to 1: 1 less the distance over the longer text's length. */
export function similarity(a: string, b: string): number {
  if (a === b) return 1;
  const [short, long] = a.length <= b.length ? [a, b] : [b, a];
  if (short.length === 0) return 0;
  const distance = short.length <= 32 ? byBits(short, long) : -1;
  if (distance >= 0) return 1 - distance / long.length;
  return 1 - editDistance(a, b) / Math.max(lengthOf(a), lengthOf(b));
}

function lengthOf(text: string): number {
  let n = text.length;
  for (let i = 0; i < text.length; i++) if ((text.charCodeAt(i) & 0xfc00) === 0xdc00) n--;
  return n;
}

/** Letters whose places in the pattern are kept in an array. */
const PLAIN = 0x250;
const places = new Int32Array(PLAIN);

/** A column of the table in one machine word (Hyyrö, 2003); `a` has 1 to 32 letters. -1 where letters are not plain ones. */
function byBits(a: string, b: string): number {
  const m = a.length;
  let distance = m;
  let read = 0;
  for (; read < m; read++) {
    const letter = a.charCodeAt(read);
    if (letter >= PLAIN) break;
    places[letter]! |= 1 << read;
  }
  if (read < m) distance = -1;
  const last = 1 << (m - 1);
  let up = -1;
  let down = 0;
  let diagonal = 0;
  let before = 0;
  for (let j = 0; j < b.length && distance >= 0; j++) {
    const letter = b.charCodeAt(j);
    if (letter >= PLAIN) {
      distance = -1;
      break;
    }
    const match = places[letter]!;
    const swapped = ((~diagonal & match) << 1) & before;
    diagonal = (((match & up) + up) ^ up) | match | down | swapped;
    const right = down | ~(diagonal | up);
    const left = diagonal & up;
    if (right & last) distance++;
    else if (left & last) distance--;
    const shifted = (right << 1) | 1;
    up = (left << 1) | ~(diagonal | shifted);
    down = diagonal & shifted;
    before = match;
  }
  for (let i = 0; i < read; i++) places[a.charCodeAt(i)] = 0;
  return distance;
}

function byTable(x: readonly string[], y: readonly string[]): number {
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
