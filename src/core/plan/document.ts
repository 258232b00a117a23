import type { z } from "zod";
import type { BetweenCheck } from "../check/between/index.ts";
import type { NamedFormulas } from "../formula/named.ts";
import type { Gate } from "../gate/index.ts";
import type { LookUp } from "../lookup/schema.ts";
import type { MatchSection } from "../match/schema.ts";
import type { ReadOptions } from "../read/settings.ts";
import type { AfterAction } from "./after.ts";
import type { Parameter } from "./parameters.ts";
import type { PlanCheck, RuleCheck, Step, UniqueCheck, loadSchema, mapSchema } from "./sections.ts";
import type { SenderOf } from "./senders.ts";
import type { Field, PLAN_FORMAT } from "./types.ts";

/** A format and its settings; what is not set is found out from each file. */
export type ReadSection = ReadOptions;

/** What a plan is, once its document was found sound and its defaults are filled in. */
export interface Plan {
  format: typeof PLAN_FORMAT;
  feed: string;
  read: ReadSection;
  senders?: SenderOf[] | undefined;
  sender_field?: string | undefined;
  map: z.infer<typeof mapSchema>;
  formulas?: NamedFormulas | undefined;
  parameters?: Parameter[] | undefined;
  contract: { fields: Field[] };
  cleanse: Step[];
  check: PlanCheck[];
  lookup?: LookUp[] | undefined;
  match?: MatchSection | undefined;
  load: z.infer<typeof loadSchema>;
  gates: Gate[];
  after?: AfterAction[] | undefined;
}

export function isUnique(check: PlanCheck): check is UniqueCheck {
  return "check" in check && check.check === "unique";
}

export function isBetween(check: PlanCheck): check is BetweenCheck {
  return "check" in check && check.check !== "unique";
}

export function isRule(check: PlanCheck): check is RuleCheck {
  return !("check" in check);
}
