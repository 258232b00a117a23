import { withoutAccents } from "../../kernel/accents.ts";
import { editDistance } from "../../kernel/distance.ts";
import type { Idea, IdeaMaker } from "./part.ts";

/** A text without its case and marks, and what stands between its words. */
export const plain = (text: string): string =>
  withoutAccents(text)
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "");

/**
 * Letters that a word needs for one, and for two, of them to be taken for slips: of fewer, another word is as likely. A
 * letter that stands for another makes another word far sooner (Iran and Iraq) than one that is lost, doubled or has changed its place.
 */
const SLIPS: readonly { far: number; letters: number; changed: number }[] = [
  { far: 1, letters: 4, changed: 8 },
  { far: 2, letters: 6, changed: 11 },
];

/** Whether two texts are as long, and differ in so many letters that stand for others. */
function onlyChanged(a: string, b: string, far: number): boolean {
  return a.length === b.length && [...a].filter((c, i) => c !== b[i]).length === far;
}

const wordsOf = (text: string): string[] =>
  withoutAccents(text)
    .toLowerCase()
    .match(/[\p{L}\p{N}]+/gu) ?? [];

/** The letters of two texts in which their words differ: those between the first words and the last that they share. */
function differing(a: string, b: string): [string, string] {
  const [x, y] = [wordsOf(a), wordsOf(b)];
  let head = 0;
  while (head < Math.min(x.length, y.length) && x[head] === y[head]) head++;
  let tail = 0;
  while (tail < Math.min(x.length, y.length) - head && x.at(-1 - tail) === y.at(-1 - tail)) tail++;
  return [x.slice(head, x.length - tail).join(""), y.slice(head, y.length - tail).join("")];
}

/**
 * The one allowed value that a text is like, but for case and marks or a letter or two. Slips are few beside the letters of
 * the word that they are in, and nearer to the value than half the way to any other allowed one: past that, the text is
 * as good a word as they are (the bound of Hamming, 1950, for what can be corrected).
 */
function nearestCode(value: string, allowed: readonly string[]): Idea | null {
  const own = plain(value);
  if (own === "") return null;
  const same = allowed.filter((a) => plain(a) === own);
  if (same.length === 1) return { to: same[0]!, because: "the same but for case and marks" };
  const near = allowed
    .map((to) => ({ to, far: editDistance(own, plain(to)) }))
    .filter(({ far }) => far <= SLIPS.at(-1)!.far)
    .sort((a, b) => a.far - b.far);
  const [first] = near;
  // Two that are alike near: a person must say which.
  if (!first || near[1]?.far === first.far) return null;
  const [from, into] = differing(value, first.to);
  const { letters, changed } = SLIPS.find(({ far }) => first.far <= far)!;
  if (Math.max(from.length, into.length) < (onlyChanged(from, into, first.far) ? changed : letters)) return null;
  const apart = Math.min(...allowed.filter((a) => a !== first.to).map((a) => editDistance(plain(first.to), plain(a))));
  if (first.far * 2 >= apart) return null;
  return { to: first.to, because: first.far === 1 ? "one letter away" : "two letters away" };
}

/** The allowed value that a text of a list of values is like. */
export const codeIdeas: IdeaMaker =
  ({ field }) =>
  ({ value }) => {
    const near = nearestCode(value, field.values ?? []);
    return near ? [near] : [];
  };
