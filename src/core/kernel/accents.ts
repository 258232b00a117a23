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
