import { SPELLING_LEVELS, prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";

/** The runs of three letters of each word, two spaces before it and one after, with how often each comes. */
export function gramCounts(text: string): Map<string, number> {
  const counts = new Map<string, number>();
  for (const word of text.split(" ")) {
    const padded = `  ${word} `;
    for (let i = 0; i + 3 <= padded.length; i++) {
      const gram = padded.slice(i, i + 3);
      counts.set(gram, (counts.get(gram) ?? 0) + 1);
    }
  }
  return counts;
}

function cosine(a: string, b: string): number {
  if (a === b) return 1;
  const [x, y] = [gramCounts(a), gramCounts(b)];
  let dot = 0;
  let xx = 0;
  let yy = 0;
  for (const [gram, n] of x) {
    dot += n * (y.get(gram) ?? 0);
    xx += n * n;
  }
  for (const n of y.values()) yy += n * n;
  // Words in another order have the same grams, and are still not one value.
  return Math.min(0.999, dot / Math.sqrt(xx * yy));
}

export const grams: ComparatorPart<TextOptions> = {
  id: "q-gram",
  title: "Runs of three letters",
  about: "For longer texts: how many runs of three letters they have in common, wherever those stand.",
  source: "Ukkonen (1992), as the cosine of the counts of trigrams",
  options: textOptions,
  blocking: "words",
  prepare: prepareText,
  compare: () => cosine,
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "north fen", b: "fen north", likeness: 0.999 },
    { options: {}, a: "fen", b: "fens", likeness: 0.67 },
    { options: {}, a: "abc", b: "xyz", likeness: 0 },
  ],
};
