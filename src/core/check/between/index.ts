import { z } from "zod";
import type { OnFailure } from "../../plan/types.ts";
import { gaps } from "./gaps.ts";
import { overlaps } from "./overlaps.ts";
import { parent } from "./parent.ts";
import type { BetweenPart } from "./part.ts";
import { sum } from "./sum.ts";

/** Every kind of check between the records of a delivery. */
export const BETWEEN = [gaps, overlaps, parent, sum] as unknown as readonly BetweenPart<object>[];

export const BETWEEN_IDS = ["no gaps", "no overlaps", "has parent", "parts sum"] as const;
export type BetweenId = (typeof BETWEEN_IDS)[number];

/** A check between records as a plan has it: `check` says which part, the other properties are that part's options. */
export interface BetweenCheck {
  check: BetweenId;
  name?: string;
  message?: string;
  on_failure: OnFailure;
  [option: string]: unknown;
}

export function betweenPart(id: BetweenId): BetweenPart<object> {
  return BETWEEN.find((p) => p.id === id)!;
}

/** What holds when the check passes: its own name, or what the part says. */
export function betweenTitle(check: BetweenCheck): string {
  return check.name ?? betweenPart(check.check).words(check);
}

/** The fields that a check speaks of, each once. */
export function betweenFields(check: BetweenCheck): string[] {
  const named = betweenPart(check.check).fieldOptions.flatMap((o) => (check[o] ?? []) as string | string[]);
  return [...new Set(named)];
}

/** The schemas of a plan's checks between records. `common`: what all checks have; `policy`: what happens to a record with the fault. */
export function betweenSchemas(common: z.ZodRawShape, policy: z.ZodType): z.ZodObject[] {
  return BETWEEN.map((part) =>
    z.strictObject({
      check: z.literal(part.id),
      ...part.options,
      ...common,
      on_failure: policy.default(part.onFailure),
    }),
  );
}
