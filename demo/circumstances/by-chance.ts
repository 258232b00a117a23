import { Random } from "../random.ts";
import { capital, two, type Thing } from "./kinds.ts";

/** What several hands make things of: words of a language that might be, numbers, days, and values that are spoiled by chance, each field by itself. */

export type Spoiling = (text: string, random: Random) => string;

/** How a field is written again: the chance of a slip, of being lost, and of being written in another way. */
interface Fate {
  readonly slip?: number;
  readonly lost?: number;
  readonly otherwise?: readonly [chance: number, how: Spoiling];
}

const CONSONANTS = "b c d f g h j k l m n p r s t v w z br cl dr gr kr st tr sch".split(" ");
const VOWELS = "a e i o u ai ea ie ou".split(" ");
const LAST = "n r s t l m".split(" ");

export function word(random: Random, least = 2, most = 3): string {
  let text = "";
  for (let i = random.whole(least, most); i > 0; i--) text += random.pick(CONSONANTS) + random.pick(VOWELS);
  return random.chance(0.5) ? text + random.pick(LAST) : text;
}

export function words(random: Random, count: number, least = 2, most = 3): string[] {
  return [...new Set(Array.from({ length: Math.round(count) }, () => capital(word(random, least, most))))];
}

/** One of a list, the first ones more often: as its place and `flat` together say. */
export function often(random: Random, list: readonly string[], flat = 10): string {
  const at = Math.floor(flat * (((list.length + flat) / flat) ** random.next() - 1));
  return list[Math.min(list.length - 1, at)]!;
}

export function digits(random: Random, count: number): string {
  return Array.from({ length: count }, (_, i) => random.whole(i === 0 ? 1 : 0, 9)).join("");
}

export function day(
  random: Random,
  from: number,
  to: number,
  write: (y: string, m: string, d: string) => string,
): string {
  return write(String(random.whole(from, to)), two(random.whole(1, 12)), two(random.whole(1, 28)));
}
export const iso = (y: string, m: string, d: string): string => `${y}-${m}-${d}`;

export function slip(random: Random, text: string): string {
  if (text.length < 2) return text;
  const letters = [...text];
  const i = random.whole(0, letters.length - 1);
  const other = random.pick([...(/\d/.test(letters[i]!) ? "0123456789" : "abcdefghijklmnopqrstuvwxyz")]);
  const way = random.whole(0, 3);
  if (way === 0) letters[i] = other;
  else if (way === 1) letters.splice(i, 1);
  else if (way === 2) letters.splice(i, 0, other);
  else if (i > 0) [letters[i - 1], letters[i]] = [letters[i]!, letters[i - 1]!];
  return letters.join("");
}

export function byChance(fates: Readonly<Record<string, Fate>>): (random: Random, thing: Thing) => Thing {
  return (random, thing) => {
    const copy = { ...thing };
    for (const [column, { slip: slips = 0, lost = 0, otherwise }] of Object.entries(fates)) {
      if (random.chance(slips)) copy[column] = slip(random, copy[column]!);
      if (otherwise && random.chance(otherwise[0])) copy[column] = otherwise[1](copy[column]!, random);
      if (random.chance(lost)) copy[column] = "";
    }
    return copy;
  };
}

/** A thing that may have some values of the one before it: who lives there, what stands beside it. */
export function after(
  random: Random,
  thing: Thing,
  before: Thing | null,
  chance: number,
  columns: readonly string[],
): Thing {
  if (before && random.chance(chance)) for (const column of columns) thing[column] = before[column]!;
  return thing;
}

/** Things that come about in groups, one after the other. */
export function inGroups(make: () => readonly Thing[]): () => Thing {
  let waiting: Thing[] = [];
  return () => {
    while (waiting.length === 0) waiting = [...make()];
    return waiting.shift()!;
  };
}

/** Values that are not there, by the chance of each. */
export function without(random: Random, thing: Thing, chances: Readonly<Record<string, number>>): Thing {
  for (const [column, chance] of Object.entries(chances)) if (random.chance(chance)) thing[column] = "";
  return thing;
}
