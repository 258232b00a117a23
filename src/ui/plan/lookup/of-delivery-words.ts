import type { LookUp } from "@/core/lookup/schema.ts";
import type { ProposedLookUp } from "@/engine/look/propose-look-up.ts";
import { counted } from "../../kit/words.ts";

/** The proposal’s key, as a look-up has it. */
export function withKey(l: LookUp, { by, how, bring, limits }: ProposedLookUp): LookUp {
  const pairs = by.map(({ field, column }) => ({ field, column }));
  const fills = { ...bring, ...l.bring };
  if (l.how === "range") return { ...l, bring: fills };
  if (how === "exact" && l.how === "exact") return { ...l, by: pairs, bring: fills };
  const { how: _, by: __, bring: ___, ...rest } = l;
  const { same: ____, ...common } = { same: undefined, ...rest };
  return {
    ...common,
    how: "scored",
    by: pairs.map((p) => ({ ...p, compare: "words" as const })),
    bring: fills,
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
