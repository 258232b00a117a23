import { ownTableFaults } from "./own-table.ts";
import { withoutFault } from "./target-fields.ts";
import { betweenFields, betweenPart, betweenTitle } from "../check/between/index.ts";
import { stepFormulas, stepPart } from "../cleanse/index.ts";
import { compileFormula } from "../formula/compile.ts";
import { listsIn } from "../formula/lists.ts";
import { tryNamed } from "../formula/try-named.ts";
import { fieldsOf, gateFault } from "../gate/index.ts";
import { lookUpFields } from "../lookup/schema.ts";
import { survivorshipPart } from "../match/keep/index.ts";
import { afterFault } from "./after.ts";
import { ALL_FIELDS, arrivingOf } from "./arriving.ts";
import { isBetween, isUnique, type Plan } from "./document.ts";
import { copyFaults } from "./copies.ts";
import { furtherFaults, handedFault } from "./further.ts";
import { goneFields } from "./gone.ts";
import { namedOf, parameterFault } from "./parameters.ts";
import { sliceFault } from "./slice.ts";
import type { Field } from "../field/field.ts";

/** What is wrong with a plan, and where in its document. */
export interface Fault {
  readonly path: readonly (string | number)[];
  readonly message: string;
}

type Path = Fault["path"];

/** What one part of a plan's document says of others that is not so: each section has a function that asks its own. */
export function faultsOf(plan: Plan): Fault[] {
  const about = new About(plan);
  return [
    nameFaults,
    senderFaults,
    namedFormulaFaults,
    parameterFaults,
    checkFaults,
    stepFaults,
    lookUpFaults,
    matchFaults,
    gateFaults,
    afterFaults,
    loadFaults,
    goneFaults,
    furtherTargetFaults,
  ].flatMap((of) => of(about));
}

/** A plan, and the questions that all sections ask of it. */
class About {
  private readonly names: ReadonlySet<string>;

  constructor(readonly plan: Plan) {
    this.names = new Set(plan.contract.fields.map((f) => f.name));
  }

  field(name: string): Field | undefined {
    return this.plan.contract.fields.find((f) => f.name === name);
  }

  /** Fields that are named and are none. */
  unknown(names: readonly string[], path: Path): Fault[] {
    return names.flatMap((n) => (this.names.has(n) ? [] : [{ path, message: `There is no field ${n}.` }]));
  }

  /** What is wrong with a formula; `it`: the field whose cell it is about. */
  formula(source: string, it: string | undefined, path: Path, wanted?: "bool", named = namedOf(this.plan)): Fault[] {
    const { fields } = this.plan.contract;
    const at = it === undefined ? -1 : fields.findIndex((f) => f.name === it);
    try {
      const { type } = compileFormula(source, { fields, it: at < 0 ? undefined : at, named });
      return wanted && type !== wanted && type !== "dyn"
        ? [{ path, message: "The formula must be true or false." }]
        : [];
    } catch (error) {
      return [{ path, message: (error as Error).message }];
    }
  }
}

function nameFaults({ plan }: About): Fault[] {
  return repeated(plan.contract.fields.map((f) => f.name)).map(({ name, at }) => ({
    path: ["contract", "fields", at, "name"],
    message: `Two fields are called ${name}.`,
  }));
}

function senderFaults(about: About): Fault[] {
  const { sender_field } = about.plan;
  return about.unknown(sender_field === undefined ? [] : [sender_field], ["sender_field"]);
}

/** Names that were given before, with their places. */
function repeated(names: readonly string[]): { name: string; at: number }[] {
  return names.flatMap((name, at) => (names.indexOf(name) < at ? [{ name, at }] : []));
}

function parameterFaults({ plan: { parameters = [], formulas } }: About): Fault[] {
  const twice = repeated(parameters.map((p) => p.name)).map(({ name, at }) => ({
    path: ["parameters", at, "name"],
    message: `Two parameters are called ${name}.`,
  }));
  const own = parameters.flatMap((p, i) => {
    const message = parameterFault(p, formulas);
    return message ? [{ path: ["parameters", i], message }] : [];
  });
  return [...twice, ...own];
}

function namedFormulaFaults({ plan: { formulas = {} } }: About): Fault[] {
  return Object.entries(formulas).flatMap(([name, own]) => {
    const { [name]: _, ...others } = formulas;
    try {
      tryNamed(name, own, others);
      return [];
    } catch (error) {
      return [{ path: ["formulas", name], message: (error as Error).message }];
    }
  });
}

function checkFaults(about: About): Fault[] {
  const { check } = about.plan;
  const titles = check.map((c, i) => (isUnique(c) ? `${i}` : isBetween(c) ? betweenTitle(c) : c.name));
  const twice = repeated(titles).filter(({ at }) => !isUnique(check[at]!));
  const each = check.flatMap((c, i): Fault[] => {
    if (isUnique(c)) return about.unknown(c.in, ["check", i, "in"]);
    if (isBetween(c)) {
      const message = betweenPart(c.check).fault(c, (n) => about.field(n));
      return [...about.unknown(betweenFields(c), ["check", i]), ...(message ? [{ path: ["check", i], message }] : [])];
    }
    return [
      ...about.unknown(c.in ?? [], ["check", i, "in"]),
      ...(c.in ?? [undefined]).flatMap((it) => about.formula(c.that, it, ["check", i, "that"], "bool")),
    ];
  });
  return [
    ...twice.map(({ name, at }) => ({ path: ["check", at, "name"], message: `Two checks are called ${name}.` })),
    ...each,
  ];
}

function stepFaults(about: About): Fault[] {
  const { plan } = about;
  return plan.cleanse.flatMap((s, i): Fault[] => {
    const part = stepPart(s.do);
    const path = (option: string): Path => ["cleanse", i, option];
    const faults = s.in === "*" ? [] : about.unknown(s.in, path("in"));
    if (s.do === "value-map" && s["unknown"] !== undefined && s["otherwise"] === "empty") {
      const message = "A value that becomes empty can't be told of any more: let it stay.";
      faults.push({ path: path("unknown"), message });
    }
    for (const option of part.fieldOptions ?? []) {
      if (s[option] !== undefined) faults.push(...about.unknown([s[option]].flat() as string[], path(option)));
    }
    const its = part.ofRecord ? [undefined] : s.in === "*" ? plan.contract.fields.map((f) => f.name) : s.in;
    for (const { option, source } of stepFormulas(part, s)) {
      faults.push(...its.flatMap((it) => about.formula(source, it, path(option), part.ofRecord ? "bool" : undefined)));
    }
    return faults;
  });
}

function lookUpFaults(about: About): Fault[] {
  const lookUps = about.plan.lookup ?? [];
  const twice = repeated(lookUps.map((l) => l.name)).map(({ name, at }) => ({
    path: ["lookup", at, "name"],
    message: `Two look-ups are called ${name}.`,
  }));
  const each = lookUps.flatMap((l, i): Fault[] => {
    const { asks, fills } = lookUpFields(l);
    const faults = about.unknown([...asks, ...fills, ...Object.keys(l.default ?? {})], ["lookup", i]);
    const bring = (message: string): void => void faults.push({ path: ["lookup", i, "bring"], message });
    const own = fills.filter((f) => asks.includes(f));
    if (own.length > 0) bring(`The look-up asks by ${own.join(" and ")}, which it can't fill as well.`);
    const before = fills.filter((f) => lookUps.slice(0, i).some((o) => lookUpFields(o).fills.includes(f)));
    if (before.length > 0) bring(`${before.join(" and ")} is filled by another look-up already.`);
    return faults;
  });
  return [...twice, ...each];
}

function matchFaults(about: About): Fault[] {
  const { match, formulas } = about.plan;
  if (!match) return [];
  const path = (...more: (string | number)[]): Path => ["match", ...more];
  const faults: Fault[] = [
    ...match.fields.flatMap((f, i) => about.unknown(f.in, path("fields", i, "in"))),
    ...about.unknown(Object.values(match.list?.columns ?? {}), path("list", "columns")),
    ...about.unknown(match.recent ? [match.recent] : [], path("recent")),
    ...about.unknown(match.trust ? [match.trust.field] : [], path("trust", "field")),
    ...about.unknown(
      Object.keys(match.keep ?? {}).filter((n) => n !== ALL_FIELDS),
      path("keep"),
    ),
  ];
  if (match.against.includes("list") && !match.list) {
    faults.push({ path: path("list"), message: "Which reference list is to be said." });
  }
  for (const key of ["score_in", "lead_in"] as const) {
    const filled = match[key];
    if (filled === undefined) continue;
    faults.push(...about.unknown([filled], path(key)));
    const why = unfitFor(about, filled);
    if (why) faults.push({ path: path(key), message: `${filled} ${why}` });
  }
  if (match.rank !== undefined) {
    faults.push(...about.formula(match.rank, undefined, path("rank"), undefined, formulas));
    if (listsIn(match.rank, formulas).length > 0) {
      faults.push({ path: path("rank"), message: "The rank of records can't ask a list." });
    }
  }
  for (const rule of new Set(Object.values(match.keep ?? {}))) {
    const { needs } = survivorshipPart(rule);
    if (needs && match[needs] === undefined) {
      faults.push({ path: path("keep"), message: `The rule ${rule} needs ${needs} to be said.` });
    }
  }
  return faults;
}

/** Why a field can't be filled by the match, or null. */
function unfitFor(about: About, name: string): string | null {
  const field = about.field(name);
  const { load, match } = about.plan;
  if (field && !["integer", "decimal", "text"].includes(field.type))
    return "can't hold a score: it must be a number or a text.";
  if (load.key.includes(name)) return "is of the key, which a match never changes.";
  if (match?.fields.some((f) => f.in.includes(name))) return "is compared, so the match can't fill it as well.";
  return null;
}

function gateFaults(about: About): Fault[] {
  const { gates, read } = about.plan;
  return gates.flatMap((g, i): Fault[] => {
    const message = gateFault(g, { field: (n) => about.field(n), skipEnd: read.skip_end ?? 0 });
    return [...about.unknown(fieldsOf(g), ["gates", i]), ...(message ? [{ path: ["gates", i], message }] : [])];
  });
}

function afterFaults({ plan }: About): Fault[] {
  return (plan.after ?? []).flatMap((action, i) => {
    const message = afterFault(action, plan);
    return message ? [{ path: ["after", i], message }] : [];
  });
}

function loadFaults(about: About): Fault[] {
  const { plan } = about;
  const { key, whole_record: whole, mode, schema } = plan.load;
  const arriving = Object.keys(plan.load.arriving ?? {}).filter((n) => n !== ALL_FIELDS);
  const faults = [...about.unknown(key, ["load", "key"]), ...about.unknown(arriving, ["load", "arriving"])];
  const fail = (path: string, message: string): void => void faults.push({ path: ["load", path], message });
  if (mode === "replace" && schema !== undefined && plan.load.slice === undefined) {
    fail("mode", "A table that was there before is not emptied: append to it, upsert, or replace slices of it.");
  }
  const indexes = plan.load.indexes ?? [];
  indexes.forEach((fields, i) => faults.push(...about.unknown(fields, ["load", "indexes", i])));
  faults.push(...about.unknown(Object.keys(plan.load.defaults ?? {}), ["load", "defaults"]));
  for (const { at, message } of ownTableFaults(plan.load, (name) => about.field(name))) fail(at, message);
  faults.push(...about.unknown(plan.load.without ?? [], ["load", "without"]));
  const without = withoutFault(plan);
  if (without !== null) fail("without", without);
  const slice = sliceFault(plan);
  if (slice !== null) fail("slice", slice);
  if (mode === "upsert" && key.length === 0 && !whole)
    fail("key", "Upsert needs a key, or the whole record as its key.");
  if (whole && (mode !== "upsert" || key.length > 0)) {
    fail("whole_record", "The whole record can be the key of an upsert that has no other.");
  }
  if (plan.load.only && (mode !== "upsert" || key.length === 0)) {
    fail("only", "Inserting alone, or updating alone, is of an upsert by a key.");
  }
  if (plan.load.only && plan.match) {
    fail(
      "only",
      "Where records are matched, what is kept of them changes rows: inserting or updating alone can't be held to.",
    );
  }
  for (const n of arriving) {
    if (key.includes(n))
      fail("arriving", `${n} is of the key, which is the same in a record and the row that it meets.`);
  }
  for (const f of plan.contract.fields) {
    if (!f.required || key.includes(f.name) || arrivingOf(plan, f.name).leave.length === 0) continue;
    fail(
      "arriving",
      `${f.name} must not be empty, so no text can mean that it is left: a new row would have nothing there.`,
    );
  }
  return faults;
}

function goneFaults(about: About): Fault[] {
  const { load, match } = about.plan;
  const { gone, key, mode } = load;
  if (!gone) return [];
  const path = (at: string): Path => ["load", "gone", at];
  const faults = goneFields(gone).flatMap(({ name, at }) => about.unknown([name], path(at)));
  if (mode !== "upsert" || key.length === 0) {
    faults.push({ path: path("do"), message: "Which rows no longer come can be told of an upsert by a key alone." });
  }
  if (load.only === "insert") {
    const message = "Rows that are there stay as they are, so that none can be marked or removed.";
    faults.push({ path: path("do"), message });
  }
  if (match) {
    faults.push({
      path: path("do"),
      message:
        "Where records are matched, one may have come as part of another: rows that no longer come can't be told.",
    });
  }
  if (gone.do !== "mark") return faults;
  const field = about.field(gone.field);
  if (!field) return faults;
  const wrong = (message: string): void =>
    void faults.push({ path: path("field"), message: `${field.name} ${message}` });
  if (field.type !== "date") wrong("must be of the type date: it gets the day of the load.");
  if (key.includes(field.name)) wrong("is of the key, which never changes.");
  if (field.required) wrong("must not be required: it is empty as long as a record comes.");
  if (load.arriving?.[field.name]) wrong("has a rule for arriving cells: it is cleared whenever the key comes again.");
  return faults;
}

function furtherTargetFaults(about: About): Fault[] {
  const { plan } = about;
  const { further = [], taken_from: taken = [], numbered, key } = plan.load;
  const faults = further.flatMap((f, i): Fault[] => [
    ...furtherFaults(plan, f, i).map(({ at, message }) => ({ path: ["load", "further", i, at], message })),
    ...(f.where === undefined ? [] : about.formula(f.where, undefined, ["load", "further", i, "where"], "bool")),
  ]);
  if (further.length > 0 && plan.match) {
    const message = "Where records are matched, one may become part of another: give the rows to a feed of their own.";
    faults.push({ path: ["load", "further"], message });
  }
  taken.forEach(({ field, from }, i) => {
    const path = ["load", "taken_from", i];
    faults.push(...about.unknown([field], path));
    const message = key.includes(field)
      ? `${field} is of the key, by which records are told apart before anything is handed on.`
      : about.field(field)?.required
        ? `${field} must not be required: it is handed on when all checks are made.`
        : handedFault(plan, from, { turn: "own", at: 0 });
    if (message) faults.push({ path, message });
  });
  for (const [path, table] of [
    [["load"], plan.load] as const,
    ...further.map((f, i) => [["load", "further", i], f] as const),
  ]) {
    const about = { target: table.target, key: table.key, undo: plan.load.undo };
    for (const { at, message } of copyFaults(table.copies ?? [], about))
      faults.push({ path: [...path, "copies", at], message });
  }
  const view = plan.load.held_in;
  const tables = [plan.load, ...further].filter((t) => t.schema === undefined).map((t) => t.target);
  if (view !== undefined && tables.includes(view))
    faults.push({ path: ["load", "held_in"], message: `${view} is a target, so it can't show what is held.` });
  if (numbered !== undefined && (about.field(numbered) || plan.load.schema !== undefined)) {
    const message = "Only a table that Good Sieve makes gets a column of numbers, beside its fields.";
    faults.push({ path: ["load", "numbered"], message });
  }
  return faults;
}
