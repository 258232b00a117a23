import { prepareText, textOptions, type ComparatorPart, type TextOptions } from "../part.ts";

export const equal: ComparatorPart<TextOptions> = {
  id: "equal",
  title: "Equal",
  about: "Alike only when the values are the same but for case, accents and marks.",
  options: textOptions,
  blocking: "code",
  prepare: prepareText,
  compare: () => (a, b) => (a === b ? 1 : 0),
  levels: [],
  examples: [
    { options: {}, a: "Brindle  Hollow", b: "brindle hollow", likeness: 1 },
    { options: { as: "code" }, a: "bhg-17", b: "BHG 17", likeness: 1 },
    { options: {}, a: "BHG", b: "CWA", likeness: 0 },
  ],
};
