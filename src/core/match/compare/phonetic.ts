import { z } from "zod";
import type { OptionsOf } from "../../kernel/options.ts";
import { prepareText, textOptions, type ComparatorPart } from "../part.ts";

const SOUNDEX = "01230120022455012623010202";

/** How a word sounds in English: its first letter and three digits. Russell (1918). */
export function soundex(word: string): string {
  let code = "";
  let last = "";
  for (const letter of word) {
    const i = letter.toLowerCase().charCodeAt(0) - 97;
    if (!(i >= 0 && i < 26)) continue;
    const digit = SOUNDEX[i]!;
    if (code === "") code = letter.toUpperCase();
    else if (digit !== "0" && digit !== last) code += digit;
    // H and W between two letters of one sound do not part them; vowels do.
    if (letter !== "h" && letter !== "w" && letter !== "H" && letter !== "W") last = digit;
    if (code.length === 4) break;
  }
  return code === "" ? "" : code.padEnd(4, "0");
}

/** How a word sounds in German, as digits. Postel (1969), the Cologne phonetics. */
export function cologne(word: string): string {
  const letters = word.toLowerCase().replace(/[^a-zäöüß]/g, "");
  const at = (i: number): string => letters[i] ?? "";
  let code = "";
  for (let i = 0; i < letters.length; i++) {
    const c = at(i);
    const [before, after] = [at(i - 1), at(i + 1)];
    if ("aeijouyäöü".includes(c)) code += "0";
    else if (c === "b") code += "1";
    else if (c === "p") code += after === "h" ? "3" : "1";
    else if (c === "d" || c === "t") code += after !== "" && "csz".includes(after) ? "8" : "2";
    else if ("fvw".includes(c)) code += "3";
    else if ("gkq".includes(c)) code += "4";
    else if (c === "c") {
      const hard = i === 0 ? "ahkloqrux" : "ahkoqux";
      code += after !== "" && hard.includes(after) && !(before !== "" && "sz".includes(before)) ? "4" : "8";
    } else if (c === "x") code += before !== "" && "ckq".includes(before) ? "8" : "48";
    else if (c === "l") code += "5";
    else if (c === "m" || c === "n") code += "6";
    else if (c === "r") code += "7";
    else if ("szß".includes(c)) code += "8";
  }
  const single = code.replace(/(.)\1+/g, "$1");
  return single.slice(0, 1) + single.slice(1).replaceAll("0", "");
}

/** How a word sounds in Spanish, French and Italian alike: one letter for letters of one sound, vowels after the first left out. */
export function romance(word: string): string {
  const sounds = word
    .toLowerCase()
    .replace(/[^a-zñç]/g, "")
    .replace(/ph/g, "f")
    .replace(/gu(?=[ei])/g, "g")
    .replace(/qu/g, "k")
    .replace(/ch/g, "k")
    .replace(/c(?=[eiy])/g, "s")
    .replace(/[cq]/g, "k")
    .replace(/g(?=[eiy])/g, "j")
    .replace(/ll/g, "y")
    .replace(/h/g, "")
    .replace(/[zçx]/g, "s")
    .replace(/[bvw]/g, "b")
    .replace(/[gn]n|ñ/g, "n")
    .replace(/(.)\1+/g, "$1");
  return sounds.slice(0, 1) + sounds.slice(1).replace(/[aeiouy]/g, "");
}

const KEYS = { english: soundex, german: cologne, romance } as const;

const options = {
  ...textOptions,
  language: z
    .enum(Object.keys(KEYS) as [keyof typeof KEYS, ...(keyof typeof KEYS)[]])
    .optional()
    .describe("English unless said"),
};

export type PhoneticOptions = OptionsOf<typeof options>;

export const phonetic: ComparatorPart<PhoneticOptions> = {
  id: "phonetic",
  title: "Sound",
  about: "Alike when all words sound alike in the language that is said, in whatever order.",
  source: "English: Russell (1918); German: Postel (1969); Romance: rules of our own",
  options,
  blocking: "words",
  prepare: prepareText,
  compare: ({ language = "english" }) => {
    const key = (text: string): string => text.split(" ").map(KEYS[language]).sort().join(" ");
    return (a, b) => (a === b ? 1 : key(a) === key(b) ? 0.9 : 0);
  },
  levels: [0.85],
  examples: [
    { options: {}, a: "Robert", b: "Rupert", likeness: 0.9 },
    { options: {}, a: "Ashcraft", b: "Ashcroft", likeness: 0.9 },
    { options: {}, a: "Tymczak", b: "Pfister", likeness: 0 },
    { options: { language: "german" }, a: "Müller-Lüdenscheidt", b: "Mueller Luedenscheit", likeness: 0.9 },
    { options: { language: "romance" }, a: "Xavier Quevedo", b: "Kebedo Javier", likeness: 0 },
    { options: { language: "romance" }, a: "Vázquez", b: "Basques", likeness: 0.9 },
  ],
};
