import { z } from "zod";
import { plainNameSchema } from "../plan/name.ts";
import { gatePart } from "./part.ts";
import { isOver, percent } from "./usual.ts";

/** A field is not empty too often. */
export const emptyShare = gatePart({
  id: "empty share",
  title: "a field that must not be empty too often",
  about: "A greater share of empty cells in a field stops the load.",
  options: {
    field: plainNameSchema.describe("The field that is looked at"),
    over: z.number().min(0).max(1).describe("A greater share of empty cells stops the load"),
  },
  sentence: "{field} empty in more than {over} %",
  controls: { field: "field", over: "share" },
  begin: (field) => ({ field, over: 0.1 }),
  judge({ field, over }, { filled }) {
    const found = filled.find((f) => f.name === field);
    const share = !found || found.of === 0 ? 0 : (found.of - found.filled) / found.of;
    return {
      passed: !isOver(share, over),
      message: `${field} is empty in ${percent(share)}; the limit is ${percent(over)}.`,
    };
  },
  examples: [
    {
      options: { field: "a", over: 0.1 },
      measured: { filled: [{ name: "a", filled: 9, of: 10 }] },
      passed: true,
      says: "a is empty in 10 %",
    },
    {
      options: { field: "a", over: 0.1 },
      measured: {
        filled: [
          { name: "b", filled: 10, of: 10 },
          { name: "a", filled: 8, of: 10 },
        ],
      },
      passed: false,
      says: "the limit is 10 %",
    },
  ],
});
