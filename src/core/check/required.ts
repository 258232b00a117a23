import type { CheckPart } from "./part.ts";

/** The cell is not empty. */
export const required: CheckPart = {
  id: "required",
  asked: (f) => f.required === true,
  title: (f) => `${f.name} is given`,
  fault: (name) => `${name} is empty`,
  message: (f) => `${f.name} is empty.`,
  expected: () => "a value",
  test: () => (_, cells, count, bad) => {
    const { start, end } = cells;
    let n = 0;
    for (let r = 0; r < count; r++) if (start[r] === end[r]) bad[n++] = r;
    return n;
  },
};
