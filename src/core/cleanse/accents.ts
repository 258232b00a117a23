import { isAscii } from "../kernel/bytes.ts";
import { byText, type StepPart } from "./part.ts";

/** Letters that are no accented form of another, as they are usually written without them. */
const LETTERS: Record<string, string> = {
  ß: "ss",
  ẞ: "SS",
  æ: "ae",
  Æ: "AE",
  œ: "oe",
  Œ: "OE",
  ø: "o",
  Ø: "O",
  ł: "l",
  Ł: "L",
  đ: "d",
  Đ: "D",
  ð: "d",
  Ð: "D",
  þ: "th",
  Þ: "Th",
  ħ: "h",
  Ħ: "H",
  ı: "i",
  ŋ: "n",
  Ŋ: "N",
  ŧ: "t",
  Ŧ: "T",
  ĸ: "k",
};
const LETTER = new RegExp(`[${Object.keys(LETTERS).join("")}]`, "g");

/** A text with its accents taken off: é becomes e, ø o, ß ss. */
export function withoutAccents(text: string): string {
  return text
    .normalize("NFD")
    .replace(/\p{M}+/gu, "")
    .replace(LETTER, (letter) => LETTERS[letter]!)
    .normalize("NFC");
}

/** Takes accents off letters: é becomes e, ø o, ß ss. */
export const accents: StepPart<object> = {
  id: "accents",
  title: "Remove accents",
  about: "Takes accents off letters, and writes ß, æ, ø and the like with plain ones.",
  options: {},
  words: () => "letters without accents",
  apply: () => byText(withoutAccents, (bytes, s, e) => !isAscii(bytes, s, e)),
  examples: [
    { options: {}, from: "Zoë Ålund", to: "Zoe Alund" },
    { options: {}, from: "Straße, Œuvre, Łódź", to: "Strasse, OEuvre, Lodz" },
    { options: {}, from: "Sorrel", to: "Sorrel" },
  ],
};
