import { length } from "./length.ts";
import { least, most } from "./limits.ts";
import { pattern } from "./pattern.ts";
import { required } from "./required.ts";
import { shortest } from "./shortest.ts";
import { typeCheck } from "./type.ts";
import { unique } from "./unique.ts";

/** The checks on one field, in the order in which they are made: one line each. */
export const CHECKS = { type: typeCheck, required, length, shortest, least, most, pattern, unique } as const;
