import { SPELLING_LEVELS, prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";

const used = new Uint8Array(1024);
const shared = new Uint16Array(1024);

/**
 * Letters that two texts share near the same place, with more weight on a common beginning: from 0
 * to 1. Jaro (1989), Winkler (1990): the beginning counts up to four letters with a tenth each.
 */
export function jaroWinkler(a: string, b: string): number {
  if (a === b) return 1;
  const m = Math.min(a.length, used.length);
  const n = Math.min(b.length, used.length);
  if (m === 0 || n === 0) return 0;
  const window = Math.max(0, (Math.max(m, n) >> 1) - 1);
  used.fill(0, 0, n);
  let common = 0;
  let swaps = 0;
  for (let i = 0; i < m; i++) {
    const c = a.charCodeAt(i);
    const past = Math.min(n, i + window + 1);
    for (let j = Math.max(0, i - window); j < past; j++) {
      if (used[j] === 0 && b.charCodeAt(j) === c) {
        used[j] = 1;
        shared[common++] = c;
        break;
      }
    }
  }
  if (common === 0) return 0;
  for (let j = 0, k = 0; j < n; j++) if (used[j] === 1 && b.charCodeAt(j) !== shared[k++]) swaps++;
  const jaro = (common / m + common / n + (common - swaps / 2) / common) / 3;
  let prefix = 0;
  while (prefix < 4 && prefix < m && prefix < n && a.charCodeAt(prefix) === b.charCodeAt(prefix)) prefix++;
  return jaro + prefix * 0.1 * (1 - jaro);
}

export const jaroWinklerComparator: ComparatorPart<TextOptions> = {
  id: "jaro-winkler",
  title: "Letters near the same place",
  about: "For short names: letters that both have near the same place, a common beginning counting more.",
  source: "Jaro (1989); Winkler (1990)",
  options: textOptions,
  blocking: "words",
  prepare: prepareText,
  compare: () => jaroWinkler,
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "MARTHA", b: "MARHTA", likeness: 0.961 },
    { options: {}, a: "DWAYNE", b: "DUANE", likeness: 0.84 },
    { options: {}, a: "DIXON", b: "DICKSONX", likeness: 0.813 },
    { options: {}, a: "Ness", b: "ness", likeness: 1 },
    { options: {}, a: "abc", b: "xyz", likeness: 0 },
  ],
};
