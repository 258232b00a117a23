import type { Period } from "@/store/period.ts";

/** Outcomes as the columns of the ledger are called. */
const SUMS = ["read", "inserted", "updated", "unchanged", "merged", "held", "waiting", "leftOut"] as const;

const named = (name: string): string => (name === "leftOut" ? "left out" : name);

/**
 * An account as rows of one table, for a file: which account, of what (a load, a table, a field), what is counted, and
 * how many. The first row names the columns.
 */
export function periodRows({ loads, sums, held, targets, fields, announced, after }: Period): string[][] {
  const rows: [string, string, string, string | number][] = [
    ...loads.flatMap((l) =>
      SUMS.map((s): [string, string, string, number] => [`load, ${l.state}`, String(l.id), named(s), l[s]]),
    ),
    ["loads that stand", "", "loads", sums.loads],
    ...SUMS.map((s): [string, string, string, number] => ["loads that stand", "", named(s), sums[s]]),
    ["quarantine", "", "at the start", held.atStart],
    ["quarantine", "", "came", held.came],
    ...Object.entries(held.went).map(([state, n]): [string, string, string, number] => ["quarantine", "", state, n]),
    ["quarantine", "", "at the end", held.atEnd],
    ...targets.flatMap((t) =>
      (["writings", "inserted", "updated", "removed"] as const).map((what): [string, string, string, number] => [
        `target, ${t.kind}`,
        t.target,
        what,
        t[what],
      ]),
    ),
    ...fields.flatMap((f): [string, string, string, string][] => [
      ["sum", f.field, "by the ledger", f.ledger],
      ["sum", f.field, "in the target", f.target],
    ]),
    ...announced.flatMap((a): [string, string, string, number][] => [
      ["announced", a.what, "loads", a.loads],
      ["announced", a.what, "announced", a.announced],
      ["announced", a.what, "came", a.came],
    ]),
    ...after.map((a): [string, string, string, number] => ["after the loads", a.does, a.state, a.times]),
  ];
  return [["account", "of", "what", "value"], ...rows.map((r) => r.map(String))];
}
