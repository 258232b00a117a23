import { z } from "zod";
import { namesIn } from "../formula/names.ts";
import { isRule, type Plan } from "./document.ts";
import { ruleSchema, type RuleCheck } from "./sections.ts";
import { ON_FAILURE, type OnFailure } from "./types.ts";

/** Checks by formula that are kept under a name, to be used by several feeds. */
export interface CheckSet {
  readonly name: string;
  readonly version: number;
  readonly checks: readonly SetCheck[];
}

/** A check of a set: as in a plan, but for the set that it is from. */
export type SetCheck = Omit<RuleCheck, "from_set">;

export const checkSetSchema = z
  .array(ruleSchema.omit({ from_set: true }).extend({ on_failure: z.enum(ON_FAILURE) }))
  .min(1)
  .max(200);

/** The plan's checks by formula as a set has them. */
export function asSet(plan: Plan): SetCheck[] {
  return plan.check.filter(isRule).map(({ from_set: _, ...check }) => check);
}

/** The sets that a plan's checks are from, each with the version. */
export function setsOf(plan: Plan): Map<string, number> {
  const sets = new Map<string, number>();
  for (const c of plan.check) if (isRule(c) && c.from_set) sets.set(c.from_set.name, c.from_set.version);
  return sets;
}

/**
 * The plan with the checks of a set, those of an earlier version of it taken out. Checks whose fields
 * the plan does not have are left, each with the reason; a check that was there keeps the policy that
 * the plan gave it, and another of the same name gets out of its way by a number.
 */
export function withSet(plan: Plan, set: CheckSet): { plan: Plan; left: string[] } {
  const known = new Set(plan.contract.fields.map((f) => f.name));
  const policies = new Map<string, OnFailure>();
  let at = plan.check.length;
  const others = plan.check.filter((c, i) => {
    if (!isRule(c) || c.from_set?.name !== set.name) return true;
    policies.set(c.name, c.on_failure);
    at = Math.min(at, i);
    return false;
  });
  const taken = new Set(others.filter(isRule).map((c) => c.name));
  const left: string[] = [];
  const own = set.checks.flatMap((check): RuleCheck[] => {
    const lacks = [...(check.in ?? []), ...namesIn(check.that)].find((n) => n !== "it" && !known.has(n));
    if (lacks !== undefined) {
      left.push(`${check.name}, for there is no field ${lacks}`);
      return [];
    }
    let { name } = check;
    for (let n = 2; taken.has(name); n++) name = `${check.name} ${n}`;
    taken.add(name);
    const on_failure = policies.get(name) ?? check.on_failure;
    return [{ ...check, name, on_failure, from_set: { name: set.name, version: set.version } }];
  });
  const check = [...others.slice(0, at), ...own, ...others.slice(at)];
  return { plan: { ...plan, check }, left };
}
