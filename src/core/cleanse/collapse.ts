import { byText, type StepPart } from "./part.ts";

/** Makes every run of white space inside the value one space. */
export const collapse: StepPart<object> = {
  id: "collapse",
  title: "Collapse spaces",
  about: "Makes every run of white space inside the value one space.",
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

function mayCollapse(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) {
    const b = bytes[p]!;
    if (b > 32 && b < 0xc2) continue;
    if (b <= 32 ? b !== 32 || bytes[p + 1] === 32 : b === 0xc2 || b === 0xe1 || b === 0xe2 || b === 0xe3 || b === 0xef)
      return true;
  }
  return false;
}
