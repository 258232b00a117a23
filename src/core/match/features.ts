import { NAME_VARIANTS } from "./normalise.ts";
import { cologne, soundex } from "./compare/phonetic.ts";
import type { Leads } from "./part.ts";

/**
 * A feature is something that two records may have in common: a run of three letters, a sound, a
 * year and month. It is a hash of 32 bits, of which an index of few records uses fewer; two features
 * that fall on one number are taken for one, which costs a little time and loses nothing.
 */

/** FNV-1a over the characters, begun with what kind of feature it is (Fowler, Noll and Vo, 1991). */
function hashOf(kind: number, text: string, start = 0, end = text.length): number {
  let h = 0x811c9dc5 ^ kind;
  h = Math.imul(h, 0x01000193);
  for (let i = start; i < end; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
  h ^= h >>> 15;
  h = Math.imul(h, 0x2c1b3c6d);
  return h ^ (h >>> 12);
}

const KIND = { gram: 1, sound: 2, variant: 3, whole: 4, code: 5, half: 6, year: 7, number: 8, other: 9 } as const;

type Give = (feature: number) => void;

/** Features of words that came before: names are many, the words that they are made of few. */
let remembered = new Map<string, number[]>();
let roughWords = new Map<string, number>();
const MOST_REMEMBERED = 200_000;

/** Words of text lead by their runs of three letters, by how they sound, and by what name they are a form of. */
function words(text: string, give: Give): void {
  for (const word of text.split(" ")) {
    let features = remembered.get(word);
    if (!features) {
      if (remembered.size >= MOST_REMEMBERED) remembered = new Map();
      remembered.set(word, (features = wordFeatures(word)));
    }
    for (const feature of features) give(feature);
  }
}

function wordFeatures(word: string): number[] {
  const features: number[] = [];
  const padded = `  ${word} `;
  for (let i = 0; i + 3 <= padded.length; i++) features.push(hashOf(KIND.gram, padded, i, i + 3));
  if (word.length < 2) return features;
  if (word.charCodeAt(0) > 57) {
    features.push(hashOf(KIND.sound, soundex(word)));
    const sound = cologne(word);
    if (sound.length > 2) features.push(hashOf(KIND.sound, sound));
  }
  for (const name of NAME_VARIANTS.get(word) ?? []) features.push(hashOf(KIND.variant, name));
  return features;
}

/** What a word that stands for another leads by. */
export function variantFeature(word: string): number {
  return hashOf(KIND.variant, word);
}

/** Codes lead as a whole, by their halves, and by runs of four characters. */
function code(text: string, tag: number, give: Give): void {
  const kind = KIND.code + 16 * tag;
  give(hashOf(kind, text));
  if (text.length < 6) return;
  const half = text.length >> 1;
  give(hashOf(KIND.half + 16 * tag, text, 0, half));
  give(hashOf(KIND.other + 16 * tag, text, half));
  for (let i = 0; i + 4 <= text.length; i++) give(hashOf(kind, text, i, i + 4));
}

/** Dates lead as a whole, with day and month in either order, and with one of their parts left out. */
function date(text: string, tag: number, give: Give): void {
  const [y, m, d] = [text.slice(0, 4), text.slice(5, 7), text.slice(8, 10)];
  const kind = KIND.year + 16 * tag;
  give(hashOf(kind, m < d ? `${y}${m}${d}` : `${y}${d}${m}`));
  give(hashOf(kind, `${y}-${m}`));
  give(hashOf(kind, `${y}--${d}`));
  give(hashOf(kind, `-${m}-${d}`));
}

/**
 * What is left of a value when it is looked at roughly, so that an error or two may not change it:
 * the sounds of its words, halves of a code, parts of a date. Two fields' rough looks together are
 * a rare feature, which is what makes few candidates enough among very many records.
 */
export function roughOf(leads: Leads, text: string, tag: number, give: Give): void {
  if (leads === "words") {
    for (const word of text.split(" ", 3)) {
      if (word.length < 2) continue;
      let feature = roughWords.get(word);
      if (feature === undefined) {
        if (roughWords.size >= MOST_REMEMBERED) roughWords = new Map();
        roughWords.set(word, (feature = hashOf(KIND.sound, word.charCodeAt(0) > 57 ? soundex(word) : word)));
      }
      give(feature);
    }
  } else if (leads === "code" || leads === "number") {
    const half = text.length < 6 ? text.length : text.length >> 1;
    give(hashOf(KIND.half + 16 * tag, text, 0, half));
    if (half < text.length) give(hashOf(KIND.other + 16 * tag, text, half));
  } else if (leads === "date") {
    const [y, m, d] = [text.slice(0, 4), text.slice(5, 7), text.slice(8, 10)];
    const kind = KIND.year + 16 * tag;
    give(hashOf(kind, `${y}-${m}`));
    give(hashOf(kind, `${y}--${d}`));
    give(hashOf(kind, `-${m}-${d}`));
  }
}

/** One feature of two rough looks, whichever comes first: values in each other's fields lead to it all the same. */
export function bothOf(a: number, b: number): number {
  let h = Math.imul(a ^ b, 0x9e3779b1) ^ Math.imul(a + b, 0x85ebca77);
  h ^= h >>> 15;
  h = Math.imul(h, 0x2c1b3c6d);
  return h ^ (h >>> 13);
}

/** Gives the features of a prepared value; a feature may be given twice. `tag` keeps fields apart whose codes mean nothing to one another. */
export function featuresOf(leads: Leads, text: string, tag: number, give: Give): void {
  if (leads === "words") words(text, give);
  else if (leads === "code") code(text, tag, give);
  else if (leads === "date") date(text, tag, give);
  else if (leads === "number") give(hashOf(KIND.number + 16 * tag, text));
}
