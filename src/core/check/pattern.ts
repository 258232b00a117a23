import { cellText } from "../bytes.ts";
import { compilePattern } from "../pattern.ts";
import { quoted } from "../problem.ts";
import type { CheckPart } from "./part.ts";

/** The pattern is found in the value. */
export const pattern: CheckPart = {
  id: "pattern",
  asked: (f) => f.pattern !== undefined,
  title: (f) => `${f.name} fits its pattern`,
  message: (f, value) => `${f.name} ${quoted(value)} does not fit the pattern.`,
  expected: (f) => `a value that fits ${f.pattern}`,
  test: (f) => {
    const compiled = compilePattern(f.pattern!);
    return (heap, cells, r) => compiled.test(cellText(heap, cells, r));
  },
};
