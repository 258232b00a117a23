import { namesIn, renameInFormula } from "../formula/names.ts";
import type { Plan } from "./document.ts";
import type { Further, FurtherField } from "./further-schema.ts";
import { withoutColumn, type OwnTable } from "./own-table.ts";
import { fieldBehind, furtherFields } from "./further.ts";
import type { Run } from "./parameters.ts";

/** What further targets of a plan use a field for, in words. */
export function furtherUses({ load }: Plan, name: string): string[] {
  const uses = (load.further ?? []).flatMap((f): string[] => [
    ...(f.fields ?? []).flatMap((c) => (fieldBehind(c) === name ? [`${f.target}.${c.name}`] : [])),
    ...(f.each === name ? [`each of its values makes a row of ${f.target}`] : []),
    ...(f.where !== undefined && namesIn(f.where).includes(name) ? [`says what goes to ${f.target}`] : []),
  ]);
  const taken = (load.taken_from ?? []).flatMap((t) =>
    t.field === name ? [`has ${t.from.column} of ${t.from.target}`] : [],
  );
  return [...uses, ...taken];
}

/**
 * Tables that some further targets hand a value to, of those that are still written without them: what can't be written
 * in a run that does without those.
 */
export function handedBy({ load }: Plan, targets: readonly string[]): string[] {
  const from = (target: string): boolean => targets.includes(target);
  return [
    ...((load.taken_from ?? []).some((t) => from(t.from.target)) ? [load.target] : []),
    ...(load.further ?? []).flatMap((f) =>
      !from(f.target) && (f.fields ?? []).some((c) => c.handed && from(c.handed.target)) ? [f.target] : [],
    ),
  ];
}

/** The plan without the further targets that get nothing in a run. */
export function withoutTargets<P extends { load: Plan["load"] }>(plan: P, targets: Run["targets"] = {}): P {
  const { further, ...load } = plan.load;
  const left = further?.filter((f) => !Object.hasOwn(targets, f.target));
  if (!further || left!.length === further.length) return plan;
  return { ...plan, load: { ...load, ...(left!.length > 0 ? { further: left } : {}) } };
}

type Loading = Pick<Plan["load"], "further" | "taken_from">;

/** The further targets of a plan whose field is called otherwise: columns that have it keep their names. */
export function renameInFurther(plan: Plan, from: string, to: string): Loading {
  const { load } = plan;
  const one = (name: string): string => (name === from ? to : name);
  // What the plan's own target hands on has the name of its column, which is the field's.
  const handed = <H extends { target: string; column: string }>(h: H): H =>
    h.target === load.target ? { ...h, column: one(h.column) } : h;
  const column = (c: FurtherField): FurtherField => {
    if (c.handed) return { ...c, handed: handed(c.handed) };
    return fieldBehind(c) === from ? { ...c, of: to } : c;
  };
  const further = load.further?.map((f): Further => {
    // A table that has all fields has their names; its columns stay as they are called.
    const all = f.fields ?? furtherFields(plan, f);
    return {
      ...f,
      fields: all.map(column),
      ...(f.each === undefined ? {} : { each: one(f.each) }),
      ...(f.where === undefined ? {} : { where: renameInFormula(f.where, from, to) }),
    };
  });
  const taken = load.taken_from?.map((t) => ({ ...t, field: one(t.field) }));
  return { ...(further ? { further } : {}), ...(taken ? { taken_from: taken } : {}) };
}

/** The further targets of a plan without a field: those that can't be without it go, and what they would hand on. */
export function withoutFurtherField(plan: Plan, name: string): Loading {
  const { load } = plan;
  let left = (load.further ?? []).flatMap((f): Further[] => {
    if (f.each === name || (f.where !== undefined && namesIn(f.where).includes(name))) return [];
    const lost = furtherFields(plan, f).filter((c) => fieldBehind(c) === name);
    if (lost.some((c) => f.key.includes(c.name))) return [];
    const { indexes, defaults, ...others } = f;
    const table = lost.reduce((have, c) => withoutColumn(have, c.name), { indexes, defaults } as OwnTable);
    const less: Further = { ...others, ...table };
    if (!f.fields) return [less];
    const fields = f.fields.filter((c) => !lost.includes(c));
    return fields.length > 0 ? [{ ...less, fields }] : [];
  });
  const there = (target: string): boolean => target === load.target || left.some((f) => f.target === target);
  for (let before = -1; before !== left.length;) {
    before = left.length;
    left = left.filter((f) => !(f.fields ?? []).some((c) => c.handed && !there(c.handed.target)));
  }
  const taken = (load.taken_from ?? []).filter((t) => t.field !== name && there(t.from.target));
  return { ...(left.length > 0 ? { further: left } : {}), ...(taken.length > 0 ? { taken_from: taken } : {}) };
}
