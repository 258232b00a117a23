import { z } from "zod";
import type { CheckPart } from "./part.ts";

const options = { required: z.boolean().optional().describe("It must not be empty") };

export const required: CheckPart<typeof options> = {
  id: "required",
  about: "The cell is not empty.",
  options,
  inTable: true,
  asked: (f) => f.required === true,
  words: () => "required",
  title: (f) => `${f.name} is given`,
  failing: (name) => `${name} is empty`,
  message: (f) => `${f.name} is empty.`,
  expected: () => "a value",
  test: () => (_, cells, count, bad) => {
    const { start, end } = cells;
    let n = 0;
    for (let r = 0; r < count; r++) if (start[r] === end[r]) bad[n++] = r;
    return n;
  },
  examples: [{ field: { name: "site", type: "text", required: true }, pass: ["Ashmere"], fail: [""] }],
};
