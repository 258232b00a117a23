import { grown } from "../../kernel/lists.ts";
import { NAME_VARIANTS } from "../normalise.ts";
import { cologne, soundex } from "../compare/phonetic.ts";
import type { Blocking } from "../part.ts";
import { NumberedWords } from "./numbered-texts.ts";

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
  /** Takes those of a list from one place to before another. */
  append(features: Int32Array, from: number, to: number): void;
}

/** Words that are remembered with what they lead by, before all are forgotten: names are many, the words that they are made of few. */
const MOST_REMEMBERED = 1 << 17;
/** Words of a text that have a coarse feature. */
const COARSE_WORDS = 3;

/** What words lead by: by number of a word its coarse feature, and where its features begin in their list. */
class WordLeads {
  private readonly words = new NumberedWords(MOST_REMEMBERED);
  private readonly coarse = new Int32Array(MOST_REMEMBERED);
  private readonly starts = new Int32Array(MOST_REMEMBERED + 1);
  private list = new Int32Array(1024);

  /**
   * Words of text lead by their runs of three letters, by how they sound, and by what name they are a
   * form of; the coarse features are the sounds of the first of them.
   */
  give(text: string, features: Takes, coarse: Takes): void {
    const { words } = this;
    let place = 0;
    for (let from = 0; from <= text.length; from = words.end + 1) {
      const n = words.of(text, from);
      const length = words.end - from;
      if (words.fresh) this.put(n, text.slice(from, words.end));
      features.append(this.list, this.starts[n]!, this.starts[n + 1]!);
      if (place++ < COARSE_WORDS && length > 1) coarse.push(this.coarse[n]!);
    }
  }

  private put(n: number, word: string): void {
    const sound = word.charCodeAt(0) > 57 ? soundex(word) : word;
    this.coarse[n] = hashOf(KIND.sound, sound);
    const features = wordFeatures(word);
    const at = this.starts[n]!;
    const end = (this.starts[n + 1] = at + features.length);
    if (end > this.list.length) this.list = grown(this.list, Math.max(end, this.list.length * 2));
    this.list.set(features, at);
  }
}

let leads: WordLeads | null = null;

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
  if (blocking === "words") (leads ??= new WordLeads()).give(text, features, coarse);
  else if (blocking === "code") code(text, tag, features, coarse);
  else if (blocking === "date") date(text, tag, features, coarse);
  else if (blocking === "number") {
    features.push(hashOf(KIND.number + 16 * tag, text));
    halves(text, tag, coarse);
  }
}
