import type { CheckPart } from "./part.ts";

/** The cell is not empty. */
export const required: CheckPart = {
  id: "required",
  asked: (f) => f.required === true,
  title: (f) => `${f.name} is given`,
  message: (f) => `${f.name} is empty.`,
  expected: () => "a value",
  test: () => (_, cells, r) => cells.start[r] !== cells.end[r],
};
