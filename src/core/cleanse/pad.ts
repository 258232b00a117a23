import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  length: z.int().min(1).max(10_000).describe("How many characters it has then"),
  with: z.string().min(1).max(1).describe("The character"),
  at: z.enum(["beginning", "end"]).optional().describe("Where it is put; at the beginning unless said"),
};

export type PadOptions = OptionsOf<typeof options>;

/** Makes a short value as long as it should be, such as a number with its leading zeros. */
export const pad: StepPart<PadOptions> = {
  id: "pad",
  title: "Pad to a length",
  about: "Puts a character before, or after, a value until it is as long as it should be.",
  options,
  words: (o) => `pad with “${o.with}” to ${o.length} characters${o.at === "end" ? " at the end" : ""}`,
  apply: (o) =>
    byText((text) => {
      const missing = o.length - Array.from(text).length;
      if (missing <= 0) return text;
      return o.at === "end" ? text + o.with.repeat(missing) : o.with.repeat(missing) + text;
    }),
  examples: [
    { options: { length: 5, with: "0" }, from: "17", to: "00017" },
    { options: { length: 3, with: ".", at: "end" }, from: "a", to: "a.." },
    { options: { length: 2, with: "0" }, from: "2026", to: "2026" },
  ],
};
