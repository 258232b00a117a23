import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { digits: z.int().min(0).max(10).optional().describe("Digits after the point; 6 unless said") };

export type CoordinateOptions = OptionsOf<typeof options>;

const FORM =
  /^\s*([NSEWO])?\s*([-+])?\s*(\d{1,3}(?:[.,]\d+)?)\s*(?:°|º|deg|d|:|\s)?\s*(?:(\d{1,2}(?:[.,]\d+)?)\s*(?:'|’|′|m|:|\s)?\s*(?:(\d{1,2}(?:[.,]\d+)?)\s*(?:"|”|″|''|s)?)?)?\s*([NSEWO])?\s*$/iu;

/** Degrees, minutes and seconds as decimal degrees; south and west are less than nothing. */
export const coordinate: StepPart<CoordinateOptions> = {
  id: "coordinate",
  title: "Coordinates",
  about: "Writes degrees, minutes and seconds, with N, S, E or W, as decimal degrees.",
  options,
  words: ({ digits }) => `coordinates as decimal degrees with ${digits ?? 6} digits`,
  apply: ({ digits = 6 }) => byText((text) => degreesOf(text, digits) ?? text),
  examples: [
    { options: {}, from: "54° 30' 15\" N", to: "54.504167" },
    { options: {}, from: "2°15.5′W", to: "-2.258333" },
    { options: { digits: 4 }, from: "S 33 52 10", to: "-33.8694" },
    { options: {}, from: "54,5", to: "54.5" },
    { options: {}, from: "-1.25", to: "-1.25" },
    { options: {}, from: "54° 75' N", to: "54° 75' N" },
    { options: {}, from: "200° E", to: "200° E" },
    { options: {}, from: "near the fen", to: "near the fen" },
  ],
};

function degreesOf(text: string, digits: number): string | null {
  const match = FORM.exec(text);
  if (!match) return null;
  const [, before, sign, d, m, s, behind] = match;
  if (before && behind) return null;
  const n = (part: string | undefined): number => Number((part ?? "0").replace(",", "."));
  if (n(m) >= 60 || n(s) >= 60) return null;
  const side = (before ?? behind ?? "").toUpperCase();
  const value = n(d) + n(m) / 60 + n(s) / 3600;
  if (value > ("NS".includes(side) && side !== "" ? 90 : 180)) return null;
  // What is decimal degrees already keeps its digits.
  if (m === undefined && side === "") return text.trim().replace(",", ".");
  const negative = (sign === "-") !== (side === "S" || side === "W");
  const shown = value
    .toFixed(digits)
    .replace(/(\.\d*?)0+$/, "$1")
    .replace(/\.$/, "");
  return `${negative && Number(shown) !== 0 ? "-" : ""}${shown}`;
}
