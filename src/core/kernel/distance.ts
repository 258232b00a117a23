/**
 * How many letters must be put in, taken out, changed or swapped with the next to make one text of
 * another: the restricted Damerau-Levenshtein distance, in which nothing is edited twice (Boytsov,
 * 2011). Letters are code points.
 */
export function editDistance(a: string, b: string): number {
  if (a === b) return 0;
  const [short, long] = a.length <= b.length ? [a, b] : [b, a];
  if (short.length === 0) return lengthOf(long);
  return byWord(short, long) ?? byTable(Array.from(short), Array.from(long));
}

/** The share of letters that stay, from 0 to 1: 1 less the distance over the longer text's length. */
export function similarity(a: string, b: string): number {
  if (a === b) return 1;
  const [short, long] = a.length <= b.length ? [a, b] : [b, a];
  if (short.length === 0) return 0;
  const distance = byWord(short, long);
  if (distance !== null) return 1 - distance / long.length;
  return 1 - editDistance(a, b) / Math.max(lengthOf(a), lengthOf(b));
}

/** The distance by machine words, of texts each of whose letters is one code unit; null for others. */
function byWord(short: string, long: string): number | null {
  const distance = short.length <= WORD ? byBits(short, long) : -1;
  if (distance >= 0) return distance;
  return SURROGATE.test(short) || SURROGATE.test(long) ? null : byBlocks(short, long);
}

const SURROGATE = /[\ud800-\udfff]/;
/** Bits of a machine word. */
const WORD = 32;

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

/** By code unit the number of a letter of the pattern, from 1 on. */
const numbers = new Uint16Array(0x10000);
/** By letter and block of the pattern: the places where it stands. Letter 0 stands nowhere. */
let standing = new Int32Array(1024);
/** By block what a column of the table is: one more than the letter above, one less, and than the letter before it above. */
let state = new Int32Array(3 * 8);

/** A column of the table in as many machine words as it takes, from each of which some is carried to the next (Myers, 1999; Hyyrö, 2003). */
function byBlocks(a: string, b: string): number {
  const m = a.length;
  const blocks = Math.ceil(m / WORD);
  if (standing.length < (m + 1) * blocks) standing = new Int32Array(2 * (m + 1) * blocks);
  if (state.length < 3 * blocks) state = new Int32Array(6 * blocks);
  let letters = 0;
  for (let i = 0; i < m; i++) {
    const letter = a.charCodeAt(i);
    const number = numbers[letter]! || (numbers[letter] = ++letters);
    standing[number * blocks + (i >>> 5)]! |= 1 << i;
  }
  state.fill(0, 0, 3 * blocks);
  for (let w = 0; w < blocks; w++) state[3 * w] = -1;
  const last = 1 << (m - 1);
  let distance = m;
  let before = 0;
  for (let j = 0; j < b.length; j++) {
    const at = numbers[b.charCodeAt(j)]! * blocks;
    // Above the first letter each column is one more than the one before it.
    let [more, less, swap] = [1, 0, 0];
    for (let w = 0; w < blocks; w++) {
      const match = standing[at + w]!;
      const up = state[3 * w]!;
      const down = state[3 * w + 1]!;
      const cross = ~state[3 * w + 2]! & match;
      const swapped = ((cross << 1) | swap) & standing[before + w]!;
      const met = match | less;
      const diagonal = (((met & up) + up) ^ up) | met | down | swapped;
      const right = down | ~(diagonal | up);
      const left = diagonal & up;
      if (w === blocks - 1) distance += right & last ? 1 : left & last ? -1 : 0;
      const shifted = (right << 1) | more;
      state[3 * w] = (left << 1) | less | ~(diagonal | shifted);
      state[3 * w + 1] = diagonal & shifted;
      state[3 * w + 2] = diagonal;
      [more, less, swap] = [right >>> 31, left >>> 31, cross >>> 31];
    }
    before = at;
  }
  for (let i = 0; i < m; i++) numbers[a.charCodeAt(i)] = 0;
  standing.fill(0, 0, (letters + 1) * blocks);
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
