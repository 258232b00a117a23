import { z } from "zod";
import { quoted } from "../../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

const options = { unique: z.boolean().optional().describe("No two records of one load have the same value") };

/** Decided over the whole load, so it has no test of a cell. */
export const unique: CheckPart<typeof options> = {
  id: "unique",
  about: "No earlier record of the load has the value.",
  options,
  inTable: true,
  asked: (f) => f.unique === true,
  words: () => "unique",
  title: (f) => `${f.name} is given once`,
  failing: (name) => `${name} given twice`,
  message: (f, value) => `${f.name} ${quoted(value)} was already given.`,
  expected: () => "a value that no earlier record of the load has",
  test: () => null,
  examples: [],
};
