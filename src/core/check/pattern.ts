import { compilePattern } from "../kernel/pattern.ts";
import { quoted } from "../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

/** The pattern is found in the value. */
export const pattern: CheckPart = {
  id: "pattern",
  asked: (f) => f.pattern !== undefined,
  title: (f) => `${f.name} fits its pattern`,
  fault: (name) => `${name} does not fit its pattern`,
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
};
