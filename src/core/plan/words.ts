import { stepPart } from "../cleanse/index.ts";
import type { Step } from "./sections.ts";

/** A step in words: “trim the ends in all fields”. */
export function stepWords(step: Step): string {
  const { do: id, in: where, off, ...options } = step;
  const part = stepPart(id);
  const fields = part.leavesOut ? "" : ` in ${where === "*" ? "all fields" : where.join(", ")}`;
  return `${part.words(options)}${fields}${off ? " (switched off)" : ""}`;
}
