import { ALL_FIELDS } from "./arriving.ts";
import { counted, grouped } from "../kernel/problem.ts";
import type { Plan } from "./document.ts";
import type { Further, FurtherField, Handed, Valid } from "./further-schema.ts";
import type { Field } from "../field/field.ts";
import { ownTableFaults } from "./own-table.ts";

/**
 * Further targets: tables that a load writes beside the plan's own, in the same transaction. Each is written by a plan of
 * its own that is made here, over rows that are made of the records which the load accepts.
 */

/** The plan's further targets in the order in which they are written: those before its own target, then those after it. */
export function furtherOf({ load }: Plan): Further[] {
  const all = load.further ?? [];
  return [...all.filter((f) => f.turn === "before"), ...all.filter((f) => f.turn === "after")];
}

/** Its columns, each with the field of the record that it has; all fields of the contract where the plan names none. */
export function furtherFields(plan: Plan, { fields }: Further): FurtherField[] {
  return fields ?? plan.contract.fields.map(({ name }) => ({ name }));
}

/** The field of the record that a column has; undefined for a count of records, and where another table hands it on. */
export function fieldBehind({ name, of, takes, handed }: FurtherField): string | undefined {
  if (handed || (takes === "count" && of === undefined)) return undefined;
  return of ?? name;
}

/** Digits of a sum. */
const SUM_DIGITS = 38;

/** What a column of a further target is, as a field. */
function columnField(plan: Plan, further: Further, column: FurtherField): Field {
  const { name, takes, handed } = column;
  if (handed) return handedField(plan, name, handed);
  const behind = plan.contract.fields.find((f) => f.name === fieldBehind(column));
  if (takes === "count" || !behind) return { name, type: "integer" };
  if (takes === "sum")
    return { name, type: "decimal", precision: SUM_DIGITS, scale: behind.type === "decimal" ? (behind.scale ?? 0) : 0 };
  const inList = further.each === behind.name;
  const { also: _, unique: __, required, ...rest } = behind;
  if (inList) {
    const of = behind.of ?? "text";
    return of === "decimal" ? { name, type: "decimal", precision: SUM_DIGITS, scale: 10 } : { name, type: of };
  }
  const every = further.rows === "record" && required === true;
  return { ...rest, name, ...(every ? { required } : {}) };
}

/** A column that has what a table hands on, as a field. */
function handedField(plan: Plan, name: string, { target, column, type }: Handed): Field {
  const plain: Field = { name, type: type ?? "integer" };
  if (type) return plain;
  const from = plan.load.further?.find((f) => f.target === target);
  const own = from && furtherFields(plan, from).find((f) => f.name === column);
  const field =
    target === plan.load.target
      ? plan.contract.fields.find((f) => f.name === column)
      : own && !own.handed
        ? columnField(plan, from, own)
        : undefined;
  if (!field) return plain;
  // There may be no row to hand it on.
  const { also: _, unique: __, required: ___, ...rest } = field;
  return { ...rest, name };
}

/** The columns of a history that say when a row holds; null where it keeps none. */
export function validOf({ mode, valid }: Further): Valid | null {
  return mode === "history" ? (valid ?? { from: "valid_from", until: "valid_until" }) : null;
}

/** The plan by which a further target is written: its columns, its key and how, and nothing of the course before it. */
export function furtherPlan(plan: Plan, further: Further): Plan {
  const { target, schema, mode } = further;
  const valid = validOf(further);
  const days: Field[] = valid
    ? [
        { name: valid.from, type: "date", required: true },
        { name: valid.until, type: "date" },
      ]
    : [];
  return {
    format: plan.format,
    feed: plan.feed,
    read: plan.read,
    map: { extra: "leave" },
    contract: { fields: [...furtherFields(plan, further).map((f) => columnField(plan, further, f)), ...days] },
    cleanse: [],
    check: [],
    load: {
      target,
      ...(schema === undefined ? {} : { schema }),
      key: valid ? [...further.key, valid.from] : further.key,
      mode: mode === "append" || mode === "replace" ? mode : "upsert",
      ...(plan.load.undo === undefined ? {} : { undo: plan.load.undo }),
      ...arrivingThere(plan, further),
      ...(further.numbered === undefined ? {} : { numbered: further.numbered }),
      ...(further.copies === undefined ? {} : { copies: further.copies }),
      ...(further.indexes === undefined ? {} : { indexes: further.indexes }),
      ...(further.defaults === undefined ? {} : { defaults: further.defaults }),
      ...(plan.load.comments === undefined ? {} : { comments: plan.load.comments }),
    },
    gates: [],
  };
}

/** What arriving cells may do there: as the plan has it for the fields behind the columns, where each record makes a row. */
function arrivingThere(plan: Plan, further: Further): Pick<Plan["load"], "arriving"> {
  const { arriving } = plan.load;
  if (!arriving || further.rows === "key" || further.each !== undefined) return {};
  const own = furtherFields(plan, further).flatMap((c) => {
    const behind = fieldBehind(c);
    const rule = behind === undefined || further.key.includes(c.name) ? undefined : arriving[behind];
    return rule ? [[c.name, rule] as const] : [];
  });
  const all = arriving[ALL_FIELDS];
  return { arriving: { ...(all ? { [ALL_FIELDS]: all } : {}), ...Object.fromEntries(own) } };
}

/** The plans by which a plan's targets are written: its own, then those of its further ones in their order. */
export function targetPlans(plan: Plan): Plan[] {
  return [plan, ...furtherOf(plan).map((f) => furtherPlan(plan, f))];
}

/** Whether records say which further targets they go to. */
export function hasFilters(plan: Plan): boolean {
  return (plan.load.further ?? []).some((f) => f.where !== undefined);
}

/** What it is, in words. */
export function furtherWords(further: Further): string {
  const { rows, each, where, key, mode } = further;
  const what =
    rows === "key"
      ? `one row for each ${key.join(" and ")}`
      : each === undefined
        ? "a row for each record"
        : `a row for each of ${each}`;
  const how = mode === "history" ? "each change kept as a row of its own" : mode;
  return `${what}, ${how}${where === undefined ? "" : `, only where ${where}`}`;
}

/** How the rows of a further target came about in one load: records = left by the filter + without a row + those that gave rows. */
export interface FurtherCounts {
  /** Its name, with the schema. */
  readonly target: string;
  readonly words: string;
  /** Records that the load accepted. */
  readonly records: number;
  /** Records of which the filter is not true. */
  readonly filtered: number;
  /** Records that give no row: nothing in the key, no entry in the list. */
  readonly none: number;
  readonly sent: number;
  /** Rows that were made of them. */
  readonly rows: number;
  readonly inserted: number;
  readonly updated: number;
  readonly unchanged: number;
  /** Rows that were not written, as the mode has it: those that are there, or those that are not. */
  readonly left: number;
}

/** Throws where a balance does not close. */
export function assertFurther(c: FurtherCounts): void {
  const written = c.inserted + c.updated + c.unchanged + c.left;
  if (c.records === c.filtered + c.none + c.sent && c.rows === written) return;
  throw new Error(`the balance of ${c.target} does not close: ${JSON.stringify(c)}`);
}

/** The plan's own further targets that are sound, or what is wrong with one of them: where in it, and words. */
export function furtherFaults(plan: Plan, further: Further, at: number): { at: string; message: string }[] {
  const faults: { at: string; message: string }[] = [];
  const fail = (where: string, message: string): void => void faults.push({ at: where, message });
  const { target, schema, key, mode, rows, each, numbered } = further;
  const fields = furtherFields(plan, further);
  const names = fields.map((f) => f.name);
  const field = (name: string): Field | undefined => plan.contract.fields.find((f) => f.name === name);
  const others = [plan.load, ...(plan.load.further ?? []).slice(0, at)];
  if (others.some((o) => o.target === target && o.schema === schema)) fail("target", `${target} is written already.`);
  if (names.some((n, i) => names.indexOf(n) < i)) fail("fields", "Two columns have the same name.");
  for (const n of key) if (!names.includes(n)) fail("key", `There is no column ${n}.`);
  if (mode !== "append" && mode !== "replace" && key.length === 0) fail("key", `The mode ${mode} needs a key.`);
  if ((rows === "key" || each !== undefined) && key.length === 0)
    fail("key", "Where records and rows are not one to one, a key tells the rows.");
  if (mode === "replace" && schema !== undefined)
    fail("mode", "A table that was there before is not emptied: append to it, or upsert.");
  if (each !== undefined && field(each)?.type !== "list") fail("each", `${each} is no field of the type list.`);
  const valid = validOf(further);
  if (further.valid && !valid)
    fail("valid", "Only a history has columns of the days from and until which a row holds.");
  if (valid && (names.includes(valid.from) || names.includes(valid.until) || valid.from === valid.until))
    fail("valid", "The days from and until which a row holds are two columns of their own.");
  if (numbered !== undefined && (schema !== undefined || names.includes(numbered)))
    fail("numbered", "Only a table that Good Sieve makes gets a column of numbers, beside its other columns.");
  const columns = furtherPlan(plan, further).contract.fields;
  const known = (at: string, list: readonly string[]): void => {
    for (const n of list) if (!columns.some((c) => c.name === n)) fail(at, `There is no column ${n}.`);
  };
  known("indexes", (further.indexes ?? []).flat());
  known("defaults", Object.keys(further.defaults ?? {}));
  for (const { at: where, message } of ownTableFaults(further, (n) => columns.find((c) => c.name === n)))
    fail(where, message);
  for (const f of fields) {
    const behind = fieldBehind(f);
    const own = behind === undefined ? undefined : field(behind);
    if (behind !== undefined && !own) fail("fields", `There is no field ${behind}.`);
    if (f.takes !== undefined && rows !== "key")
      fail("fields", `${f.name} says what it takes of many records, and each makes its own row.`);
    if (f.takes !== undefined && key.includes(f.name))
      fail("fields", `${f.name} is of the key, which its records have in common.`);
    if (f.takes === "sum" && own && own.type !== "integer" && own.type !== "decimal")
      fail("fields", `${behind} is no number, so it has no sum.`);
    if ((f.takes === "least" || f.takes === "most") && own && !ORDERED.has(own.type))
      fail("fields", `The type ${own.type} has no least and no most.`);
    if (f.handed) {
      const message = handedFault(plan, f.handed, { turn: further.turn, at, each });
      if (message) fail("fields", message);
    }
  }
  return faults;
}

const ORDERED: ReadonlySet<string> = new Set(["text", "code", "integer", "decimal", "date", "time", "timestamp"]);

/** What is wrong with a value that another table hands on to one that is written in its turn, or null. */
export function handedFault(
  plan: Plan,
  { target, column }: Handed,
  to: { readonly turn: Further["turn"] | "own"; readonly at: number; readonly each?: string | undefined },
): string | null {
  const list = plan.load.further ?? [];
  if (target === plan.load.target) {
    if (to.turn !== "after") return `${target} is written later, so it has no key to hand on yet.`;
    if (plan.load.without?.includes(column)) return `${target} has no column ${column}: the plan leaves it out.`;
    return plan.load.key.length > 0 ? null : `${target} has no key by which a row is found.`;
  }
  const at = list.findIndex((f) => f.target === target);
  const from = list[at];
  if (!from) return `There is no target ${target} that could hand on a value.`;
  const earlier =
    to.turn === "own"
      ? from.turn === "before"
      : from.turn === to.turn
        ? at < to.at
        : from.turn === "before" && to.turn === "after";
  if (!earlier) return `${target} is written later, so it has no key to hand on yet.`;
  if (from.key.length === 0) return `${target} has no key by which a row is found.`;
  for (const name of from.key) {
    const column = furtherFields(plan, from).find((f) => f.name === name);
    if (column?.handed) return `The key of ${target} is handed on itself, so a record does not have it.`;
    if (column && from.each !== undefined && fieldBehind(column) === from.each && to.each !== from.each)
      return `The key of ${target} is a value of the list ${from.each}, of which a record may have many.`;
  }
  return null;
}

/** The same in a line: “target.collector: 203 rows of 493 records = 200 inserted + 3 updated”. */
export function furtherLine(c: FurtherCounts, would = ""): string {
  const became = (["inserted", "updated", "unchanged", "left"] as const)
    .filter((o) => c[o] > 0)
    .map((o) => `${grouped(c[o])} ${would}${o}`);
  const passed = [
    ...(c.filtered > 0 ? [`${grouped(c.filtered)} left by its filter`] : []),
    ...(c.none > 0 ? [`${grouped(c.none)} that give no row`] : []),
  ];
  const but = passed.length > 0 ? `, but for ${passed.join(" and ")}` : "";
  return `${c.target}: ${counted(c.rows, "row")} of ${counted(c.records, "record")}${but} = ${became.join(" + ") || "0"}`;
}
