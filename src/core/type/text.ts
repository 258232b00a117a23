import { z } from "zod";
import { charactersOf, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  length: z.int().min(1).max(10_485_760).optional().describe("Most characters; none: no limit"),
  sized: z.boolean().optional().describe("The target's column has that length too, as varchar(n); text unless said"),
};

export type TextOptions = OptionsOf<typeof options>;

/** Text of any characters. Its length is a check of its own, so that a longer text is a problem and never cut. */
export const text: TypePart<TextOptions> = {
  id: "text",
  title: "Text",
  about: "Any characters.",
  options,
  line: {
    hint: "most characters",
    show: ({ length, sized }) => (length === undefined ? "" : sized ? `varchar ${length}` : String(length)),
    take: (t) => {
      const match = /^\s*(varchar)?\s*\(?(\d+)\)?\s*$/i.exec(t);
      if (!match) return {};
      return { length: Number(match[2]), ...(match[1] ? { sized: true } : {}) };
    },
  },
  fault: ({ length, sized }) => (sized && length === undefined ? "A column of a size needs a length." : null),
  sql: ({ length, sized }) => (sized && length !== undefined ? `character varying(${length})` : "text"),
  fits: ({ type }, { length = Infinity }) => length <= charactersOf(type),
  expected: () => "text",
  noun: "text",
  value: () => "string",
  order: () => null,
  rewrites: false,
  convert: () => () => 0,
  examples: [{ options: {}, from: " any thing ", to: " any thing " }],
};
