import { SPELLING_LEVELS, prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";
import { jaroWinkler } from "./jaro-winkler.ts";

function oneWay(x: readonly string[], y: readonly string[]): number {
  let sum = 0;
  for (const a of x) {
    let best = 0;
    for (const b of y) best = Math.max(best, jaroWinkler(a, b));
    sum += best;
  }
  return sum / x.length;
}

export const mongeElkan: ComparatorPart<TextOptions> = {
  id: "monge-elkan",
  title: "Best partner of each word",
  about: "For texts of several words: the mean over all words of how alike the best partner is, both ways.",
  source: "Monge and Elkan (1996), made symmetric, on Jaro's and Winkler's likeness of words",
  options: textOptions,
  blocking: "words",
  prepare: prepareText,
  compare: () => (a, b) => {
    if (a === b) return 1;
    const [x, y] = [a.split(" "), b.split(" ")];
    return Math.min(0.999, (oneWay(x, y) + oneWay(y, x)) / 2);
  },
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "paul johnson", b: "johson paule", likeness: 0.934 },
    { options: {}, a: "field station", b: "station", likeness: 0.75 },
  ],
};
