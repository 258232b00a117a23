import { gaps } from "./gaps.ts";
import { overlaps } from "./overlaps.ts";
import { parent } from "./parent.ts";
import { sum } from "./sum.ts";

/** Every kind of check between the records of a delivery. */
export const BETWEEN_PARTS = [gaps, overlaps, parent, sum] as const;
