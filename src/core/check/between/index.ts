import { z } from "zod";
import { ON_FAILURE } from "../../plan/types.ts";
import { checkMessage, checkName } from "../said.ts";
import type { BetweenPart } from "./part.ts";
import { schemasOf } from "../../kernel/union.ts";
import { BETWEEN_PARTS } from "./parts.ts";

/** Every kind, whatever its options are. */
export const BETWEEN = BETWEEN_PARTS as unknown as readonly BetweenPart<object>[];

export type BetweenId = (typeof BETWEEN_PARTS)[number]["id"];

/** What every check between records has; what becomes of a record with the fault is its part's to say where the plan doesn't. */
const betweenShape = {
  check: z.enum(BETWEEN_PARTS.map((p) => p.id)),
  name: checkName.optional(),
  message: checkMessage.optional(),
  on_failure: z.enum(ON_FAILURE),
};

/** A check between records as a plan has it: `check` says which part, the other properties are that part's options. */
export type BetweenCheck = z.infer<z.ZodObject<typeof betweenShape, z.core.$loose>>;

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

/** The schemas of a plan's checks between records. */
export function betweenSchemas(): z.ZodType<BetweenCheck, BetweenCheck>[] {
  const { name, message, on_failure } = betweenShape;
  const kinds = BETWEEN.map((part) =>
    z.strictObject({
      check: z.literal(part.id),
      ...part.options,
      name,
      message,
      on_failure: on_failure.default(part.onFailure),
    }),
  );
  return schemasOf<BetweenCheck>(kinds);
}
