import { Heap, emptyCells } from "../kernel/bytes.ts";
import { FormulaColumns } from "../formula/columns.ts";
import { compileFormula } from "../formula/compile.ts";
import type { NamedFormulas } from "../formula/named.ts";
import type { Field } from "../plan/types.ts";
import type { JoinedBy } from "./resolve.ts";
import { keepRules, type MatchSection, type Survivorship } from "./schema.ts";

/** A record of a cluster: its values by field, "" where it has none, and what it is ranked by. */
export interface Member {
  readonly values: readonly string[];
  /** Its value in the field that says which record is the more recent, "" where it has none. */
  readonly recent?: string | undefined;
  /** How much it is trusted, and how it is ranked: the more, the better. */
  readonly trust?: number | undefined;
  readonly rank?: number | undefined;
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
 * - `trusted`: of the member that is from whom the plan trusts most;
 * - `ranked`: of the member for which the plan's formula gives most;
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
        case "trusted":
          return best((a, b) => (members[a]!.trust ?? 0) - (members[b]!.trust ?? 0));
        case "ranked":
          return best((a, b) => (members[a]!.rank ?? -Infinity) - (members[b]!.rank ?? -Infinity) || 0);
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
  fields: readonly Field[],
  key: readonly string[],
  records: readonly (readonly string[])[],
  named?: NamedFormulas,
): Kept {
  const rank = section.rank === undefined ? null : rankOf(section.rank, fields, named);
  const trust = section.trust ? fields.findIndex((f) => f.name === section.trust!.field) : -1;
  const trusted = (value: string | undefined): number => {
    const at = section.trust!.order.indexOf(value ?? "");
    return at < 0 ? -section.trust!.order.length : -at;
  };
  const recent = section.recent ? fields.findIndex((f) => f.name === section.recent) : -1;
  const members = records.map((values): Member => ({
    values,
    recent: recent < 0 ? undefined : values[recent],
    trust: trust < 0 ? undefined : trusted(values[trust]),
    rank: rank?.(values),
  }));
  const kept = keepRecord(members, keepRules(section, fields));
  fields.forEach((f, i) => {
    if (!key.includes(f.name)) return;
    kept.values[i] = records[0]![i]!;
    kept.from[i] = 0;
  });
  return kept;
}

const ranks = new WeakMap<readonly Field[], Map<string, (values: readonly string[]) => number>>();

/** A formula as a rank of records: numbers and times by their size, true above false, what has no value last. */
function rankOf(
  source: string,
  fields: readonly Field[],
  named: NamedFormulas | undefined,
): (values: readonly string[]) => number {
  let known = ranks.get(fields);
  if (!known) ranks.set(fields, (known = new Map()));
  const made = known.get(source);
  if (made) return made;
  const formula = compileFormula(source, { fields, named });
  const columns = new FormulaColumns(formula);
  const rank = (values: readonly string[]): number => {
    const heap = new Heap(new Uint8Array(256), 0);
    const cells = values.map((value) => {
      const one = emptyCells(1);
      one.start[0] = heap.append(value);
      one.end[0] = heap.length;
      return one;
    });
    columns.read({ fields, heap, cells }, 1, true);
    try {
      const value = columns.value(0);
      return typeof value === "boolean"
        ? Number(value)
        : typeof value === "symbol" || value === null
          ? -Infinity
          : Number(value);
    } catch {
      return -Infinity;
    }
  };
  known.set(source, rank);
  return rank;
}

/** Numbers by their size, all else by letters; "" before everything. */
function compareValues(a: string, b: string): number {
  if (a === b) return 0;
  if (a === "" || b === "") return a === "" ? -1 : 1;
  const [x, y] = [Number(a), Number(b)];
  if (Number.isFinite(x) && Number.isFinite(y)) return x - y;
  return a < b ? -1 : 1;
}

/** Puts into what is kept by what it was joined, where the plan wants that in a field. */
export function withJoinedBy(
  section: Pick<MatchSection, "score_in" | "lead_in">,
  fields: readonly Pick<Field, "name" | "type">[],
  kept: Kept,
  by: JoinedBy | undefined,
): Kept {
  const put = (name: string | undefined, value: number | null): [number, string][] => {
    const f = fields.findIndex((field) => field.name === name);
    if (f < 0) return [];
    const whole = fields[f]!.type === "integer";
    return [[f, value === null ? "" : whole ? String(Math.round(value)) : value.toFixed(1)]];
  };
  const puts = new Map([...put(section.score_in, by?.score ?? null), ...put(section.lead_in, by?.lead ?? null)]);
  if (puts.size === 0) return kept;
  return {
    values: kept.values.map((v, f) => puts.get(f) ?? v),
    from: kept.from.map((n, f) => (puts.has(f) ? -1 : n)),
  };
}
