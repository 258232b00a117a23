import type { FieldCheck } from "../plan/types.ts";
import { length } from "./length.ts";
import { least, most } from "./limits.ts";
import type { CheckPart } from "./part.ts";
import { pattern } from "./pattern.ts";
import { required } from "./required.ts";
import { typeCheck } from "./type.ts";
import { unique } from "./unique.ts";

/** The checks on one field, in the order in which they are made. */
export const CHECKS: Record<FieldCheck, CheckPart> = {
  type: typeCheck,
  required,
  length,
  least,
  most,
  pattern,
  unique,
};
