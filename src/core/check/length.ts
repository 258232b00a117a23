import { characters } from "../kernel/bytes.ts";
import { grouped, quoted } from "../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

/** The text has no more characters (code points) than its length. */
export const length: CheckPart = {
  id: "length",
  asked: (f) => f.type === "text" && f.length !== undefined,
  title: (f) => `${f.name} has at most ${grouped(f.length!)} characters`,
  fault: (name) => `${name} is too long`,
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
};
