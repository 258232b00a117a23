import { SURVIVORSHIP_PARTS } from "./parts.ts";
import type { SurvivorshipPart } from "./part.ts";

/** Whose value of a field is kept. */
export type Survivorship = (typeof SURVIVORSHIP_PARTS)[number]["id"];

export const SURVIVORSHIP = SURVIVORSHIP_PARTS.map((p) => p.id);

export function survivorshipPart(id: Survivorship): SurvivorshipPart {
  return SURVIVORSHIP_PARTS.find((p) => p.id === id)!;
}
