import { counted } from "../kernel/problem.ts";
import { byLikeness, type LookUp } from "../lookup/schema.ts";
import type { ProposedLookUp } from "./propose-look-up.ts";

/** The proposal’s key, as a look-up has it; `filled`: fields that other look-ups fill. */
export function withKey(l: LookUp, { by, how, bring, limits }: ProposedLookUp, filled: readonly string[] = []): LookUp {
  const pairs = by.map(({ field, column }) => ({ field, column }));
  const open = Object.entries(bring).filter(([field]) => !filled.includes(field));
  const fills = { ...Object.fromEntries(open), ...l.bring };
  if (l.how === "range") return { ...l, bring: fills };
  if (how === "exact" && l.how === "exact") return { ...l, by: pairs, bring: fills };
  return byScore({ ...l, how: "exact", by: pairs, bring: fills } as LookUp, { by, limits });
}

/** A look-up by score by the proposal’s key, unless it is by score already, with the limits that are known. */
export function byScore(l: LookUp, { by, limits }: Pick<ProposedLookUp, "by" | "limits">): LookUp {
  const { how: _, same: __, ...rest } = { same: undefined, ...l };
  return {
    ...rest,
    how: "scored",
    by: l.how === "scored" ? l.by : byLikeness(by),
    ...(limits && limits.right !== null && { least: limits.least, lead: limits.lead }),
  };
}

/** Whether a look-up goes by the proposed key. */
export function hasKey(l: LookUp, { by }: ProposedLookUp): boolean {
  const own = l.by ?? [];
  return own.length === by.length && by.every((p) => own.some((o) => o.field === p.field && o.column === p.column));
}

/** What several entries of one key mean. */
export function repeatedWords({ keys, entries }: ProposedLookUp["repeated"]): string | null {
  if (keys === 0) return null;
  return `${counted(keys, "key")} ${keys === 1 ? "is" : "are"} that of several entries (${counted(entries, "entry", "entries")}): a record that asks for one of them has several partners.`;
}
