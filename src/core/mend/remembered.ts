import { compilePlan } from "../course/compile.ts";
import { cleansedValues } from "../course/of-record.ts";
import { recheck, siftRows } from "../course/recheck.ts";
import type { Plan } from "../plan/document.ts";
import type { Step } from "../plan/sections.ts";

/** A value that people have mended in one way, in records that were released so. */
export interface MendMade {
  readonly field: string;
  /** As it stood after the plan's steps. */
  readonly from: string;
  readonly to: string;
  readonly records: number;
  readonly loads: number;
  /** How often records with it were released: of each load, all that were released at once are one time. */
  readonly times: number;
}

/**
 * Those mends that a step of the plan could make by itself: made more than once, of a field that is not of the key, always to the same value,
 * which the field's checks let pass, and which the plan does not make already. A value that another one is mended to is
 * left alone, and so is what was empty, as nothing tells one empty cell from another. Throws where a formula of the plan is none.
 */
export function mendsForSteps(plan: Plan, made: readonly MendMade[]): MendMade[] {
  const often = made.filter((m) => m.times > 1);
  if (often.length === 0) return [];
  const compiled = compilePlan(plan);
  const names = compiled.fields.map((f) => f.name);
  const valueOf = (field: string, value: string): string => JSON.stringify([field, value]);
  const ways = new Map<string, number>();
  for (const m of made) ways.set(valueOf(m.field, m.from), (ways.get(valueOf(m.field, m.from)) ?? 0) + 1);
  const wanted = new Set(made.map((m) => valueOf(m.field, m.to)));
  const row = (field: string, value: string): string[] => names.map((n) => (n === field ? value : ""));
  return often.filter((m) => {
    const f = names.indexOf(m.field);
    if (f < 0 || m.from === "" || m.to === "" || plan.load.key.includes(m.field)) return false;
    const own = valueOf(m.field, m.from);
    if (ways.get(own)! > 1 || wanted.has(own)) return false;
    if (cleansedValues(siftRows(compiled, names, [row(m.field, m.from)]), 0)[f] === m.to) return false;
    return recheck(compiled, row(m.field, m.to)).problems.every((p) => p.field !== m.field);
  });
}

/** The plan with these mends made by steps: each field's in one value map at the end, or in one that stands there for it. */
export function withMends(plan: Plan, mends: readonly MendMade[]): Plan {
  const cleanse = [...plan.cleanse];
  for (const field of new Set(mends.map((m) => m.field))) {
    const at = ownMapOf(cleanse, field);
    const to: Record<string, string[]> = at < 0 ? {} : { ...(cleanse[at]!["to"] as Record<string, string[]>) };
    for (const m of mends) if (m.field === field) to[m.to] = [...(to[m.to] ?? []), m.from];
    const step: Step = { do: "value-map", in: [field], to, same: "exactly" };
    if (at < 0) cleanse.push(step);
    else cleanse[at] = step;
  }
  return { ...plan, cleanse };
}

/** Where a value map stands that is for the field alone, such as mends make, with nothing behind it that touches the field; -1 for none. */
function ownMapOf(cleanse: readonly Step[], field: string): number {
  const touches = (s: Step): boolean => s.in === "*" || s.in.includes(field);
  const at = cleanse.findLastIndex(touches);
  const step = cleanse[at];
  if (step?.do !== "value-map" || step.in === "*" || step.in.length > 1 || step.off) return -1;
  return step["same"] === "exactly" && step["otherwise"] === undefined && step["unknown"] === undefined ? at : -1;
}
