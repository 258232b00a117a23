import { quoted } from "../kernel/problem.ts";
import { typePart } from "../type/index.ts";
import type { CheckPart } from "./part.ts";

/** The value is one of the field's type; for a code, one of its allowed values. Passing makes it canonical. */
export const typeCheck: CheckPart = {
  id: "type",
  asked: (f) => f.type !== "text",
  title: (f) => `${f.name} is ${typePart(f.type).noun}`,
  fault: (name, f) => `${name} is not ${f ? typePart(f.type).noun : "of its type"}`,
  message: (f, value) => `${f.name} ${quoted(value)} is not ${typePart(f.type).noun}.`,
  expected: (f) => typePart(f.type).expected(f),
  test: (f) => typePart(f.type).convert(f),
};
