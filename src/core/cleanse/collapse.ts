import { byText, type StepPart } from "./part.ts";

/** Makes every run of white space inside the value one space. */
export const collapse: StepPart<object> = {
  id: "collapse",
  title: "Collapse spaces",
  about: "Makes every run of white space inside the value one space.",
  everywhere: true,
  options: {},
  words: () => "collapse runs of spaces",
  apply: () => byText((text) => text.replace(/\s+/g, " "), mayCollapse),
  examples: [
    { options: {}, from: "Outer   Skerry", to: "Outer Skerry" },
    { options: {}, from: "Mill\tCreek", to: "Mill Creek" },
    { options: {}, from: "Mill\u00a0 Creek", to: "Mill Creek" },
    { options: {}, from: "Salt Pan", to: "Salt Pan" },
  ],
};

/** 1 for the first byte of any white space, a plain space left out. */
const UNUSUAL = Uint8Array.from({ length: 256 }, (_, b) =>
  b < 32 || [0xc2, 0xe1, 0xe2, 0xe3, 0xef].includes(b) ? 1 : 0,
);

function mayCollapse(bytes: Uint8Array, start: number, end: number): boolean {
  let before = 0;
  for (let p = start; p < end; p++) {
    const b = bytes[p]!;
    if (UNUSUAL[b] === 1 || (b === 32 && before === 32)) return true;
    before = b;
  }
  return false;
}
