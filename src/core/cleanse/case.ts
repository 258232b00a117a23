import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { to: z.enum(["upper", "lower", "sentence", "name"]).describe("Which case") };

export type CaseOptions = OptionsOf<typeof options>;

const CHANGES: Record<CaseOptions["to"], (text: string) => string> = {
  upper: (text) => text.toUpperCase(),
  lower: (text) => text.toLowerCase(),
  sentence: (text) => {
    const [first = ""] = text;
    return first.toUpperCase() + text.slice(first.length).toLowerCase();
  },
  name: nameCase,
};

/** Small words inside a name, in several languages. */
const PARTICLES = new Set(
  "af al av da das de del dela della den der des di do dos du e el la las le les lo los of og och op ter ten the und van vom von y zu zum zur".split(
    " ",
  ),
);

/** A person's name or a place's: each part begins large; particles stay small; O' and Mc begin anew. */
function nameCase(text: string): string {
  let first = true;
  return text.toLowerCase().replace(/[\p{L}\p{M}]+/gu, (word, at: number, whole: string) => {
    const begins = first;
    first = false;
    const before = whole[at - 1] ?? "";
    if (!begins && PARTICLES.has(word) && /\s/.test(before) && /\s/.test(whole[at + word.length] ?? "")) return word;
    // What follows an apostrophe is an ending, unless a single letter stands before it.
    if (/['’]/.test(before) && !/(^|[\s-])\p{L}['’]$/u.test(whole.slice(0, at))) return word;
    const rest = /^mc\p{L}{3,}$/u.test(word) ? `c${word[2]!.toUpperCase()}${word.slice(3)}` : word.slice(1);
    return word[0]!.toUpperCase() + rest;
  });
}

/** Upper case, lower case, or the first letter upper and the rest lower; by Unicode's own mappings. */
export const caseStep: StepPart<CaseOptions> = {
  id: "case",
  title: "Change case",
  about: "Makes the value upper case, lower case, one capital and the rest lower case, or the case of names.",
  options,
  words: ({ to }) => `${to} case`,
  apply: ({ to }) => byText(CHANGES[to], MAY_CHANGE[to]),
  examples: [
    { options: { to: "upper" }, from: "bhg", to: "BHG" },
    { options: { to: "upper" }, from: "straße", to: "STRASSE" },
    { options: { to: "lower" }, from: "ÉTÉ", to: "été" },
    { options: { to: "sentence" }, from: "SILENE Uniflora", to: "Silene uniflora" },
    { options: { to: "sentence" }, from: "silene uniflora", to: "Silene uniflora" },
    { options: { to: "sentence" }, from: "éTÉ", to: "Été" },
    { options: { to: "upper" }, from: "BHG-1", to: "BHG-1" },
    { options: { to: "name" }, from: "SORREL O'TARROW", to: "Sorrel O'Tarrow" },
    { options: { to: "name" }, from: "odo VAN DER linde-mcquail", to: "Odo van der Linde-McQuail" },
    { options: { to: "name" }, from: "a. m. penhale's", to: "A. M. Penhale's" },
    { options: { to: "name" }, from: "de Ålund", to: "De Ålund" },
  ],
};

function hasLower(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) if ((bytes[p]! >= 97 && bytes[p]! <= 122) || bytes[p]! > 127) return true;
  return false;
}

function hasUpper(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) if ((bytes[p]! >= 65 && bytes[p]! <= 90) || bytes[p]! > 127) return true;
  return false;
}

const MAY_CHANGE = {
  name: (): boolean => true,
  upper: hasLower,
  lower: hasUpper,
  sentence: (bytes: Uint8Array, start: number, end: number): boolean =>
    hasLower(bytes, start, start + 1) || hasUpper(bytes, start + 1, end),
};
