import { z } from "zod";
import { byText, type StepPart } from "./part.ts";

export interface CaseOptions {
  readonly to: "upper" | "lower" | "sentence";
}

const CHANGES: Record<CaseOptions["to"], (text: string) => string> = {
  upper: (text) => text.toUpperCase(),
  lower: (text) => text.toLowerCase(),
  sentence: (text) => {
    const [first = ""] = text;
    return first.toUpperCase() + text.slice(first.length).toLowerCase();
  },
};

/** Upper case, lower case, or the first letter upper and the rest lower; by Unicode's own mappings. */
export const caseStep: StepPart<CaseOptions> = {
  id: "case",
  title: "Change case",
  about: "Makes the value upper case, lower case, or one capital and the rest lower case.",
  options: { to: z.enum(["upper", "lower", "sentence"]).describe("Which case") },
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
  upper: hasLower,
  lower: hasUpper,
  sentence: (bytes: Uint8Array, start: number, end: number): boolean =>
    hasLower(bytes, start, start + 1) || hasUpper(bytes, start + 1, end),
};
