import type { HeldAt } from "@/core/kernel/ledger.ts";

/** Which held records a page of the quarantine is about. */
export interface DeskFilter {
  feed?: string | undefined;
  load?: number | undefined;
  at?: HeldAt | undefined;
  sender?: string | undefined;
  state?: string | undefined;
}

/** The query of the same page with something else in it. */
export type DeskQuery = (more: Readonly<Record<string, string | number | undefined>>) => string;

export function queryOf(filter: DeskFilter): DeskQuery {
  return (more) => {
    const all = Object.entries<string | number | undefined>({ ...filter, ...more });
    return new URLSearchParams(all.flatMap(([k, v]) => (v === undefined ? [] : [[k, String(v)]]))).toString();
  };
}
