import { withoutAccents } from "../kernel/accents.ts";
import { countryOf } from "../type/countries.ts";
import { ABBREVIATIONS, GIVEN_NAMES, LEGAL_FORMS, PARTICLES, TITLES } from "./words.ts";

/** Words that stand for others in comparisons: what is found, by what is written. */
export type Variants = ReadonlyMap<string, readonly string[]>;

/** What letters of ASCII are in a value that is made plain; 0 for those that it takes more for. */
const LETTER = { plain: 1, capital: 2, mark: 3, apostrophe: 4, blank: 5 } as const;
const LETTERS = Uint8Array.from({ length: 128 }, (_, code) => {
  const letter = String.fromCharCode(code);
  if (/[a-z0-9]/.test(letter)) return LETTER.plain;
  if (/[A-Z]/.test(letter)) return LETTER.capital;
  if (letter === "'") return LETTER.apostrophe;
  return letter === " " ? LETTER.blank : /[.,;:-]/.test(letter) ? LETTER.mark : 0;
});

/** A value for comparing: lower case, no accents, words apart by one space and nothing but letters and digits in them. */
export function plainWords(text: string): string {
  let capitals = false;
  let marks = false;
  // A blank at the beginning, or behind another one, goes too.
  let last: number = LETTER.blank;
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    const letter = code < 128 ? LETTERS[code]! : 0;
    if (letter === 0) return otherWords(text);
    if (letter === LETTER.capital) capitals = true;
    else if (letter !== LETTER.plain && (letter !== LETTER.blank || last === LETTER.blank)) marks = true;
    last = letter;
  }
  const lower = capitals ? text.toLowerCase() : text;
  if (!marks && last !== LETTER.blank) return lower;
  return lower
    .replace(/'/g, "")
    .replace(/[ .,;:-]+/g, " ")
    .trim();
}

/** The same of a value that has other letters than those of ASCII, or other marks. */
function otherWords(text: string): string {
  return withoutAccents(text.normalize("NFKC"))
    .toLowerCase()
    .replace(/['’`´]/g, "")
    .replace(/[^\p{L}\p{N}]+/gu, " ")
    .trim();
}

/** The words of a plain text; the same as its parts at each blank, and three times as fast. */
export function wordsOf(text: string): string[] {
  const words: string[] = [];
  let from = 0;
  for (let at = text.indexOf(" "); at >= 0; at = text.indexOf(" ", from)) {
    words.push(text.slice(from, at));
    from = at + 1;
  }
  words.push(text.slice(from));
  return words;
}

/** Rows of words that are one, as a table from each word to what it is taken for. */
export function variantsOf(
  rows: readonly (readonly string[])[],
  own: Readonly<Record<string, readonly string[]>> = {},
): Variants {
  const table = new Map<string, string[]>();
  const put = (from: string, to: string): void => {
    const list = table.get(from);
    if (!list) table.set(from, [to]);
    else if (!list.includes(to)) list.push(to);
  };
  const all = [...rows, ...Object.entries(own).map(([to, from]) => [to, ...from].map(plainWords))];
  for (const [to, ...rest] of all) for (const from of [to!, ...rest]) put(from, to!);
  return table;
}

export const NAME_VARIANTS = variantsOf(GIVEN_NAMES);

const ABBREVIATION = new Map(ABBREVIATIONS.flatMap(([to, ...from]) => from.map((word) => [word, to!] as const)));

/** Leaves words out of plain ones; where nothing would be left they stay. Most texts have none, which is seen by how words begin and how long they are. */
function leavingOut(list: readonly string[]): (words: string) => string {
  const drop = new Set(list);
  const LONGEST = 15;
  const looks = new Uint8Array(128 * (LONGEST + 1));
  const look = (first: number, length: number): number =>
    (first < 128 ? first : 0) * (LONGEST + 1) + Math.min(LONGEST, length);
  for (const word of list) looks[look(word.charCodeAt(0), word.length)] = 1;
  const without = (words: string): string => {
    const kept = wordsOf(words).filter((w) => !drop.has(w));
    return kept.length === 0 ? words : kept.join(" ");
  };
  return (words) => {
    let from = 0;
    for (let i = 0; i <= words.length; i++) {
      if (i < words.length && words.charCodeAt(i) !== 32) continue;
      if (looks[look(words.charCodeAt(from), i - from)] === 1) return without(words);
      from = i + 1;
    }
    return words;
  };
}

const withoutTitles = leavingOut([...TITLES, ...PARTICLES]);
const withoutLegalForms = leavingOut(LEGAL_FORMS);

/**
 * A person's name for comparing: “Dr. Sorrel P. de Ness” becomes “sorrel p ness”, and “NESS,
 * Sorrel” becomes “sorrel ness”. Initials written as one word (“SP”) stand apart only when dotted.
 */
export function personWords(text: string): string {
  const comma = text.indexOf(",");
  const turned =
    comma > 0 && text.indexOf(",", comma + 1) < 0 ? `${text.slice(comma + 1)} ${text.slice(0, comma)}` : text;
  return withoutTitles(plainWords(turned));
}

/** An organisation's name for comparing: without its legal form, abbreviations written out. */
export function organisationWords(text: string): string {
  return withoutLegalForms(placeWords(text));
}

/** The name of a place, or an address, for comparing: abbreviations written out. */
export function placeWords(text: string): string {
  const words = plainWords(text)
    .replace(/strasse\b/g, " street")
    .replace(/str\b/g, " street")
    .trim();
  if (!words.includes(" ") && !ABBREVIATION.has(words)) return words;
  return words
    .split(/\s+/)
    .map((word, i, all) =>
      word === "st" ? (i === all.length - 1 ? "street" : "saint") : (ABBREVIATION.get(word) ?? word),
    )
    .join(" ");
}

/** A country by its usual name in English, whatever it is called; what names none, as the name of a place. */
export function countryWords(text: string): string {
  const country = countryOf(text);
  return country ? plainWords(country.name) : placeWords(text);
}

/** Nothing but digits and letters, in upper case: “gb-82 west” becomes “GB82WEST”. */
export function codeLetters(text: string): string {
  return withoutAccents(text)
    .toUpperCase()
    .replace(/[^\p{L}\p{N}]+/gu, "");
}
