import { placeWords } from "../normalise.ts";
import { SPELLING_LEVELS, type ComparatorPart } from "../part.ts";
import { rememberedOfMany, softWords, wordLikeness } from "./soft.ts";

/** Words that stand before the number of a part of a building. */
const UNITS = new Set(["apartment", "unit", "floor", "room", "suite", "building", "block", "entrance"]);

/** An address taken apart; what it does not have is "". */
export interface AddressParts {
  /** “12a”; of several numbers the first. */
  readonly house: string;
  /** “apartment 3”. */
  readonly unit: string;
  /** Names of street, town and the like. */
  readonly words: readonly string[];
  /** Postal codes, and numbers that are none of a house. */
  readonly codes: readonly string[];
}

/** Takes apart an address whose abbreviations are written out. */
export function addressParts(text: string): AddressParts {
  const all = text.split(" ").filter((w) => w !== "");
  const words: string[] = [];
  const codes: string[] = [];
  let house = "";
  let unit = "";
  for (let i = 0; i < all.length; i++) {
    const word = all[i]!;
    const next = all[i + 1] ?? "";
    if (UNITS.has(word) && /^(?:\d+[a-z]?|[a-z])$/.test(next)) {
      unit = unit === "" ? `${word} ${next}` : `${unit} ${word} ${next}`;
      i++;
    } else if (word === "number" && /^\d/.test(next)) continue;
    else if (house === "" && /^\d{1,4}[a-z]?$/.test(word)) {
      house = word;
      // “12 A” is 12a.
      if (/^[a-z]$/.test(next) && /^\d+$/.test(word)) {
        house += next;
        i++;
      }
    } else if (/\d/.test(word)) codes.push(word);
    else words.push(word);
  }
  return { house, unit, words, codes };
}

/** How much of the likeness is left where a part is on one side only, and where it differs. */
const HOUSE = { lacking: 0.93, other: 0.6 };
const UNIT = { lacking: 0.97, other: 0.85 };
const CODE = { lacking: 0.99, other: 0.88 };

function left(a: string, b: string, { lacking, other }: typeof HOUSE): number {
  if (a === b) return 1;
  return a === "" || b === "" ? lacking : other;
}

/** How alike two addresses are that are not the same text. */
function addressLikeness(x: AddressParts, y: AddressParts): number {
  const codes = [x.codes.join(""), y.codes.join("")] as const;
  const names = x.words.length > 0 && y.words.length > 0 ? softWords(x.words, y.words, wordLikeness, 0.6, 0.5) : 0.5;
  // The same postal code and house speak for a name that is written quite otherwise.
  const backed = codes[0] !== "" && codes[0] === codes[1] && x.house !== "" && x.house === y.house;
  const likeness = backed ? Math.max(names, 0.5 + names / 2) : names;
  return Math.min(
    0.999,
    likeness * left(x.house, y.house, HOUSE) * left(x.unit, y.unit, UNIT) * left(codes[0], codes[1], CODE),
  );
}

export const address: ComparatorPart<object> = {
  id: "address",
  title: "Addresses",
  about:
    "For postal addresses: house number, part of the building, names and postal code are told apart, in any order; another house in the same street is another address.",
  source: "soft token sets, after Cohen, Ravikumar and Fienberg (2003), on the parts of the address",
  options: {},
  blocking: "words",
  prepare: () => (text) => {
    // Each part between commas by itself: “St” at the end of one is a street.
    const { house, unit, words, codes } = addressParts(
      text
        .split(/[,;\n]/)
        .map(placeWords)
        .join(" "),
    );
    return [house, unit, ...words, ...codes].filter((part) => part !== "").join(" ");
  },
  compare: () => {
    const parts = rememberedOfMany(addressParts);
    return (a, b) => (a === b ? 1 : addressLikeness(parts(a), parts(b)));
  },
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "12 Mill St., Brindle QF1 2AB", b: "Brindle, Mill Street 12, QF1 2AB", likeness: 0.999 },
    { options: {}, a: "Mill Street 12", b: "12 Mill St", likeness: 1 },
    { options: {}, a: "12 Mill Street", b: "14 Mill Street", likeness: 0.6 },
    { options: {}, a: "12 A Mill Street", b: "12a Mill Street", likeness: 1 },
    { options: {}, a: "Flat 3, 12 Mill Street", b: "12 Mill Street, Apt. 3", likeness: 1 },
    { options: {}, a: "Flat 3, 12 Mill Street", b: "12 Mill Street", likeness: 0.97 },
    { options: {}, a: "Mill Street", b: "12 Mill Street", likeness: 0.93 },
    { options: {}, a: "12 Milll Street, 4711", b: "12 Mill Street, 4711", likeness: 0.98 },
    { options: {}, a: "12 Mill Street", b: "3 Orchard Lane", likeness: 0 },
    { options: {}, a: "12 Mill Street, 4711", b: "12 Orchard Lane, 4711", likeness: 0.5 },
    { options: {}, a: "Mill Street, 4711", b: "Orchard Lane, 4711", likeness: 0 },
    { options: {}, a: "12 Mill Street, 4711", b: "12 Orchard Lane, 4805", likeness: 0 },
    { options: {}, a: "12 Mill Street", b: "12 Orchard Lane", likeness: 0 },
  ],
};
