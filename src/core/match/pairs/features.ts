import { NAME_VARIANTS, wordsOf } from "../normalise.ts";
import { cologne, soundex } from "../compare/phonetic.ts";
import type { Blocking } from "../part.ts";

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

/** Takes features, one after the other. */
interface Takes {
  push(feature: number): void;
}

/** What a word leads by: its features, and the coarse one of them. */
interface WordLeads {
  readonly features: readonly number[];
  readonly coarse: number;
}

/** Words that came before: names are many, the words that they are made of few. */
let remembered = new Map<string, WordLeads>();
const MOST_REMEMBERED = 200_000;
/** Words of a text that have a coarse feature. */
const COARSE_WORDS = 3;

/**
 * Words of text lead by their runs of three letters, by how they sound, and by what name they are a
 * form of; the coarse features are the sounds of the first of them.
 */
function words(text: string, features: Takes, coarse: Takes): void {
  let n = 0;
  for (const word of wordsOf(text)) {
    let ways = remembered.get(word);
    if (!ways) {
      if (remembered.size >= MOST_REMEMBERED) remembered = new Map();
      const sound = word.charCodeAt(0) > 57 ? soundex(word) : word;
      remembered.set(word, (ways = { features: wordFeatures(word), coarse: hashOf(KIND.sound, sound) }));
    }
    for (const feature of ways.features) features.push(feature);
    if (n++ < COARSE_WORDS && word.length > 1) coarse.push(ways.coarse);
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

/** Codes lead as a whole, by their halves, and by runs of four characters; their halves are coarse. */
function code(text: string, tag: number, features: Takes, coarse: Takes): void {
  halves(text, tag, coarse);
  const kind = KIND.code + 16 * tag;
  features.push(hashOf(kind, text));
  if (text.length < 6) return;
  halves(text, tag, features);
  for (let i = 0; i + 4 <= text.length; i++) features.push(hashOf(kind, text, i, i + 4));
}

function halves(text: string, tag: number, to: Takes): void {
  const half = text.length < 6 ? text.length : text.length >> 1;
  to.push(hashOf(KIND.half + 16 * tag, text, 0, half));
  if (half < text.length) to.push(hashOf(KIND.other + 16 * tag, text, half));
}

/** Dates lead as a whole, with day and month in either order, and with one of their parts left out; those last are coarse. */
function date(text: string, tag: number, features: Takes, coarse: Takes): void {
  const [y, m, d] = [text.slice(0, 4), text.slice(5, 7), text.slice(8, 10)];
  const kind = KIND.year + 16 * tag;
  features.push(hashOf(kind, m < d ? `${y}${m}${d}` : `${y}${d}${m}`));
  for (const part of [`${y}-${m}`, `${y}--${d}`, `-${m}-${d}`]) {
    const feature = hashOf(kind, part);
    features.push(feature);
    coarse.push(feature);
  }
}

/** One feature of two coarse ones, whichever comes first: values in each other's fields lead to it all the same. */
export function bothOf(a: number, b: number): number {
  let h = Math.imul(a ^ b, 0x9e3779b1) ^ Math.imul(a + b, 0x85ebca77);
  h ^= h >>> 15;
  h = Math.imul(h, 0x2c1b3c6d);
  return h ^ (h >>> 13);
}

/**
 * Gives the features of a prepared value; a feature may be given twice. `tag` keeps fields apart whose
 * codes mean nothing to one another. `coarse` takes those that an error or two may not change. Two
 * fields' coarse features together are a rare one, which is what makes few candidates enough among very
 * many records.
 */
export function featuresOf(blocking: Blocking, text: string, tag: number, features: Takes, coarse: Takes): void {
  if (blocking === "words") words(text, features, coarse);
  else if (blocking === "code") code(text, tag, features, coarse);
  else if (blocking === "date") date(text, tag, features, coarse);
  else if (blocking === "number") {
    features.push(hashOf(KIND.number + 16 * tag, text));
    halves(text, tag, coarse);
  }
}
