import { printCheck } from "../check/identity.ts";
import type { Compiled, Problem } from "../course/compiled.ts";
import { recheck } from "../course/recheck.ts";
import { counted } from "../kernel/problem.ts";
import { isNothingWord } from "../profile/nothing-words.ts";
import { ideaMakers } from "./ideas/index.ts";
import type { Idea, WrongValue } from "./ideas/part.ts";
import { knownOf, type KnownValue } from "./known.ts";
import type { MendMade } from "./remembered.ts";
import { swapOf } from "./swapped.ts";

/** A held record as mends are looked for: its values by field as they would be checked. */
export interface ToMend {
  readonly id: string;
  readonly load: number;
  readonly values: readonly string[];
  readonly problems: readonly Pick<Problem, "check" | "field">[];
}

/** One value that stands in place of another. */
export interface MendedValue {
  readonly field: string;
  readonly from: string;
  readonly to: string;
}

/** Values that could stand in place of others, and what would come of it. */
export interface Mend {
  /** The field that is wrong first; another where its value belongs to that. */
  readonly sets: readonly [MendedValue, ...MendedValue[]];
  /** Why it is thought of, in a few words. */
  readonly because: string;
  /** Records that have the values; those of them that would pass all checks with the others. */
  readonly records: readonly string[];
  readonly releases: number;
}

/** What a value has been mended to before, where that was always the same. */
function asBefore(field: string, value: string, made: readonly MendMade[]): Idea[] {
  const own = made.filter((m) => m.field === field && m.from === value);
  if (own.length !== 1) return [];
  return [{ to: own[0]!.to, because: `mended so in ${counted(own[0]!.records, "record")} before` }];
}

/** Records by what a function gives of them; those of which it gives nothing are left out. */
function grouped(records: Iterable<ToMend>, by: (r: ToMend) => string | null): Map<string, ToMend[]> {
  const groups = new Map<string, ToMend[]>();
  for (const r of records) {
    const key = by(r);
    if (key === null) continue;
    const list = groups.get(key);
    if (list) list.push(r);
    else groups.set(key, [r]);
  }
  return groups;
}

/** Of ideas in their order, the first that would pass, unless one that contradicts it would as well. */
function firstOf(ideas: readonly Idea[], passes: (to: string) => boolean): Idea | null {
  const tried = new Map<string, boolean>();
  const ok = (to: string): boolean => {
    if (!tried.has(to)) tried.set(to, passes(to));
    return tried.get(to)!;
  };
  for (const idea of ideas) {
    if (!ok(idea.to)) continue;
    const rivals = ideas.filter((o) => idea.eitherOf !== undefined && o.eitherOf === idea.eitherOf && o.to !== idea.to);
    if (rivals.some((o) => ok(o.to))) return null;
    return idea;
  }
  return null;
}

/** What mends are looked for in. */
interface Sought {
  readonly compiled: Compiled;
  readonly check: string;
  /** Place of the field that the check is about. */
  readonly f: number;
}

/**
 * Mends for the values of a field that fail a check, the one that releases most records first. Each is
 * tried on every record that has the value, by the same checks that a release makes; one that mends
 * nothing is not given, nor one that another contradicts. `check`: the key of the check that the records share; `made`:
 * mends that people have made before; `known`: what rows of the target say of the field.
 */
export function suggestMends(
  compiled: Compiled,
  check: string,
  records: readonly ToMend[],
  {
    most = 8,
    made = [],
    known = [],
  }: { most?: number; made?: readonly MendMade[]; known?: readonly KnownValue[] } = {},
): Mend[] {
  const own = compiled.checks.find((c) => c.key === check);
  // Only what one value alone makes wrong can be tried on it.
  if (!own || !(own.kind === "cell" || (own.kind === "rule" && own.rule.it >= 0))) return [];
  const sought: Sought = { compiled, check, f: own.fields[0]! };
  const mends: Mend[] = [];
  let left = records.filter((r) => r.problems.some((p) => p.check === check));
  for (const find of [exchanged, byTheirValue(made), byOtherFields(known)]) {
    const found = find(sought, left);
    const mended = new Set(found.flatMap((m) => m.records));
    left = left.filter((r) => !mended.has(r.id));
    mends.push(...found);
  }
  return mends
    .sort(
      (a, b) =>
        b.releases - a.releases || b.records.length - a.records.length || (a.sets[0].from < b.sets[0].from ? -1 : 1),
    )
    .slice(0, most);
}

/** Values that stand in each other's place: both are wrong, so that neither says what was meant by it. */
function exchanged({ compiled, f }: Sought, records: readonly ToMend[]): Mend[] {
  const swaps = new Map(records.map((r) => [r, r.values[f] === "" ? null : swapOf(compiled, f, r)]));
  const alike = grouped(records, (r) => {
    const other = swaps.get(r)!;
    return other === null ? null : JSON.stringify([other, r.values[f], r.values[other]]);
  });
  return [...alike.values()].map((having) => {
    const other = swaps.get(having[0]!)!;
    const [name, place] = [compiled.fields[f]!.name, compiled.fields[other]!.name];
    const [a, b] = [having[0]!.values[f]!, having[0]!.values[other]!];
    return {
      sets: [
        { field: name, from: a, to: b },
        { field: place, from: b, to: a },
      ],
      because: `exchanged with ${place}`,
      records: having.map((r) => r.id),
      releases: having.length,
    };
  });
}

/** What each value could have been meant as. */
const byTheirValue =
  (made: readonly MendMade[]) =>
  (sought: Sought, records: readonly ToMend[]): Mend[] => {
    const { compiled, f } = sought;
    const field = compiled.fields[f]!;
    const byValue = grouped(records, (r) => (r.values[f] === "" ? null : r.values[f]!));
    const values: WrongValue[] = [...byValue].map(([value, having]) => ({
      value,
      loads: [...new Set(having.map((r) => r.load))],
    }));
    const formats = compiled.readAs[f]!.formats ?? [];
    const makers = ideaMakers(field).map((make) => make({ field, formats, values }));
    return values.flatMap((value) => {
      const having = byValue.get(value.value)!;
      // A word that says that nothing is known is no slip for anything.
      const thoughtOf =
        isNothingWord(value.value) && field.type !== "boolean" ? [] : makers.flatMap((of) => [...of(value)]);
      const ideas = [...asBefore(field.name, value.value, made), ...thoughtOf];
      const idea = firstOf(
        ideas.filter((i) => i.to !== value.value && i.to !== ""),
        (to) => mends(sought, having[0]!, to),
      );
      return idea ? [mendOf(sought, having, idea)] : [];
    });
  };

/** What the target's rows say of records by their other fields. */
const byOtherFields =
  (known: readonly KnownValue[]) =>
  (sought: Sought, records: readonly ToMend[]): Mend[] => {
    if (known.length === 0) return [];
    const { compiled, f } = sought;
    const place = new Map(compiled.fields.map((field, i) => [field.name, i]));
    const of = new Map(records.map((r) => [r, knownOf(known, (field) => r.values[place.get(field)!] ?? "")]));
    const alike = grouped(records, (r) => {
      const idea = of.get(r)!;
      return idea === null ? null : JSON.stringify([r.values[f], idea.to, idea.because]);
    });
    return [...alike.values()].flatMap((having) => {
      const idea = of.get(having[0]!)!;
      return mends(sought, having[0]!, idea.to) ? [mendOf(sought, having, idea)] : [];
    });
  };

const withValue = ({ compiled, f }: Sought, r: ToMend, to: string) =>
  recheck(
    compiled,
    r.values.map((v, i) => (i === f ? to : v)),
  );

/** Whether a value mends what is wrong with a record here, whatever else is wrong with it. */
function mends(sought: Sought, record: ToMend, to: string): boolean {
  const ofType = printCheck({ kind: "field", fields: [sought.compiled.fields[sought.f]!.name], check: "type" });
  return !withValue(sought, record, to).problems.some((p) => p.check === sought.check || p.check === ofType);
}

/** The mend of records that have the same value. */
function mendOf(sought: Sought, having: readonly ToMend[], { to, because }: Pick<Idea, "to" | "because">): Mend {
  const [name, from] = [sought.compiled.fields[sought.f]!.name, having[0]!.values[sought.f]!];
  return {
    sets: [{ field: name, from, to }],
    because,
    records: having.map((r) => r.id),
    releases: having.filter((r) => withValue(sought, r, to).passes).length,
  };
}
