import type { z } from "zod";
import type { planShape } from "./shape.ts";
import type { PlanCheck, RuleCheck, UniqueCheck } from "./sections.ts";
import type { BetweenCheck } from "../check/between/index.ts";

/** What a plan is, once its document was found sound and its defaults are filled in. */
export type Plan = z.infer<z.ZodObject<typeof planShape>>;

/** A format and its settings; what is not set is found out from each file. */
export type ReadSection = Plan["read"];

export function isUnique(check: PlanCheck): check is UniqueCheck {
  return "check" in check && check.check === "unique";
}

export function isBetween(check: PlanCheck): check is BetweenCheck {
  return "check" in check && check.check !== "unique";
}

export function isRule(check: PlanCheck): check is RuleCheck {
  return !("check" in check);
}
