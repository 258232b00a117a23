import { keepRules, type MatchSection, type Survivorship } from "./schema.ts";

/** A record of a cluster: its values by field, "" where it has none, and what it is ranked by. */
export interface Member {
  readonly values: readonly string[];
  /** Its value in the field that says which record is the more recent, "" where it has none. */
  readonly recent?: string | undefined;
}

/** The kept record of a cluster: its values, and for each the number of the member that it came from; -1: none had one. */
export interface Kept {
  readonly values: string[];
  readonly from: number[];
}

/**
 * The kept record by a rule for each field. An empty value is never kept where another is there.
 * Where a rule leaves several, the earlier member's is kept.
 *
 * - `first`, `last`: of the members in their order, which is that of the delivery, the target's first;
 * - `recent`: of the member that is the most recent by its date or number;
 * - `complete`: of the member that has the most values;
 * - `most frequent`, `longest`, `greatest`, `least`: by the value itself, numbers as numbers.
 */
export function keepRecord(members: readonly Member[], rules: readonly Survivorship[]): Kept {
  const filled = members.map((m) => m.values.filter((v) => v !== "").length);
  const values: string[] = [];
  const from: number[] = [];
  rules.forEach((rule, f) => {
    const having = members.flatMap((m, i) => (m.values[f] === "" || m.values[f] === undefined ? [] : [i]));
    const value = (i: number): string => members[i]!.values[f]!;
    const best = (by: (a: number, b: number) => number): number =>
      having.reduce((kept, i) => (kept < 0 || by(i, kept) > 0 ? i : kept), -1);
    const choose = (): number => {
      switch (rule) {
        case "first":
          return having[0] ?? -1;
        case "last":
          return having.at(-1) ?? -1;
        case "recent":
          return best((a, b) => compareValues(members[a]!.recent ?? "", members[b]!.recent ?? ""));
        case "complete":
          return best((a, b) => filled[a]! - filled[b]!);
        case "most frequent": {
          const counts = new Map<string, number>();
          for (const i of having) counts.set(value(i), (counts.get(value(i)) ?? 0) + 1);
          return best((a, b) => counts.get(value(a))! - counts.get(value(b))!);
        }
        case "longest":
          return best((a, b) => value(a).length - value(b).length);
        case "greatest":
          return best((a, b) => compareValues(value(a), value(b)));
        case "least":
          return best((a, b) => compareValues(value(b), value(a)));
      }
    };
    const chosen = choose();
    values.push(chosen < 0 ? "" : value(chosen));
    from.push(chosen);
  });
  return { values, from };
}

/**
 * The kept record of a cluster by a plan's rules: of records as values by field, the first of them
 * the one that the others are put to, whose `key` is kept whatever the rules say.
 */
export function keepCluster(
  section: MatchSection,
  fields: readonly { readonly name: string }[],
  key: readonly string[],
  records: readonly (readonly string[])[],
): Kept {
  const recent = section.recent ? fields.findIndex((f) => f.name === section.recent) : -1;
  const members = records.map((values): Member => ({ values, recent: recent < 0 ? undefined : values[recent] }));
  const kept = keepRecord(members, keepRules(section, fields));
  fields.forEach((f, i) => {
    if (!key.includes(f.name)) return;
    kept.values[i] = records[0]![i]!;
    kept.from[i] = 0;
  });
  return kept;
}

/** Numbers by their size, all else by letters; "" before everything. */
function compareValues(a: string, b: string): number {
  if (a === b) return 0;
  if (a === "" || b === "") return a === "" ? -1 : 1;
  const [x, y] = [Number(a), Number(b)];
  if (Number.isFinite(x) && Number.isFinite(y)) return x - y;
  return a < b ? -1 : 1;
}
