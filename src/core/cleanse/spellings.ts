import { similarity } from "../kernel/distance.ts";

/** A value with the number of records that have it. */
export interface Counted {
  readonly value: string;
  readonly count: number;
}

/** Values that are likely one, the proposed spelling first. */
export interface SpellingGroup {
  readonly proposed: Counted;
  readonly variants: readonly (Counted & {
    /** 1 where they differ only in case, accents, marks and the order of words; else how alike they are. */
    readonly likeness: number;
  })[];
}

/** Values as alike as this are put together. */
const ALIKE = 0.84;
/** A spelling that is nearly as frequent as another is rather another value. */
const MOST_SHARE = 0.35;
/** Shorter values differ too easily by a letter that matters. */
const SHORTEST = 5;

/**
 * A value for comparing: lower case, no accents and marks, its words in order and each once. Values
 * with one key differ in nothing that is likely to matter.
 */
export function spellingKey(value: string): string {
  const words = value
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, " ")
    .trim()
    .split(" ");
  return [...new Set(words)].sort().join(" ");
}

/**
 * Finds values that are spellings of one another: first by their keys, then rarer keys that are
 * nearly a more frequent one, by the share of letters that stay (Damerau and Levenshtein's distance).
 * Digits must be the same: A-17 is no spelling of A-18.
 */
export function findSpellings(values: readonly Counted[]): SpellingGroup[] {
  const byKey = new Map<string, Counted[]>();
  for (const v of values) {
    const key = spellingKey(v.value);
    if (key === "") continue;
    const group = byKey.get(key);
    if (group) group.push(v);
    else byKey.set(key, [v]);
  }
  const keys = [...byKey].map(([key, list]) => ({
    key,
    list: [...list].sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1)),
    count: list.reduce((n, v) => n + v.count, 0),
  }));
  keys.sort((a, b) => b.count - a.count || (a.key < b.key ? -1 : 1));
  // Three letters at a time lead from a key to the more frequent ones that it may be.
  const index = new Map<string, number[]>();
  const parent = keys.map((_, i) => i);
  const likeness = keys.map(() => 1);
  keys.forEach((k, i) => {
    const grams = gramsOf(k.key);
    if (k.key.length >= SHORTEST) {
      // An edit changes at most four of them, so one of so many is shared by whatever is near enough.
      const edits = Math.floor((1 - ALIKE) * (k.key.length / ALIKE));
      const rarest = grams
        .map((g) => index.get(g) ?? [])
        .sort((a, b) => a.length - b.length)
        .slice(0, 4 * edits + 1);
      const near = new Set<number>();
      for (const list of rarest) {
        // The most frequent come first in each list.
        for (const j of list) {
          if (k.count > keys[j]!.count * MOST_SHARE) break;
          near.add(j);
        }
      }
      let best = -1;
      let score = ALIKE;
      for (const j of near) {
        const other = keys[j]!;
        if (Math.abs(k.key.length - other.key.length) > edits) continue;
        const alike = similarity(k.key, other.key);
        if (alike > score) [best, score] = [j, alike];
      }
      if (best >= 0) {
        parent[i] = parent[best]!;
        likeness[i] = score;
      }
    }
    // What was put to another is not a value that yet others are put to: no chains of small steps.
    if (parent[i] === i) for (const g of grams) (index.get(g) ?? index.set(g, []).get(g)!).push(i);
  });
  const groups = new Map<number, { proposed: Counted; variants: (Counted & { likeness: number })[] }>();
  keys.forEach((k, i) => {
    if (parent[i] === i) {
      const [proposed, ...rest] = k.list;
      groups.set(i, { proposed: proposed!, variants: rest.map((v) => ({ ...v, likeness: 1 })) });
    } else {
      groups.get(parent[i]!)!.variants.push(...k.list.map((v) => ({ ...v, likeness: likeness[i]! })));
    }
  });
  return [...groups.values()].filter((g) => g.variants.length > 0);
}

function digitsOf(text: string): string {
  return text.replace(/\D+/g, " ").trim();
}

/** Its runs of three letters, each with all its digits, which must be the same. */
function gramsOf(text: string): string[] {
  const padded = `  ${text} `;
  const digits = digitsOf(text);
  const grams = new Set<string>();
  for (let i = 0; i + 3 <= padded.length; i++) grams.add(`${padded.slice(i, i + 3)} ${digits}`);
  return [...grams];
}

/**
 * The groups with what is still to be decided.
 *
 * @param table for each proper value the ones that become it; where a proposed value became a variant
 *   of its own group, that variant is the proposed one from then on
 * @param passed values that were said to be no spelling of another
 */
export function undecided(
  groups: readonly SpellingGroup[],
  table: Readonly<Record<string, readonly string[]>>,
  passed: ReadonlySet<string>,
): SpellingGroup[] {
  const becomes = new Map(Object.entries(table).flatMap(([to, values]) => values.map((value) => [value, to])));
  return groups.flatMap((group) => {
    const proper = becomes.get(group.proposed.value);
    const proposed = group.variants.find((v) => v.value === proper) ?? group.proposed;
    const variants = group.variants.filter((v) => v !== proposed && !becomes.has(v.value) && !passed.has(v.value));
    return variants.length === 0 ? [] : [{ proposed, variants }];
  });
}
