import { GIVEN_NAMES } from "@/core/match/words.ts";
import type { Random } from "../random.ts";

/** Ways in which a value is written wrongly. Each takes a text and gives another one, or "" where it is lost. */
export type Spoil = (random: Random, text: string) => string;

const LOOKALIKES: readonly (readonly [string, string])[] = [
  ["rn", "m"],
  ["m", "rn"],
  ["l", "1"],
  ["o", "0"],
  ["cl", "d"],
  ["i", "l"],
  ["5", "S"],
  ["1", "7"],
  ["8", "3"],
  ["0", "6"],
];
const SOUNDALIKES: readonly (readonly [string, string])[] = [
  ["ph", "f"],
  ["ck", "k"],
  ["y", "i"],
  ["i", "y"],
  ["ee", "ea"],
  ["s", "z"],
  ["v", "w"],
  ["th", "t"],
  ["ll", "l"],
  ["n", "nn"],
  ["ou", "u"],
  ["er", "ar"],
  ["e", "a"],
];

const isDigits = (text: string): boolean => /\d/.test(text) && !/\p{L}{3}/u.test(text);

/** A slip of the finger: a character more, less, another, or two that change places. */
export const typo: Spoil = (random, text) => {
  const letters = [...text];
  if (letters.length < 2) return text;
  const i = random.whole(1, letters.length - 1);
  const other = isDigits(text) ? String(random.whole(0, 9)) : random.pick(letters);
  switch (random.whole(0, 3)) {
    case 0:
      letters.splice(i, 0, other);
      break;
    case 1:
      if (letters.length > 3) letters.splice(i, 1);
      break;
    case 2:
      letters[i] = other;
      break;
    default:
      [letters[i - 1], letters[i]] = [letters[i]!, letters[i - 1]!];
  }
  return letters.join("");
};

function replaced(table: readonly (readonly [string, string])[]): Spoil {
  return (random, text) => {
    const fits = table.filter(([from]) => text.includes(from));
    if (fits.length === 0) return typo(random, text);
    const [from, to] = random.pick(fits);
    return text.replace(from, to);
  };
}

/** As a machine that reads paper gets it wrong. */
export const misread = replaced(LOOKALIKES);
/** As somebody writes what was said on the telephone. */
export const misheard = replaced(SOUNDALIKES);

const CAPITAL = (word: string): string => word.charAt(0).toUpperCase() + word.slice(1);

export const nickname: Spoil = (random, text) => {
  const row = GIVEN_NAMES.filter((names) => names.includes(text.toLowerCase()));
  return row.length === 0 ? typo(random, text) : CAPITAL(random.pick(random.pick(row)));
};

export const initial: Spoil = (_, text) => `${[...text][0] ?? ""}.`;
export const lost: Spoil = () => "";
export const cut: Spoil = (random, text) =>
  text.slice(0, Math.max(3, Math.ceil(text.length * (0.4 + random.next() / 3))));
export const shouted: Spoil = (_, text) => text.toUpperCase();

/** One of the words left out, or two that change places. */
export const wordsMixed: Spoil = (random, text) => {
  const words = text.split(" ");
  if (words.length < 2) return typo(random, text);
  const i = random.whole(0, words.length - 2);
  if (random.chance(0.5)) words.splice(i + random.whole(0, 1), 1);
  else [words[i], words[i + 1]] = [words[i + 1]!, words[i]!];
  return words.join(" ");
};

const two = (n: number): string => String(n).padStart(2, "0");

/** A day with day and month the wrong way round, another digit, or the first of its month or year. */
export const misdated: Spoil = (random, text) => {
  const [y, m, d] = text.split("-").map(Number) as [number, number, number];
  if (text === "") return "";
  switch (random.whole(0, 4)) {
    case 0:
      return d <= 12 ? `${y}-${two(d)}-${two(m)}` : `${y}-${two(m)}-${two(d - 10)}`;
    case 1:
      return `${y + random.pick([-10, -1, 1, 10])}-${two(m)}-${two(d)}`;
    case 2:
      return `${y}-${two(random.whole(1, 12))}-${two(d)}`;
    case 3:
      return `${y}-${two(m)}-${two(random.whole(1, 28))}`;
    default:
      return `${y}-01-01`;
  }
};

/** The first that comes to mind of several. */
export const oneOf =
  (...ways: readonly Spoil[]): Spoil =>
  (random, text) =>
    text === "" ? "" : random.pick(ways)(random, text);
