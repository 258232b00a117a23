import { withoutArriving } from "@/core/plan/arriving.ts";
import type { TargetCopy } from "@/core/plan/copies.ts";
import type { Plan } from "@/core/plan/document.ts";

type Load = Plan["load"];

/** The ways in which good records are written, as one choice. */
export const MODES = ["append", "replace", "upsert", "insert", "update"] as const;
export type Mode = (typeof MODES)[number];

export const modeOf = ({ mode, only }: Load): Mode => only ?? mode;

/** The load section with another mode, without what only the one before could have. */
export function withMode(load: Load, mode: Mode): Load {
  const { whole_record: _, only: __, arriving, gone, slice: ___, ...others } = load;
  if (mode === "append" || mode === "replace") return { ...others, mode };
  const ofUpsert = { ...(arriving ? { arriving } : {}), ...(gone && mode !== "insert" ? { gone } : {}) };
  return { ...others, mode: "upsert", ...(mode === "upsert" ? {} : { only: mode }), ...ofUpsert };
}

/** The load section with another key; what needs a key goes with the last of it. */
export function withKey(load: Load, key: string[]): Load {
  const { whole_record: _, only, copies, ...others } = load;
  const keyed = key.length > 0 ? { ...(only ? { only } : {}), ...(copies ? { copies } : {}) } : {};
  return withoutArriving({ ...others, ...keyed, key }, key);
}

/** The plan with other copies of its target in other databases. */
export function withCopies(plan: Plan, copies: TargetCopy[] | undefined): Plan {
  const { copies: _, ...load } = plan.load;
  return { ...plan, load: copies ? { ...load, copies } : load };
}
