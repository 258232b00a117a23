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
  return withOption(plan, "copies", copies);
}

/** The plan whose load section has an option otherwise, or not at all. */
export function withOption<Name extends keyof Load>(plan: Plan, name: Name, value: Load[Name] | undefined): Plan {
  const { [name]: _, ...others } = plan.load;
  return { ...plan, load: (value === undefined ? others : { ...others, [name]: value }) as Load };
}

/** The load section whose key is the whole record, or none: only an upsert by it can be without another. */
export function withWholeRecord(load: Load, whole: boolean): Load {
  const { whole_record: _, arriving: __, slice, ...others } = load;
  if (whole) return { ...others, mode: "upsert", whole_record: true };
  return {
    ...others,
    ...(slice === undefined ? {} : { slice }),
    mode: others.mode === "upsert" ? "append" : others.mode,
  };
}
