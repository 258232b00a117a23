import { SPELLING_LEVELS, prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";

/** Parts shorter than this are shared by chance. */
const SHORTEST = 3;

/**
 * The share of letters in parts that both texts have, the longest first, again and again until none
 * of at least three letters is left: from 0 to 1, by the mean of both lengths.
 */
function commonParts(a: string, b: string): number {
  if (a === b) return 1;
  const size = (a.length + b.length) / 2;
  let shared = 0;
  for (;;) {
    const [length, i, j] = longest(a, b);
    if (length < SHORTEST) break;
    shared += length;
    a = a.slice(0, i) + a.slice(i + length);
    b = b.slice(0, j) + b.slice(j + length);
  }
  return Math.min(0.999, shared / size);
}

function longest(a: string, b: string): [number, number, number] {
  let found: [number, number, number] = [0, 0, 0];
  let before = new Uint16Array(b.length + 1);
  let row = new Uint16Array(b.length + 1);
  for (let i = 1; i <= a.length; i++) {
    for (let j = 1; j <= b.length; j++) {
      row[j] = a.charCodeAt(i - 1) === b.charCodeAt(j - 1) ? before[j - 1]! + 1 : 0;
      if (row[j]! > found[0]) found = [row[j]!, i - row[j]!, j - row[j]!];
    }
    [before, row] = [row, before];
  }
  return found;
}

export const longestPart: ComparatorPart<TextOptions> = {
  id: "longest-part",
  title: "Longest common parts",
  about: "For texts with parts put in, left out or moved: the share of letters in parts that both have.",
  source: "Friedman and Sideli (1992)",
  options: textOptions,
  blocking: "words",
  prepare: prepareText,
  compare: () => commonParts,
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "peter christen", b: "christen peter", likeness: 0.93 },
    { options: {}, a: "fen station", b: "station", likeness: 0.78 },
    { options: {}, a: "ab", b: "ba", likeness: 0 },
  ],
};
