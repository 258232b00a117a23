import { similarity } from "../../kernel/distance.ts";
import { SPELLING_LEVELS, prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";
import { partsOf, softWords, wordLikeness } from "./soft.ts";

export const words: ComparatorPart<TextOptions> = {
  id: "words",
  title: "Words in any order",
  about: "For names of things and places: words paired with their most alike ones, whatever their order.",
  source: "soft token sets, after Cohen, Ravikumar and Fienberg (2003)",
  options: textOptions,
  blocking: "words",
  prepare: prepareText,
  compare: () => {
    const [left, right] = [partsOf(), partsOf()];
    return (a, b) => {
      if (a === b) return 1;
      const stays = similarity(a, b);
      if (!a.includes(" ") && !b.includes(" ")) return Math.max(stays, wordLikeness(a, b));
      const [x, y] = [left(a), right(b)];
      const soft = softWords(x.words, y.words, wordLikeness, 0.6, 0.4);
      const joined = similarity(x.joined, y.joined);
      return Math.min(0.999, Math.max(stays, joined * 0.99, soft * 0.99));
    };
  },
  levels: SPELLING_LEVELS,
  examples: [
    { options: {}, a: "Quillfen Field Station", b: "Field Station, Quillfen", likeness: 0.99 },
    { options: {}, a: "Marrow Isle", b: "Marow Isle", likeness: 0.94 },
    { options: { as: "place" }, a: "12 Mill St.", b: "12 Mill Street", likeness: 1 },
    { options: { as: "organisation" }, a: "Tarn & Sons Ltd", b: "Tarn and Sons Limited", likeness: 1 },
    { options: { variants: { Quillfen: ["Qf", "Quill Fen"] } }, a: "QF Bog", b: "Quill-Fen bog", likeness: 1 },
    { options: {}, a: "Saltmere", b: "Brindle", likeness: 0.125 },
  ],
};
