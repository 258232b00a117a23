import { quoted } from "../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

/** No earlier record of the load has the value. Decided over the whole load, so it has no test of a cell. */
export const unique: CheckPart = {
  id: "unique",
  asked: (f) => f.unique === true,
  title: (f) => `${f.name} is given once`,
  fault: (name) => `${name} given twice`,
  message: (f, value) => `${f.name} ${quoted(value)} was already given.`,
  expected: () => "a value that no earlier record of the load has",
  test: () => null,
};
