import { similarity } from "../../kernel/distance.ts";
import { SPELLING_LEVELS, prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";

export const edit: ComparatorPart<TextOptions> = {
  id: "edit",
  title: "Letters that stay",
  about: "For codes and single words: the share of letters that need no edit to make one value of the other.",
  source: "Damerau (1964); Levenshtein (1966); in the restricted form of Boytsov (2011)",
  options: textOptions,
  blocking: "words",
  prepare: prepareText,
  compare: () => similarity,
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "Coldwell", b: "Codlwell", likeness: 0.875 },
    { options: {}, a: "kitten", b: "sitting", likeness: 0.571 },
    { options: { as: "code" }, a: "GB-0417", b: "gb0417", likeness: 1 },
    { options: {}, a: "abc", b: "xyz", likeness: 0 },
  ],
};
