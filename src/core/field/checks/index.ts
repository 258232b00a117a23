import type { z } from "zod";
import { CHECKS } from "./parts.ts";
import type { CheckPart } from "./part.ts";

export type FieldCheck = keyof typeof CHECKS;
export const FIELD_CHECKS = Object.keys(CHECKS) as FieldCheck[];

/** The part of a check, what a field says of it not yet told apart. */
export function checkPart(id: FieldCheck): CheckPart<z.ZodRawShape> {
  return CHECKS[id] as unknown as CheckPart<z.ZodRawShape>;
}

type UnionToIntersection<U> = (U extends unknown ? (u: U) => void : never) extends (i: infer I) => void ? I : never;

/** The options of all checks, which a field may have whatever its type. */
export const CHECK_OPTIONS = Object.assign({}, ...FIELD_CHECKS.map((id) => CHECKS[id].options)) as UnionToIntersection<
  (typeof CHECKS)[FieldCheck]["options"]
>;
