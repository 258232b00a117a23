import { similarity } from "../../kernel/distance.ts";
import { NAME_VARIANTS, personWords, variantsOf, type Variants } from "../normalise.ts";
import { SPELLING_LEVELS, wordOptions, type ComparatorPart, type WordOptions } from "../part.ts";
import { GIVEN_NAMES } from "../words.ts";
import { soundex } from "./phonetic.ts";
import { partsOf, softWords, wordLikeness } from "./soft.ts";

/** An initial agrees with each name that it begins; that says less than the name. */
const INITIAL = 0.84;
const VARIANT = 0.93;
const SOUND = 0.86;

function nameLikeness(variants: Variants): (a: string, b: string) => number {
  return (a, b) => {
    if (a === b) return 1;
    if (a.length === 1 || b.length === 1) return a.charCodeAt(0) === b.charCodeAt(0) ? INITIAL : 0;
    const letters = wordLikeness(a, b);
    if (letters >= VARIANT) return letters;
    const x = variants.get(a);
    const y = x && variants.get(b);
    if (y?.some((name) => x!.includes(name))) return VARIANT;
    if (letters > 0.55 && letters < SOUND && soundex(a) === soundex(b)) return SOUND;
    return letters;
  };
}

export const person: ComparatorPart<WordOptions> = {
  id: "person",
  title: "Names of persons",
  about:
    "For people: names in any order, initials against names, short forms of given names, names that sound alike, titles and particles left out.",
  source: "soft token sets, after Cohen, Ravikumar and Fienberg (2003); sound by Russell's Soundex (1918)",
  options: wordOptions,
  blocking: "words",
  prepare: () => personWords,
  compare: ({ variants }) => {
    const alike = nameLikeness(variants ? variantsOf(GIVEN_NAMES, variants) : NAME_VARIANTS);
    const [left, right] = [partsOf(), partsOf()];
    return (a, b) => {
      if (a === b) return 1;
      const spaced = a.includes(" ") || b.includes(" ");
      if (!spaced) return alike(a, b);
      const [x, y] = [left(a), right(b)];
      const soft = softWords(x.words, y.words, alike, 0.6, 0.45);
      const joined = similarity(x.joined, y.joined);
      return Math.min(0.999, Math.max(joined * 0.98, soft * 0.99));
    };
  },
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "Ness, Sorrel", b: "Dr Sorrel Ness", likeness: 1 },
    { options: {}, a: "Ness Sorrel", b: "Sorrel Ness", likeness: 0.99 },
    { options: {}, a: "S. Ness", b: "Sorrel Ness", likeness: 0.895 },
    { options: {}, a: "William Tarn", b: "Bill Tarn", likeness: 0.945 },
    { options: { variants: { Sorrel: ["Sory"] } }, a: "Sory Tarn", b: "Sorrel Tarn", likeness: 0.948 },
    { options: {}, a: "Sorrel Ness", b: "Alder Brook", likeness: 0.098 },
  ],
};
