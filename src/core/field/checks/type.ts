import { quoted } from "../../kernel/problem.ts";
import { typePart } from "../../type/index.ts";
import type { CheckPart } from "./part.ts";

/** Passing makes a value canonical. */
export const typeCheck: CheckPart = {
  id: "type",
  about: "The value is one of the field's type; for a code, one of its allowed values.",
  options: {},
  asked: (f) => f.type !== "text",
  words: (f) => typePart(f.type).noun,
  title: (f) => `${f.name} is ${typePart(f.type).noun}`,
  failing: (name, f) => `${name} is not ${f ? typePart(f.type).noun : "of its type"}`,
  message: (f, value) => `${f.name} ${quoted(value)} is not ${typePart(f.type).noun}.`,
  expected: (f) => typePart(f.type).expected(f),
  test: (f) => typePart(f.type).convert(f),
  examples: [
    { field: { name: "seeds", type: "integer" }, pass: ["", "12"], fail: ["a dozen"] },
    { field: { name: "status", type: "code", values: ["alive", "lost"] }, pass: ["lost"], fail: ["dead"] },
  ],
};
