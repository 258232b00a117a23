import type { Field } from "@/core/field/field.ts";
import { booleanIdeas } from "./boolean.ts";
import { codeIdeas } from "./code.ts";
import { dayIdeas } from "./day.ts";
import { garbledIdeas } from "./garbled.ts";
import { numberIdeas } from "./number.ts";
import type { IdeaMaker } from "./part.ts";
import { textIdeas } from "./text.ts";

/** What makes ideas for the values of a field, by its type; for a type that is not here, what is made for text. */
const BY_TYPE: Partial<Record<Field["type"], IdeaMaker>> = {
  code: codeIdeas,
  boolean: booleanIdeas,
  integer: numberIdeas,
  decimal: numberIdeas,
  date: dayIdeas,
  timestamp: dayIdeas,
};

/** The makers of ideas for a field, in the order in which they are asked. */
export function ideaMakers({ type }: Pick<Field, "type">): readonly IdeaMaker[] {
  return [garbledIdeas, BY_TYPE[type] ?? textIdeas];
}
