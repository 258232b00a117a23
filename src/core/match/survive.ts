import { Heap, emptyCells } from "../kernel/bytes.ts";
import { FormulaColumns } from "../formula/columns.ts";
import { compileFormula } from "../formula/compile.ts";
import type { NamedFormulas } from "../formula/named.ts";
import type { Field } from "../field/field.ts";
import type { JoinedBy } from "./resolve.ts";
import { survivorshipPart, type Survivorship } from "./keep/index.ts";
import type { Member } from "./keep/part.ts";
import { keepRules, type MatchSection } from "./schema.ts";

/** The kept record of a cluster: its values, and for each the number of the member that it came from; -1: none had one. */
export interface Kept {
  readonly values: string[];
  readonly from: number[];
}

/**
 * The kept record by a rule for each field. An empty value is never kept where another is there.
 * Where a rule leaves several, the earlier member's is kept.
 */
export function keepRecord(members: readonly Member[], rules: readonly Survivorship[]): Kept {
  const counted = members.map((m) => ({ ...m, filled: m.values.filter((v) => v !== "").length }));
  const values: string[] = [];
  const from: number[] = [];
  rules.forEach((rule, f) => {
    const having = members.flatMap((m, i) => (m.values[f] === "" || m.values[f] === undefined ? [] : [i]));
    const chosen = having.length === 0 ? -1 : survivorshipPart(rule).choose(having, counted, f);
    values.push(chosen < 0 ? "" : members[chosen]!.values[f]!);
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
