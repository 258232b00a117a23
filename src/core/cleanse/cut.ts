import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  length: z.int().min(0).max(100_000).describe("How many characters are kept"),
  from: z.enum(["beginning", "end"]).optional().describe("Which end is kept; the beginning unless said"),
};

export type CutOptions = OptionsOf<typeof options>;

/** Keeps so many characters of a longer value. What is cut is gone, so it is never done unasked. */
export const cut: StepPart<CutOptions> = {
  id: "cut",
  title: "Cut to a length",
  about: "Keeps the first, or the last, so many characters of a longer value.",
  options,
  words: ({ length, from }) => `the ${from === "end" ? "last" : "first"} ${length} characters`,
  apply: ({ length, from }) =>
    byText(
      (text) => {
        const letters = Array.from(text);
        if (letters.length <= length) return text;
        return (from === "end" ? letters.slice(letters.length - length) : letters.slice(0, length)).join("");
      },
      (_, s, e) => e - s > length,
    ),
  examples: [
    { options: { length: 3 }, from: "SMH-2026", to: "SMH" },
    { options: { length: 4, from: "end" }, from: "SMH-2026", to: "2026" },
    { options: { length: 2 }, from: "🌱🌱🌱", to: "🌱🌱" },
    { options: { length: 9 }, from: "short", to: "short" },
  ],
};
