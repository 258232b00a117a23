import { textOf, utf8 } from "../kernel/bytes.ts";
import type { StepPart } from "./part.ts";

/** Takes away spaces, tabs and line ends, and every other white space of Unicode, at both ends. */
export const trim: StepPart<object> = {
  id: "trim",
  title: "Trim the ends",
  about: "Takes away white space before and after the value.",
  everywhere: true,
  options: {},
  words: () => "trim the ends",
  apply: () => (heap, cells, count, changed) => {
    const { start, end } = cells;
    let n = 0;
    for (let r = 0; r < count; r++) {
      let s = start[r]!;
      let e = end[r]!;
      if (s === e) continue;
      const { bytes } = heap;
      const first = bytes[s]!;
      const last = bytes[e - 1]!;
      if (first > 32 && first < 128 && last > 32 && last < 128) continue;
      while (s < e && isSpace(bytes[s]!)) s++;
      while (e > s && isSpace(bytes[e - 1]!)) e--;
      if (s < e && (bytes[s]! > 127 || bytes[e - 1]! > 127)) {
        const text = textOf(bytes, s, e);
        s += utf8(text.slice(0, text.length - text.trimStart().length)).length;
        e -= utf8(text.slice(text.trimEnd().length)).length;
        if (e < s) e = s;
      }
      if (s === start[r] && e === end[r]) continue;
      start[r] = s;
      end[r] = e;
      changed[r] = 1;
      n++;
    }
    return n;
  },
  examples: [
    { options: {}, from: "  Gull Ness\t", to: "Gull Ness" },
    { options: {}, from: "\u00a0Tern Bank\u2009", to: "Tern Bank" },
    { options: {}, from: "é ", to: "é" },
    { options: {}, from: " \u00a0 ", to: "" },
    { options: {}, from: "no ends", to: "no ends" },
  ],
};

function isSpace(b: number): boolean {
  return b === 32 || (b >= 9 && b <= 13);
}
