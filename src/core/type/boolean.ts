import { z } from "zod";
import { cellText } from "../kernel/bytes.ts";
import { eachCell } from "../kernel/column.ts";
import { splitList, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const word = z.string().min(1).max(40);

const options = {
  words: z
    .strictObject({ yes: z.array(word).min(1), no: z.array(word).min(1) })
    .default({ yes: ["true", "yes", "1"], no: ["false", "no", "0"] })
    .describe("Which words mean yes and which mean no"),
};

export type BooleanOptions = OptionsOf<typeof options>;

/** Yes or no, in words that the contract names; upper and lower case are the same. */
export const boolean: TypePart<BooleanOptions> = {
  id: "boolean",
  title: "Yes or no",
  about: "Yes or no, in words that the contract names.",
  options,
  line: {
    hint: "yes words / no words",
    show: ({ words }) => (words ? `${words.yes.join(", ")} / ${words.no.join(", ")}` : ""),
    take: (t) => {
      const [yes, no] = t.split("/", 2).map(splitList);
      return {
        words: yes?.length && no?.length ? { yes, no } : { yes: ["yes", "true", "1"], no: ["no", "false", "0"] },
      };
    },
  },
  sql: () => "boolean",
  fits: ({ type }) => type === "boolean",
  expected: ({ words }) => `${words.yes.join(", ")} for yes, or ${words.no.join(", ")} for no`,
  noun: "yes or no",
  value: () => "bool",
  order: () => null,
  rewrites: true,
  convert({ words }) {
    const meaning = new Map<string, string>();
    for (const w of words.no) meaning.set(w.toLowerCase(), "f");
    for (const w of words.yes) meaning.set(w.toLowerCase(), "t");
    return eachCell((heap, cells, r) => {
      const canonical = meaning.get(cellText(heap, cells, r).toLowerCase());
      if (canonical === undefined) return false;
      const at = heap.append(canonical);
      cells.start[r] = at;
      cells.end[r] = at + 1;
      return true;
    });
  },
  examples: [
    { options: { words: { yes: ["ja"], no: ["nein"] } }, from: "JA", to: "t" },
    { options: { words: { yes: ["ja"], no: ["nein"] } }, from: "no", to: null },
  ],
};
