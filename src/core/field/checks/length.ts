import { characters } from "../../kernel/bytes.ts";
import { grouped, quoted } from "../../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

/** Its option is the type's, by which the type chooses its column. */
export const length: CheckPart = {
  id: "length",
  about: "A text has no more characters (code points) than its length.",
  options: {},
  asked: (f) => f.type === "text" && f.length !== undefined,
  words: (f) => `at most ${grouped(f.length!)} characters`,
  title: (f) => `${f.name} has at most ${grouped(f.length!)} characters`,
  failing: (name) => `${name} is too long`,
  message: (f, value) => `${f.name} ${quoted(value)} has ${grouped([...value].length)} characters.`,
  expected: (f) => `at most ${grouped(f.length!)} characters`,
  test: (f) => {
    const most = f.length!;
    return (heap, cells, count, bad) => {
      const { start, end } = cells;
      let n = 0;
      for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (e - s > most && characters(heap.bytes, s, e) > most) bad[n++] = r;
      }
      return n;
    };
  },
  examples: [{ field: { name: "site", type: "text", length: 4 }, pass: ["", "Moor", "Møør"], fail: ["Moors"] }],
};
