import { z } from "zod";
import { textOf } from "../kernel/bytes.ts";
import type { StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { words: z.array(z.string().min(1).max(60)).min(1).max(200).describe("The words") };

export type EmptyWordsOptions = OptionsOf<typeof options>;

/** Makes a cell empty when all of it is one of the words; upper and lower case are the same. */
export const emptyWords: StepPart<EmptyWordsOptions> = {
  id: "empty-words",
  title: "Words that mean empty",
  about: "Makes a cell empty when the whole of it is one of these words.",
  everywhere: true,
  options,
  words: ({ words }) => `empty when ${words.join(", ")}`,
  apply({ words }) {
    const known = new Set(words.map((w) => w.toLowerCase()));
    const longest = Math.max(...words.map((w) => w.length)) * 4;
    const firsts = new Uint8Array(256);
    for (const w of words)
      for (const c of [w.toLowerCase(), w.toUpperCase()]) firsts[new TextEncoder().encode(c)[0]!] = 1;
    return (heap, cells, count, changed) => {
      const { start, end } = cells;
      const { bytes } = heap;
      let n = 0;
      for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (s === e || e - s > longest || (firsts[bytes[s]!] === 0 && bytes[s]! < 128)) continue;
        if (!known.has(textOf(bytes, s, e).toLowerCase())) continue;
        end[r] = s;
        changed[r] = 1;
        n++;
      }
      return n;
    };
  },
  examples: [
    { options: { words: ["?", "n/a"] }, from: "?", to: "" },
    { options: { words: ["?", "n/a"] }, from: "N/A", to: "" },
    { options: { words: ["?", "n/a"] }, from: "n/a later", to: "n/a later" },
  ],
};
