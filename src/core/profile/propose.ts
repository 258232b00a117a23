import { mayBeKey, type ColumnProfile, type Profile } from "./facts.ts";
import type { Plan, ReadSection } from "../plan/document.ts";
import type { Field } from "../field/field.ts";
import { PLAN_FORMAT } from "../plan/types.ts";
import { counted, grouped, listed } from "../kernel/problem.ts";
import { typeOf } from "./propose-type.ts";
import { ENOUGH, type Because, type NewStep, type Reason } from "./reason.ts";

export interface Proposal {
  readonly plan: Plan;
  readonly reasons: readonly Reason[];
}

/** A name for a field from a column's: small letters, digits and underscores, none used before. */
export function fieldName(column: string, used: ReadonlySet<string>): string {
  let name = column
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .replace(/([a-z])([A-Z])/g, "$1_$2")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_+|_+$/g, "")
    .slice(0, 50);
  if (!/^[a-z]/.test(name)) name = name === "" ? "field" : `f_${name}`;
  let unique = name;
  for (let n = 2; used.has(unique) || unique === "it"; n++) unique = `${name}_${n}`;
  return unique;
}

/** The share of what is filled above which a word is no slip, whatever it says. */
const FREQUENT = 0.3;

/**
 * Whether words such as “None” can be taken for nothing: they are rare, and the others are numbers or days and no
 * words. A mark such as “?” is no word.
 */
function mayErase({ filled, types, nothing }: ColumnProfile, met: number): boolean {
  if (met > FREQUENT * (filled + met)) return false;
  if (nothing.every((w) => !/^\p{L}/u.test(w.value))) return true;
  const others = types.filter((t) => /^(integer|decimal|date|timestamp)/.test(t.type));
  return others.some((t) => t.fits >= filled * ENOUGH);
}

const percent = (share: number): string => `${(share * 100).toFixed(share < 0.01 ? 2 : 1)} %`;

/** The field that a column would make, named so that no other is; and what speaks for each part of it. */
export function proposeField(column: ColumnProfile, used: ReadonlySet<string>): { field: Field; reasons: Reason[] } {
  let reasons: Reason[] = [];
  const name = fieldName(column.name, used);
  const because: Because = (part, says, why, step, ask) => {
    reasons.push({ field: name, part, says, why, ...(step ? { step } : {}), ...(ask ? { ask } : {}) });
  };
  if (column.loose > 0 || column.blank > 0) {
    because(
      "cleanse",
      "trim the ends",
      `${grouped(column.loose + column.blank)} values have spaces at their ends or nothing else`,
      { do: "trim" },
    );
  }
  if (column.doubled > 0) {
    because(
      "cleanse",
      "collapse runs of spaces",
      `${grouped(column.doubled)} values have two spaces or more in a row`,
      { do: "collapse" },
    );
  }
  const written = column.nothing.map((w) => w.value);
  const words = written.filter((w, i) => written.findIndex((o) => o.toLowerCase() === w.toLowerCase()) === i);
  const met = column.nothing.reduce((n, w) => n + w.count, 0);
  const erase = mayErase(column, met);
  if (met > 0) {
    const share = percent(met / Math.max(1, column.filled + met));
    because(
      "cleanse",
      `${words.join(", ")} ${words.length === 1 ? "means" : "mean"} empty`,
      `met ${counted(met, "time")}, in ${share} of what is filled${erase ? "" : "; that may be a value, so it is not done unless you say so"}`,
      { do: "empty-words", words },
      erase ? undefined : true,
    );
  }
  const field: Field = { name, ...typeOf(column, because) };
  // Where they may be values they are among those that are allowed.
  if (!erase && met > 0 && field.values) {
    const values = [...new Set([...field.values, ...written])].sort();
    field.values = values;
    const all = grouped(column.filled + met);
    reasons = reasons.map((r): Reason => {
      if (r.part === "type") return { ...r, why: `${counted(values.length, "different value")} in ${all}` };
      if (r.part !== "values") return r;
      return { ...r, says: values.slice(0, 12).join(", "), why: `${r.why}, and ${written.join(", ")}` };
    });
  }
  if (column.name !== name) field.title = column.name;
  const filled = column.filled + (erase ? 0 : met);
  if (filled === column.records && column.records > 0) {
    field.required = true;
    because("required", "required", `filled in all ${grouped(column.records)} records`);
  }
  return { field, reasons };
}

/**
 * Proposes a contract from a profile: types, lengths, what is required, the key, limits, allowed
 * values and formats, and the steps that the data asks for; each with its evidence.
 */
export function propose(profile: Profile, of: { feed: string; read: ReadSection }): Proposal {
  const reasons: Reason[] = [];
  const used = new Set<string>();
  const steps = new Map<string, { step: NewStep; fields: string[] }>();
  const fields = profile.columns.map((column): Field => {
    const found = proposeField(column, used);
    used.add(found.field.name);
    reasons.push(...found.reasons);
    for (const { step } of found.reasons) {
      if (!step) continue;
      const key = JSON.stringify(step);
      const known = steps.get(key) ?? { step, fields: [] };
      known.fields.push(found.field.name);
      steps.set(key, known);
    }
    return found.field;
  });

  const key = keyOf(profile, fields, reasons);
  const plan: Plan = {
    format: PLAN_FORMAT,
    feed: of.feed,
    read: of.read,
    map: { extra: "note" },
    contract: { fields },
    cleanse: [...steps.values()].map(({ step, fields: where }) => ({
      ...step,
      in: where.length === fields.length ? "*" : where,
    })),
    check: [],
    load: { target: of.feed, key, mode: "append" },
    gates: [{ limit: "held share", over: 0.2 }, { limit: "nothing read" }, { limit: "required column missing" }],
  };
  return { plan, reasons };
}

/** The field, or the two or three fields together, that tell one record from another; none where nothing does. */
function keyOf(profile: Profile, fields: readonly Field[], reasons: Reason[]): string[] {
  const because = (field: Field, why: string): void => {
    field.required = true;
    reasons.push({ field: field.name, part: "key", says: "key", why });
  };
  const candidates = profile.columns
    .map((column, i) => ({ column, field: fields[i]! }))
    .filter(({ column, field }) => mayBeKey(column) && (field.type === "text" || field.type === "integer"));
  const best = candidates.find(({ column }) => column.repeats === 0) ?? candidates[0];
  if (best) {
    const { repeats, filled } = best.column;
    because(
      best.field,
      repeats === 0
        ? `no two of ${grouped(filled)} records have the same`
        : `${grouped(repeats!)} of ${grouped(filled)} records repeat an earlier one; they would be held`,
    );
    return [best.field.name];
  }
  const [together] = profile.keys ?? [];
  if (!together) return [];
  const own = together.columns.map((name) => fields[profile.columns.findIndex((c) => c.name === name)]!);
  const { records, repeats, empty, byChance } = together;
  const looked = records < profile.records ? `the first ${grouped(records)}` : grouped(records);
  const alike =
    repeats === 0
      ? `no two of ${looked} records have the same ${listed(own.map((f) => f.name))}`
      : `${grouped(repeats)} of ${looked} records repeat an earlier one’s ${listed(own.map((f) => f.name))}; they would be held`;
  const lacking = empty === 0 ? "" : `, and ${grouped(empty)} lack one of them`;
  for (const field of own) because(field, `${alike}${lacking}; by chance ${grouped(byChance)} pairs would be alike`);
  return own.map((f) => f.name);
}

/** The plan as it is proposed without a person: nothing is done that has to be asked. */
export function planOf(proposal: Proposal): Plan {
  return withoutReasons(proposal, new Set(proposal.reasons.filter((r) => r.ask)));
}

/** The plan without the lines of the proposal that a person does not want. */
export function withoutReasons(proposal: Proposal, rejected: ReadonlySet<Reason>): Plan {
  let { plan } = proposal;
  const setField = (name: string, change: (field: Field) => Field): void => {
    const fields = plan.contract.fields.map((f) => (f.name === name ? change(f) : f));
    plan = { ...plan, contract: { fields } };
  };
  const without =
    (...parts: (keyof Field)[]) =>
    (field: Field): Field =>
      Object.fromEntries(Object.entries(field).filter(([k]) => !parts.includes(k as keyof Field))) as unknown as Field;
  for (const { field, part, step } of rejected) {
    switch (part) {
      case "type":
      case "values":
      case "formats":
        setField(field, ({ name, title, required }) => ({
          name,
          type: "text",
          ...(title ? { title } : {}),
          ...(required ? { required } : {}),
        }));
        break;
      case "key":
        plan = { ...plan, load: { ...plan.load, key: [] } };
        break;
      case "cleanse": {
        const names = plan.contract.fields.map((f) => f.name);
        const same = JSON.stringify(step);
        plan = {
          ...plan,
          cleanse: plan.cleanse
            .map((s) => {
              const { in: where, ...rest } = s;
              if (JSON.stringify(rest) !== same) return s;
              return { ...s, in: (where === "*" ? names : where).filter((n) => n !== field) };
            })
            .filter((s) => s.in.length > 0),
        };
        break;
      }
      default:
        setField(field, without(part));
    }
  }
  // A key's fields are never empty, whatever was said of them alone.
  for (const name of plan.load.key) setField(name, (f) => ({ ...f, required: true }));
  return plan;
}
