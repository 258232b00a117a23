import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";

/** A plan from its fields, the rest as it comes. */
export function planOf(fields: object[], more: Record<string, unknown> = {}): Plan {
  return parsePlan({
    format: "good-sieve/plan@1",
    feed: "things",
    contract: { fields },
    load: { target: "thing" },
    gates: [],
    ...more,
  });
}
