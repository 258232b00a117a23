import { byText, type StepPart } from "./part.ts";

const MARKS: readonly (readonly [RegExp, string])[] = [
  [/[\u2018\u2019\u201a\u201b\u2032\u02bc\u00b4\u0060\uff07]/g, "'"],
  [/[\u201c\u201d\u201e\u201f\u2033\u00ab\u00bb\uff02]/g, '"'],
  [/[\u2010-\u2015\u2212\ufe58\ufe63\uff0d]/g, "-"],
  [/\u2026/g, "..."],
];

/** Writes curly quotes, dashes and dots as the plain marks of a keyboard. */
export const marks: StepPart<object> = {
  id: "marks",
  title: "Plain quotes and dashes",
  about: "Writes every kind of quote, apostrophe and dash as the plain one.",
  everywhere: true,
  options: {},
  words: () => "plain quotes and dashes",
  apply: () => byText((text) => MARKS.reduce((t, [mark, plain]) => t.replace(mark, plain), text), mayHave),
  examples: [
    { options: {}, from: "Sorrel O’Tarrow", to: "Sorrel O'Tarrow" },
    { options: {}, from: "“Mill” – Creek…", to: '"Mill" - Creek...' },
    { options: {}, from: "plain-text", to: "plain-text" },
  ],
};

/** A byte past ASCII, or a grave accent that stands for a quote. */
function mayHave(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) if (bytes[p]! > 127 || bytes[p] === 96) return true;
  return false;
}
