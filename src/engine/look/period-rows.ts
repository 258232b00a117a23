import { PERIOD_COLUMNS } from "@/core/report/period-columns.ts";
import type { Period } from "@/store/period.ts";

/**
 * An account as rows of one table, for a file: which account, of what (a load, a table, a field), what is counted, and
 * how many. The first row names the columns.
 */
export function periodRows({ loads, sums, held, targets, fields, announced, after }: Period): string[][] {
  const lines = (account: string, of: string | number, counts: readonly (readonly [string, string | number])[]) =>
    counts.map(([what, value]) => [account, String(of), what, String(value)]);
  return [
    ["account", "of", "what", "value"],
    ...loads.flatMap((l) =>
      lines(
        `load, ${l.state}`,
        l.id,
        PERIOD_COLUMNS.map(([key, words]) => [words, l[key]]),
      ),
    ),
    ...lines("loads that stand", "", [
      ["loads", sums.loads],
      ...PERIOD_COLUMNS.map(([key, words]) => [words, sums[key]] as const),
    ]),
    ...lines("quarantine", "", [
      ["at the start", held.atStart],
      ["came", held.came],
      ...Object.entries(held.went),
      ["at the end", held.atEnd],
      ["of them overtaken by something newer", held.overtaken],
    ]),
    ...targets.flatMap(({ kind, target, ...counts }) => lines(`target, ${kind}`, target, Object.entries(counts))),
    ...fields.flatMap((f) =>
      lines("sum", f.field, [
        ["by the ledger", f.ledger],
        ["in the target", f.target],
      ]),
    ),
    ...announced.flatMap(({ what, ...counts }) => lines("announced", what, Object.entries(counts))),
    ...after.flatMap(({ does, what, state, times, ...counts }) =>
      lines("after the loads", what === null ? does : `${does}, ${what}`, [
        [state, times],
        ...Object.entries(counts).flatMap(([key, n]) => (n === null ? [] : [[`${state}, ${key}`, n] as const])),
      ]),
    ),
  ];
}
