import { compilePattern, patternSchema } from "../../kernel/pattern.ts";
import { quoted } from "../../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

const options = {
  pattern: patternSchema.optional().describe("A pattern (RE2) that the value must contain; ^ and $ for all of it"),
};

export const pattern: CheckPart<typeof options> = {
  id: "pattern",
  about: "The pattern is found in the value.",
  options,
  inTable: true,
  misfit: (f) =>
    f.type === "text" || f.type === "code" ? null : `A pattern is for text and codes, not for the type ${f.type}.`,
  asked: (f) => f.pattern !== undefined,
  words: (f) => `fits ${f.pattern}`,
  title: (f) => `${f.name} fits its pattern`,
  failing: (name) => `${name} does not fit its pattern`,
  message: (f, value) => `${f.name} ${quoted(value)} does not fit the pattern.`,
  expected: (f) => `a value that fits ${f.pattern}`,
  test: (f) => {
    const compiled = compilePattern(f.pattern!);
    return (heap, cells, count, bad) => {
      const { start, end } = cells;
      let n = 0;
      for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (s !== e && !compiled.testSpan(heap.bytes, s, e)) bad[n++] = r;
      }
      return n;
    };
  },
  examples: [
    {
      field: { name: "accession", type: "text", pattern: "^ASV-\\d+$" },
      pass: ["", "ASV-12"],
      fail: ["ASV-", "x ASV-1"],
    },
  ],
};
