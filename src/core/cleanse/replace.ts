import { z } from "zod";
import { indexOfBytes, utf8 } from "../kernel/bytes.ts";
import { compilePattern } from "../kernel/pattern.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  find: z.string().min(1).max(500).describe("What to look for"),
  with: z.string().max(500).describe("What to put in its place; $1 is a pattern's first group"),
  pattern: z.boolean().optional().describe("The text to find is a pattern (RE2)"),
  whole: z.boolean().optional().describe("Only where it is the whole cell"),
};

export type ReplaceOptions = OptionsOf<typeof options>;

/** Replaces each place where a text or a pattern stands, or only cells that are wholly it. */
export const replace: StepPart<ReplaceOptions> = {
  id: "replace",
  title: "Replace",
  about: "Puts another text in place of each part that is found.",
  options,
  words: (o) =>
    `replace ${o.pattern ? "pattern " : ""}“${o.find}” by ${o.with === "" ? "nothing" : `“${o.with}”`}${o.whole ? " (whole cell)" : ""}`,
  apply(o) {
    if (o.pattern) {
      const pattern = compilePattern(o.whole ? `^(?:${o.find})$` : o.find);
      return byText((text) => (pattern.test(text) ? pattern.replace(text, o.with) : text));
    }
    const find = utf8(o.find);
    if (o.whole) {
      return byText(
        (text) => (text === o.find ? o.with : text),
        (_, s, e) => e - s === find.length,
      );
    }
    return byText(
      (text) => text.split(o.find).join(o.with),
      (bytes, s, e) => indexOfBytes(bytes, s, e, find) >= 0,
    );
  },
  examples: [
    { options: { find: ",", with: "." }, from: "12,5", to: "12.5" },
    { options: { find: "(\\d+) ?g$", with: "$1", pattern: true }, from: "44 g", to: "44" },
    { options: { find: "UK", with: "GB", whole: true }, from: "UKR", to: "UKR" },
    { options: { find: "UK", with: "GB", whole: true }, from: "UK", to: "GB" },
    { options: { find: "a", with: "" }, from: "banana", to: "bnn" },
  ],
};
