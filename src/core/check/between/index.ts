import { z } from "zod";
import type { OnFailure } from "../../plan/types.ts";
import type { BetweenPart } from "./part.ts";
import { schemasOf } from "../../kernel/union.ts";
import { BETWEEN_PARTS } from "./parts.ts";

/** Every kind, whatever its options are. */
export const BETWEEN = BETWEEN_PARTS as unknown as readonly BetweenPart<object>[];

export type BetweenId = (typeof BETWEEN_PARTS)[number]["id"];

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
export function betweenSchemas(common: z.ZodRawShape, policy: z.ZodType): z.ZodType<BetweenCheck, BetweenCheck>[] {
  const kinds = BETWEEN.map((part) =>
    z.strictObject({
      check: z.literal(part.id),
      ...part.options,
      ...common,
      on_failure: policy.default(part.onFailure),
    }),
  );
  return schemasOf<BetweenCheck>(kinds);
}
