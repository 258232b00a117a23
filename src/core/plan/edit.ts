import { withFields } from "../gate/index.ts";
import { withoutArriving } from "./arriving.ts";
import { mapStepFormulas, stepFormulas, stepPart } from "../cleanse/index.ts";
import { lookUpFields, type LookUp } from "../lookup/schema.ts";
import { type MatchSection } from "../match/schema.ts";
import { namedIn, type NamedFormula, type NamedFormulas } from "../formula/named.ts";
import { namesIn, renameInFormula } from "../formula/names.ts";
import { renameInFurther, withoutFurtherField } from "./further-edit.ts";
import { namesInPartitions, renameInPartitions } from "../write/files/partition.ts";
import { withoutColumn } from "./own-table.ts";
import { goneFields, type Gone } from "./gone.ts";
import { isBetween, isUnique, type Plan } from "./document.ts";
import type { Step } from "./sections.ts";
import { formulasOf, speaksOf } from "./uses.ts";
import { betweenFields, betweenPart, type BetweenCheck } from "../check/between/index.ts";

/** The plan with the named formulas that it uses, as they are now, and no others. */
export function withNamed(plan: Plan, library: NamedFormulas): Plan {
  const known = { ...plan.formulas, ...library };
  // A parameter of the plan stands before a formula of the library that came by its name later.
  for (const { name } of plan.parameters ?? []) delete known[name];
  const used = new Set<string>();
  for (const { source } of formulasOf(plan)) namedIn(source, known, used);
  const { formulas: _, ...rest } = plan;
  if (used.size === 0) return plan.formulas ? rest : plan;
  const formulas = Object.fromEntries([...used].sort().map((n) => [n, known[n]!]));
  return { ...rest, formulas };
}

/** The plan with another version of a named formula that it has. */
export function withFormula(plan: Plan, name: string, formula: NamedFormula): Plan {
  return { ...plan, formulas: { ...plan.formulas, [name]: formula } };
}

/** The plan with a field called otherwise, wherever it is used. The old name stays a name of its column. */
export function renameField(plan: Plan, from: string, to: string): Plan {
  const follow = (names: readonly string[]): string[] => names.map((n) => (n === from ? to : n));
  const step = (s: Step): Step => {
    const next: Step = { ...s, in: s.in === "*" ? "*" : follow(s.in) };
    const part = stepPart(s.do);
    for (const o of part.fieldOptions ?? []) {
      const value = s[o];
      if (Array.isArray(value)) next[o] = follow(value as string[]);
      else if (value === from) next[o] = to;
    }
    return { ...next, ...mapStepFormulas(part, next, (source) => renameInFormula(source, from, to)) };
  };
  return {
    ...plan,
    contract: {
      fields: plan.contract.fields.map((f) =>
        f.name === from ? { ...f, name: to, also: [...new Set([...(f.also ?? []), from])] } : f,
      ),
    },
    cleanse: plan.cleanse.map(step),
    check: plan.check.map((c) => {
      if (isUnique(c)) return { ...c, in: follow(c.in) };
      const words = speaksOf(c.message, from) ? { message: c.message!.replaceAll(`{${from}}`, `{${to}}`) } : {};
      if (isBetween(c)) return { ...renameInBetween(c, follow), ...words };
      return { ...c, that: renameInFormula(c.that, from, to), ...(c.in ? { in: follow(c.in) } : {}), ...words };
    }),
    ...(plan.sender_field === undefined ? {} : { sender_field: follow([plan.sender_field])[0]! }),
    ...(plan.lookup ? { lookup: plan.lookup.map((l) => renameInLookUp(l, follow)) } : {}),
    ...(plan.match ? { match: renameInMatch(plan.match, follow, (source) => renameInFormula(source, from, to)) } : {}),
    load: {
      ...plan.load,
      key: follow(plan.load.key),
      ...(plan.load.gone ? { gone: renameInGone(plan.load.gone, follow) } : {}),
      ...(plan.load.slice === undefined ? {} : { slice: renameInPartitions(plan.load.slice, from, to) }),
      ...(plan.load.without ? { without: follow(plan.load.without) } : {}),
      ...(plan.load.indexes ? { indexes: plan.load.indexes.map(follow) } : {}),
      ...(plan.load.defaults ? { defaults: renameKeys(plan.load.defaults, follow) } : {}),
      ...renameInFurther(plan, from, to),
      ...(plan.load.arriving
        ? {
            arriving: Object.fromEntries(
              Object.entries(plan.load.arriving).map(([n, rule]) => [n === from ? to : n, rule]),
            ),
          }
        : {}),
    },
    gates: plan.gates.flatMap((g) => withFields(g, (n) => follow([n])[0]!) ?? []),
    ...inAfter(plan, from, to),
  };
}

/** What is done after a load, with a field under another name in the folders of its files; with null without it. */
function inAfter({ after }: Plan, from: string, to: string | null): Pick<Plan, "after"> {
  if (!after) return {};
  return {
    after: after.map((action) => {
      if (!("partition" in action) || action.partition === undefined || action.query) return action;
      const { partition, ...others } = action;
      const next = renameInPartitions(partition, from, to);
      return next === "" ? others : { ...others, partition: next };
    }),
  };
}

type Follow = (names: readonly string[]) => string[];

function renameInGone(gone: Gone, follow: Follow): Gone {
  return {
    ...gone,
    ...(gone.do === "mark" ? { field: follow([gone.field])[0]! } : {}),
    ...(gone.within ? { within: follow(gone.within) } : {}),
  };
}

function renameKeys<T>(record: Readonly<Record<string, T>>, follow: Follow): Record<string, T> {
  return Object.fromEntries(Object.entries(record).map(([name, value]) => [follow([name])[0]!, value]));
}

function renameInBetween(c: BetweenCheck, follow: Follow): BetweenCheck {
  const next = { ...c };
  for (const o of betweenPart(c.check).fieldOptions) {
    if (Array.isArray(c[o])) next[o] = follow(c[o] as string[]);
    else if (typeof c[o] === "string") next[o] = follow([c[o]])[0];
  }
  return next;
}

function renameInLookUp(l: LookUp, follow: Follow): LookUp {
  const one = (name: string): string => follow([name])[0]!;
  return {
    ...l,
    bring: renameKeys(l.bring, follow),
    ...(l.by ? { by: l.by.map((b) => ({ ...b, field: one(b.field) })) } : {}),
    ...(l.how === "range" ? { field: one(l.field) } : {}),
    ...(l.on ? { on: one(l.on) } : {}),
    ...(l.default ? { default: renameKeys(l.default, follow) } : {}),
    ...(l.how === "scored" && l.score_in ? { score_in: one(l.score_in) } : {}),
    ...(l.how === "scored" && l.lead_in ? { lead_in: one(l.lead_in) } : {}),
  } as LookUp;
}

function renameInMatch(match: MatchSection, follow: Follow, rename: (source: string) => string): MatchSection {
  return {
    ...match,
    fields: match.fields.map((f) => ({ ...f, in: follow(f.in) })),
    ...(match.recent ? { recent: follow([match.recent])[0]! } : {}),
    ...(match.score_in ? { score_in: follow([match.score_in])[0]! } : {}),
    ...(match.lead_in ? { lead_in: follow([match.lead_in])[0]! } : {}),
    ...(match.trust ? { trust: { ...match.trust, field: follow([match.trust.field])[0]! } } : {}),
    ...(match.list?.columns
      ? {
          list: {
            ...match.list,
            columns: Object.fromEntries(Object.entries(match.list.columns).map(([c, f]) => [c, follow([f])[0]!])),
          },
        }
      : {}),
    ...(match.rank === undefined ? {} : { rank: rename(match.rank) }),
    ...(match.keep ? { keep: renameKeys(match.keep, follow) } : {}),
  };
}

/** A look-up without a field that it fills; nothing of one that asks by it. */
function removeFromLookUp(l: LookUp, name: string): LookUp[] {
  if (lookUpFields(l).asks.includes(name)) return [];
  const without = <T>(record: Readonly<Record<string, T>>): Record<string, T> =>
    Object.fromEntries(Object.entries(record).filter(([key]) => key !== name));
  const own = { bring: without(l.bring), ...(l.default ? { default: without(l.default) } : {}) };
  if (l.how !== "scored") return [{ ...l, ...own }];
  const { score_in, lead_in, ...others } = l;
  const kept = {
    ...(score_in !== undefined && score_in !== name ? { score_in } : {}),
    ...(lead_in !== undefined && lead_in !== name ? { lead_in } : {}),
  };
  return [{ ...others, ...own, ...kept }];
}

function removeFromMatch(match: MatchSection, name: string): MatchSection | null {
  const fields = match.fields.flatMap((f) => {
    const rest = f.in.filter((n) => n !== name);
    return rest.length > 0 ? [{ ...f, in: rest }] : [];
  });
  if (fields.length === 0) return null;
  const { recent, keep, trust, rank, list, score_in, lead_in, ...others } = match;
  const trusted = trust && trust.field !== name ? { trust } : {};
  const ranked = rank !== undefined && !namesIn(rank).includes(name) ? { rank } : {};
  const lost = [
    ...(trust && !("trust" in trusted) ? ["trusted"] : []),
    ...(rank && !("rank" in ranked) ? ["ranked"] : []),
  ];
  const kept = Object.fromEntries(
    Object.entries(keep ?? {}).filter(([key, rule]) => key !== name && !lost.includes(rule)),
  );
  const columns = Object.fromEntries(Object.entries(list?.columns ?? {}).filter(([, field]) => field !== name));
  return {
    ...others,
    fields,
    ...(list ? { list: { name: list.name, ...(Object.keys(columns).length > 0 ? { columns } : {}) } } : {}),
    ...(recent && recent !== name ? { recent } : {}),
    ...(score_in && score_in !== name ? { score_in } : {}),
    ...(lead_in && lead_in !== name ? { lead_in } : {}),
    ...trusted,
    ...ranked,
    ...(Object.keys(kept).length > 0 ? { keep: kept } : {}),
  };
}

/** The plan without a field, and without the steps and checks that can't be without it. */
export function removeField(plan: Plan, name: string): Plan {
  const cleanse = plan.cleanse.flatMap((s): Step[] => {
    const part = stepPart(s.do);
    if (stepFormulas(part, s).some((f) => namesIn(f.source).includes(name))) return [];
    const next: Step = { ...s };
    for (const o of part.fieldOptions ?? []) {
      if (s[o] === name) return [];
      if (Array.isArray(s[o])) {
        const rest = (s[o] as string[]).filter((n) => n !== name);
        if (rest.length === 0) return [];
        next[o] = rest;
      }
    }
    if (s.in === "*") return [next];
    const rest = s.in.filter((n) => n !== name);
    if (rest.length > 0) return [{ ...next, in: rest }];
    // What it leaves out is said by its formula alone.
    return part.leavesOut ? [{ ...next, in: "*" }] : [];
  });
  const check = plan.check.flatMap((c): Plan["check"] => {
    // Without one of its fields a check between records is another one, or none.
    if (isBetween(c)) return betweenFields(c).includes(name) ? [] : [c];
    if (isUnique(c)) {
      const rest = c.in.filter((n) => n !== name);
      return rest.length > 1 ? [{ ...c, in: rest }] : [];
    }
    if (namesIn(c.that).includes(name)) return [];
    if (!c.in) return [c];
    const rest = c.in.filter((n) => n !== name);
    return rest.length > 0 ? [{ ...c, in: rest }] : [];
  });
  const { lookup, match, sender_field: whose, ...others } = plan;
  const lookUps = (lookup ?? []).flatMap((l) => removeFromLookUp(l, name));
  const compared = match ? removeFromMatch(match, name) : null;
  const { gone, further: _, taken_from: __, slice, indexes, defaults, without, ...load } = plan.load;
  const beside = without?.filter((n) => n !== name) ?? [];
  const key = load.key.filter((n) => n !== name);
  // Without a field that says which rows are looked for, others would be.
  const still = gone && key.length > 0 && !goneFields(gone).some((f) => f.name === name);
  // Nor is all replaced where a slice of it was.
  const sliced =
    slice === undefined ? {} : namesInPartitions(slice).includes(name) ? { mode: "append" as const } : { slice };
  return {
    ...others,
    ...(whose === undefined || whose === name ? {} : { sender_field: whose }),
    ...inAfter(plan, name, null),
    ...(lookUps.length > 0 ? { lookup: lookUps } : {}),
    ...(compared ? { match: compared } : {}),
    contract: { fields: plan.contract.fields.filter((f) => f.name !== name) },
    cleanse,
    check,
    load: withoutArriving(
      {
        ...load,
        ...sliced,
        key,
        ...(beside.length > 0 ? { without: beside } : {}),
        ...withoutColumn({ indexes, defaults }, name),
        ...(still ? { gone } : {}),
        ...withoutFurtherField(plan, name),
      },
      [name],
    ),
    gates: plan.gates.flatMap((g) => withFields(g, (n) => (n === name ? null : n)) ?? []),
  };
}

/**
 * Steps of another plan, as far as they fit this one: without the fields that it does not have.
 * `left` says of those that don't fit why.
 */
export function fitSteps(plan: Plan, steps: readonly Step[]): { steps: Step[]; left: string[] } {
  const known = new Set(plan.contract.fields.map((f) => f.name));
  const left: string[] = [];
  const fit = steps.flatMap((step): Step[] => {
    const part = stepPart(step.do);
    const title = part.title.toLowerCase();
    const asked = (part.fieldOptions ?? []).flatMap((o) => [step[o] ?? []].flat() as string[]);
    const inFormula = stepFormulas(part, step).flatMap((f) => namesIn(f.source));
    const own = step.in === "*" ? "*" : step.in.filter((n) => known.has(n));
    const lacks = [...asked, ...inFormula.filter((n) => n !== "it")].find((n) => !known.has(n));
    if (lacks !== undefined) left.push(`${title}, for there is no field ${lacks}`);
    else if (own.length === 0) left.push(`${title}, for there is no field ${(step.in as string[]).join(", ")}`);
    else return [{ ...step, in: own }];
    return [];
  });
  return { steps: fit, left };
}
