import { wordsOf } from "../normalise.ts";
import { similarity } from "../../kernel/distance.ts";
import { jaroWinkler } from "./jaro-winkler.ts";

/** How alike two words are: by their letters, whichever of two ways finds them more alike. */
export function wordLikeness(a: string, b: string): number {
  if (a === b) return 1;
  const stays = similarity(a, b);
  // A common beginning makes short words too alike by itself.
  return stays < 0.5 ? stays * 0.9 : Math.max(stays, jaroWinkler(a, b) * 0.95);
}

const MOST_WORDS = 32;
const taken = new Uint8Array(MOST_WORDS);
/** By word of the one list and of the other: how alike they are. */
const likeness = new Float64Array(MOST_WORDS * MOST_WORDS);

/**
 * How alike two lists of words are, in whatever order: each word of the shorter list with the
 * most alike word of the other that is still free, the most alike first, weighted by length; what
 * is left of the longer list counts for `rest` of its length against it.
 */
export function softWords(
  x: readonly string[],
  y: readonly string[],
  alike: (a: string, b: string) => number,
  least: number,
  rest: number,
): number {
  if (x.length > y.length) [x, y] = [y, x];
  const m = Math.min(x.length, MOST_WORDS);
  const n = Math.min(y.length, MOST_WORDS);
  if (m === 0) return 0;
  taken.fill(0, 0, n);
  let sum = 0;
  let weight = 0;
  let left = 0;
  // Words that are the same are put together first, so that no near one takes their place.
  let open = 0;
  for (let i = 0; i < m; i++) {
    const j = same(y, x[i]!, n);
    if (j < 0) {
      open |= 1 << i;
      continue;
    }
    taken[j] = 1;
    sum += x[i]!.length;
    weight += x[i]!.length;
  }
  for (let i = 0; i < m; i++) {
    if ((open & (1 << i)) === 0) continue;
    for (let j = 0; j < n; j++) if (taken[j] === 0) likeness[i * MOST_WORDS + j] = alike(x[i]!, y[j]!);
  }
  while (open !== 0) {
    let best = -1;
    let at = -1;
    let with_ = -1;
    for (let i = 0; i < m; i++) {
      if ((open & (1 << i)) === 0) continue;
      for (let j = 0; j < n; j++) {
        if (taken[j] === 1) continue;
        const s = likeness[i * MOST_WORDS + j]!;
        if (s > best) [best, at, with_] = [s, i, j];
      }
    }
    if (at < 0) break;
    open &= ~(1 << at);
    taken[with_] = 1;
    const w = Math.max(x[at]!.length, y[with_]!.length);
    weight += w;
    if (best >= least) sum += best * w;
  }
  for (let j = 0; j < n; j++) if (taken[j] === 0) left += y[j]!.length;
  return sum / (weight + left * rest);
}

function same(y: readonly string[], word: string, n: number): number {
  for (let j = 0; j < n; j++) if (taken[j] === 0 && y[j] === word) return j;
  return -1;
}

/** A text's words, and the text without the blanks between them. */
export interface Parts {
  readonly words: readonly string[];
  readonly joined: string;
}

/** What is made of a text; the last one is remembered, as a record is compared with several after one another. */
export function remembered<T>(make: (text: string) => T): (text: string) => T {
  let last = "";
  let known = make("");
  return (text) => {
    if (text !== last) [last, known] = [text, make(text)];
    return known;
  };
}

/** Texts of which is remembered what was made of them, before all are forgotten. */
const MOST_REMEMBERED = 4096;

/** What is made of a text, for what takes long to make: of many texts it is remembered. */
export function rememberedOfMany<T>(make: (text: string) => T): (text: string) => T {
  const known = new Map<string, T>();
  return (text) => {
    let made = known.get(text);
    if (made === undefined) {
      if (known.size === MOST_REMEMBERED) known.clear();
      known.set(text, (made = make(text)));
    }
    return made;
  };
}

/** Takes texts apart. */
export function partsOf(): (text: string) => Parts {
  return remembered((text) => {
    const words = wordsOf(text);
    let joined = words[0]!;
    for (let i = 1; i < words.length; i++) joined += words[i]!;
    return { words, joined };
  });
}
