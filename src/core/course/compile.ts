import { stepWords } from "../plan/words.ts";
import { leavesOf } from "../plan/arriving.ts";
import { CHECKS } from "../check/index.ts";
import { betweenPart, betweenTitle, type BetweenCheck } from "../check/between/index.ts";
import type { Between, Late } from "../check/between/part.ts";
import type { Test } from "../kernel/column.ts";
import { cellText } from "../kernel/bytes.ts";
import type { ValueMapOptions } from "../cleanse/value-map.ts";
import type { Apply, RecordApply } from "../cleanse/part.ts";
import type { NamedFormulas } from "../formula/named.ts";
import { withWordLists } from "../match/word-lists.ts";
import { compileFormula, type Formula } from "../formula/compile.ts";
import { stepPart } from "../cleanse/index.ts";
import type { UnreadableReason } from "../kernel/block.ts";
import { compileLookUps, type CompiledLookUp } from "../lookup/compile.ts";
import { NO_REFERENCES, type References } from "../kernel/reference.ts";
import type { LookUp } from "../lookup/schema.ts";
import { grouped, quoted } from "../kernel/problem.ts";
import { isBetween, isUnique, type Plan, type RuleCheck, type Step } from "../plan/schema.ts";
import { FIELD_CHECKS, type Field, type FieldCheck, type OnFailure } from "../plan/types.ts";

/** A step made ready: for each field it works on, its number and what to do. */
export interface CompiledStep {
  readonly step: Step;
  readonly words: string;
  readonly fields: readonly number[];
  readonly apply: Apply;
  /** Instead of `apply`: it needs whole records. */
  readonly record: RecordApply | null;
}

/** A check made ready. `key` names it in the ledger, in links and in the quarantine. */
export interface CompiledCheck {
  readonly key: string;
  readonly id: FieldCheck | "rule" | "look-up" | "between" | "mapped";
  readonly fields: readonly number[];
  readonly onFailure: OnFailure;
  readonly title: string;
  readonly expected: string;
  readonly test: Test | null;
  /** What is wrong with a value, for the sender. */
  message(field: Field, value: string): string;
  /** A check by a formula. */
  readonly rule: CompiledRule | null;
  /** That a look-up found one partner: the look-up's number. */
  readonly lookUp: number | null;
  /** A check between the records of a delivery. */
  readonly between: CompiledBetween | null;
  /** Why it is switched off, for this load alone; null when it is not. */
  readonly off: string | null;
}

/** Checks that are switched off for a load, by key, each with the reason. */
export type ChecksOff = Readonly<Record<string, string>>;

type OnCheck = Omit<CompiledCheck, "off">;

export interface CompiledBetween {
  readonly part: Between;
  readonly check: BetweenCheck;
}

export interface CompiledRule {
  readonly formula: Formula;
  /** The number of the field whose cells it is about, or -1 for whole records. */
  readonly it: number;
  /** Words of the plan's own, with values to be filled in. */
  readonly words: string | undefined;
}

export interface Compiled {
  readonly plan: Plan;
  readonly fields: readonly Field[];
  /** The same as their cells are read: dates also in the form that steps write them in. */
  readonly readAs: readonly Field[];
  readonly steps: readonly CompiledStep[];
  readonly checks: readonly CompiledCheck[];
  /** Numbers of the checks that are decided over the whole load. */
  readonly uniques: readonly number[];
  readonly lookUps: readonly CompiledLookUp[];
  /** Fields that steps and look-ups fill, which need no column. */
  readonly made: ReadonlySet<string>;
  /** By number of the field: texts that mean that the target's value is to be left as it is. */
  readonly leaves: ReadonlyMap<number, ReadonlySet<string>>;
}

/** What a check found: check, field, value, message. */
export interface Problem {
  readonly check: string;
  /** The field, or "" for a problem of the whole record. */
  readonly field: string;
  readonly value: string;
  readonly message: string;
  readonly expected: string;
  readonly onFailure: OnFailure;
}

export function policyOf(field: Field, check: FieldCheck): OnFailure {
  const policy = field.on_failure;
  if (policy === undefined) return "hold";
  return typeof policy === "string" ? policy : (policy[check] ?? "hold");
}

/** The plan with the words that what it compares takes from reference lists. */
function withLists(plan: Plan, references: References): Plan {
  return plan.match ? { ...plan, match: withWordLists(plan.match, references) } : plan;
}

/**
 * Makes a plan ready to run. The plan must have come from `parsePlan`. A look-up whose list is not
 * among `references` is passed over: where only the fields matter, or a person looks at a sample.
 * Throws `look-up-invalid` where a list is not what a look-up needs. Checks in `off` are passed over.
 */
export function compilePlan(own: Plan, references: References = NO_REFERENCES, off: ChecksOff = {}): Compiled {
  const plan = withLists(loosened(own, off), references);
  const { fields } = plan.contract;
  const number = new Map(fields.map((f, i) => [f.name, i]));
  const numbers = (names: readonly string[]): number[] => names.map((n) => number.get(n)!);
  const read = withWrittenDates(plan);
  const steps = plan.cleanse.map((step): CompiledStep => {
    const part = stepPart(step.do);
    const { do: _, in: where, off, ...options } = step;
    const targets = off ? [] : where === "*" ? fields.map((_, i) => i) : numbers(where);
    const context = { fields: read, targets, named: plan.formulas, lists: references };
    const record = off ? null : (part.record?.(options, context) ?? null);
    return {
      step,
      words: stepWords(step),
      fields: targets,
      apply: off || record ? () => 0 : part.apply(options),
      record,
    };
  });
  const checks: OnCheck[] = [];
  const lookUps = compileLookUps(plan.lookup ?? [], fields, references);
  // What a look-up brings is checked when it is there.
  const brought = new Set(lookUps.flatMap((l) => [...l.fills]));
  const checkField = (field: Field, i: number): void => {
    for (const id of FIELD_CHECKS) {
      const part = CHECKS[id];
      if (!part.asked(field)) continue;
      checks.push({
        key: `${field.name}:${id}`,
        id,
        fields: [i],
        onFailure: policyOf(field, id),
        title: part.title(field),
        expected: part.expected(field),
        message: part.message,
        test: part.test(read[i]!),
        rule: null,
        lookUp: null,
        between: null,
      });
    }
  };
  fields.forEach((field, i) => !brought.has(i) && checkField(field, i));
  for (const step of plan.cleanse) {
    if (step.do !== "value-map" || step.off || step["unknown"] === undefined) continue;
    const mapped = step as unknown as ValueMapOptions;
    const own = step.in === "*" ? fields.map((f) => f.name) : step.in;
    for (const name of own)
      if (!checks.some((c) => c.key === `${name}:mapped`)) checks.push(mappedCheck(name, number.get(name)!, mapped));
  }
  lookUps.forEach((l, i) => {
    l.noneCheck = checks.push(lookUpCheck(l.lookUp, i, false, l.asks)) - 1;
    l.severalCheck = l.lookUp.how === "range" ? -1 : checks.push(lookUpCheck(l.lookUp, i, true, l.asks)) - 1;
  });
  fields.forEach((field, i) => brought.has(i) && checkField(field, i));
  const together = (names: readonly string[], onFailure: OnFailure): void => {
    const key = `${names.join("+")}:unique`;
    const at = checks.findIndex((c) => c.key === key);
    const check: OnCheck = {
      key,
      id: "unique",
      fields: numbers(names),
      onFailure,
      title:
        names.length === 1
          ? CHECKS.unique.title(fields[number.get(names[0]!)!]!)
          : `${names.join(" and ")} together are given once`,
      expected: CHECKS.unique.expected(fields[0]!),
      message: CHECKS.unique.message,
      test: null,
      rule: null,
      lookUp: null,
      between: null,
    };
    if (at >= 0) checks[at] = check;
    else checks.push(check);
  };
  for (const c of plan.check) {
    if (isUnique(c)) together(c.in, c.on_failure);
    else if (isBetween(c)) checks.push(betweenOf(c, (n) => number.get(n)!, fields));
    else
      for (const it of c.in ?? [null])
        checks.push(ruleOf(c, it === null ? -1 : number.get(it)!, fields, plan.formulas, references));
  }
  // Two records with one key can't both be in the target, so a repeat of the key is always held.
  if (plan.load.key.length > 0) {
    const own = plan.load.key.length === 1 ? fields[number.get(plan.load.key[0]!)!]! : null;
    const policy = own ? policyOf(own, "unique") : "hold";
    together(plan.load.key, policy === "stop" ? "stop" : "hold");
  }
  return {
    plan,
    fields,
    readAs: read,
    steps,
    checks: checks.map((c) => ({ ...c, off: (canSwitchOff(plan, c) ? off[c.key] : undefined) ?? null })),
    uniques: checks.flatMap((c, i) => (c.id === "unique" ? [i] : [])),
    lookUps,
    made: new Set([
      ...[...brought].map((i) => fields[i]!.name),
      ...plan.cleanse.flatMap((s) => (stepPart(s.do).makes && !s.off && s.in !== "*" ? s.in : [])),
    ]),
    leaves: new Map([...leavesOf(plan)].map(([name, texts]) => [number.get(name)!, texts])),
  };
}

/** Whether a load can do without a check: not without types, nor with a key that is empty or given twice. */
export function canSwitchOff({ load }: Plan, check: Pick<CompiledCheck, "key" | "id">): boolean {
  if (check.id === "type" || check.id === "look-up") return false;
  return check.key !== `${load.key.join("+")}:unique` && !load.key.some((name) => check.key === `${name}:required`);
}

/** The plan with fields that may be empty where the check that they are filled is switched off: the target must take them. */
function loosened(plan: Plan, off: ChecksOff): Plan {
  const may = (f: Field): boolean =>
    off[`${f.name}:required`] !== undefined && canSwitchOff(plan, { key: `${f.name}:required`, id: "required" });
  if (!plan.contract.fields.some(may)) return plan;
  const all = (policy: OnFailure) => Object.fromEntries(FIELD_CHECKS.map((id) => [id, policy]));
  const fields = plan.contract.fields.map((f) => {
    if (!may(f)) return f;
    const policies = typeof f.on_failure === "string" ? all(f.on_failure) : f.on_failure;
    return { ...f, on_failure: { ...policies, required: "note" as const } };
  });
  return { ...plan, contract: { fields } };
}

const ISO_FORMATS = {
  date: ["yyyy-MM-dd"],
  timestamp: ["yyyy-MM-dd'T'HH:mm:ss.SSSXXX", "yyyy-MM-dd'T'HH:mm:ss", "yyyy-MM-dd"],
};

/** The fields, those that a step writes dates into with the formats that it writes. */
function withWrittenDates({ contract, cleanse }: Plan): Field[] {
  const written = cleanse.filter((s) => !s.off && stepPart(s.do).writesDates);
  return contract.fields.map((f) => {
    if (f.type !== "date" && f.type !== "timestamp") return f;
    if (!written.some((s) => s.in === "*" || s.in.includes(f.name))) return f;
    return { ...f, formats: [...(f.formats ?? []), ...ISO_FORMATS[f.type]] };
  });
}

/** The check that a look-up found a partner, or not several. */
function lookUpCheck(lookUp: LookUp, number: number, several: boolean, asks: readonly number[]): OnCheck {
  const { name, list } = lookUp;
  const policy = several ? lookUp.several : lookUp.none;
  const what = (field: Field, value: string): string => `${field.name} ${quoted(value)}`;
  return {
    key: `look-up:${name}${several ? ":several" : ""}`,
    id: "look-up",
    fields: asks,
    onFailure: policy === "pass" || policy === "propose" ? "note" : policy,
    title: several ? `${name} fits one entry of the list ${list}` : `${name} is in the list ${list}`,
    expected: several ? `one entry of the list ${list}` : `an entry of the list ${list}`,
    message: (field, value) =>
      several
        ? `${what(field, value)} fits several entries of the list ${list}.`
        : lookUp.how === "scored"
          ? `${what(field, value)} is like no entry of the list ${list}.`
          : `${what(field, value)} is not in the list ${list}${policy === "propose" ? "; it is proposed as a new entry" : ""}.`,
    test: null,
    rule: null,
    lookUp: number,
    between: null,
  };
}

/** The check that a value is one that its value map makes. */
function mappedCheck(name: string, field: number, { to, unknown }: ValueMapOptions): OnCheck {
  const wanted = new Set(Object.keys(to));
  return {
    key: `${name}:mapped`,
    id: "mapped",
    fields: [field],
    onFailure: unknown!,
    title: `${name} is in its value map`,
    expected: `one of ${grouped(wanted.size)} values of the map, or a spelling of one`,
    message: (f, value) => `${f.name} ${quoted(value)} is not in its value map.`,
    test: (heap, cells, count, bad) => {
      let n = 0;
      for (let r = 0; r < count; r++) {
        if (cells.start[r] !== cells.end[r] && !wanted.has(cellText(heap, cells, r))) bad[n++] = r;
      }
      return n;
    },
    rule: null,
    lookUp: null,
    between: null,
  };
}

function betweenOf(check: BetweenCheck, number: (name: string) => number, fields: readonly Field[]): OnCheck {
  const kind = betweenPart(check.check);
  const part = kind.make(check, number, fields);
  const title = betweenTitle(check);
  return {
    key: `between:${title.replace(/[:+]/g, " ")}`,
    id: "between",
    fields: part.shows,
    onFailure: check.on_failure,
    title,
    expected: kind.expected,
    // The facts are only known with the whole delivery.
    message: () => `Not so: ${title}.`,
    test: null,
    rule: null,
    lookUp: null,
    between: { part, check },
  };
}

function ruleOf(
  check: RuleCheck,
  it: number,
  fields: readonly Field[],
  named: NamedFormulas | undefined,
  lists: References,
): OnCheck {
  const formula = compileFormula(check.that, { fields, it: it < 0 ? undefined : it, named, lists });
  const about = it >= 0 ? [it] : formula.uses.length > 0 ? [...formula.uses] : [0];
  return {
    key: it >= 0 ? `rule:${check.name}:${fields[it]!.name}` : `rule:${check.name}`,
    id: "rule",
    fields: about,
    onFailure: check.on_failure,
    title: it >= 0 ? `${fields[it]!.name}: ${check.name}` : check.name,
    expected: check.that,
    message: (field, value) =>
      it >= 0 ? `${field.name} ${quoted(value)}: not so that ${check.name}.` : `Not so: ${check.name}.`,
    test: null,
    rule: { formula, it, words: check.message },
    lookUp: null,
    between: null,
  };
}

/** Words of a plan's own with the values of a record: “{seeds} seeds of {total}”. */
export function fillWords(words: string, value: (name: string) => string | null): string {
  return words.replace(/\{([a-z][a-z0-9_]*)\}/g, (whole, name: string) => value(name) ?? whole);
}

/** The key of the check that a record's key is not yet in the target, in append mode. */
export const TAKEN = "target:taken";

/** The name of the target's own rule that a problem's key speaks of, or null. */
export function ruleName(key: string): string | null {
  return key.startsWith("target:") && key !== TAKEN ? key.slice(7) : null;
}

/** The kind of drift for which a record's whole file is held, from a problem's key; null for other problems. */
export function fileFault(key: string): string | null {
  return key.startsWith("file:") ? key.slice(5) : null;
}

export interface ReadProblemWords {
  title: string;
  message: (cells: number, width: number) => string;
  expected: string;
}

export const READ_PROBLEMS: Record<UnreadableReason, ReadProblemWords> = {
  "too-few-cells": {
    title: "the record has a cell for each column",
    message: (cells, width) => `The record has ${grouped(cells)} of ${grouped(width)} cells.`,
    expected: "as many cells as the file has columns",
  },
  "too-many-cells": {
    title: "the record has no more cells than columns",
    message: (cells, width) => `The record has ${grouped(cells)} cells for ${grouped(width)} columns.`,
    expected: "as many cells as the file has columns; a delimiter inside a value needs quotes around the value",
  },
  quote: {
    title: "every quote is closed",
    message: () => "A quote was never closed, or text stands after a closing quote.",
    expected: "a closing quote before the next delimiter or line end; a quote inside a value doubled",
  },
  encoding: {
    title: "all bytes are in the encoding",
    message: () => "The record has bytes that are not in the file's encoding.",
    expected: "text in the encoding of the rest of the file",
  },
  nul: {
    title: "the record has no NUL byte",
    message: () => "The record has a NUL byte.",
    expected: "text without NUL bytes",
  },
  "too-long": {
    title: "the record is not too long",
    message: () => "The record is longer than 1,048,576 bytes.",
    expected: "a line end within 1,048,576 bytes",
  },
  "not-json": {
    title: "the record is JSON",
    message: () => "The record can't be understood as JSON.",
    expected: "one whole JSON value, brackets and quotes closed",
  },
  "cell-error": {
    title: "no cell holds an error",
    message: () => "A cell of the row holds an error, such as #N/A or #REF!, and no value.",
    expected: "values in place of the workbook's errors",
  },
};

/** The title of any check that a problem can name, as the screens group by it. */
export function checkTitle(compiled: Compiled | null, key: string): string {
  if (key.startsWith("read:")) return READ_PROBLEMS[key.slice(5) as UnreadableReason]?.title ?? key;
  if (key === TAKEN) return "the key is not yet in the target";
  const rule = ruleName(key);
  if (rule !== null) return `the target's rule ${rule} holds`;
  const drift = fileFault(key);
  if (drift !== null) return `no file has drifted: ${drift}`;
  return compiled?.checks.find((c) => c.key === key)?.title ?? key;
}

/** What went wrong, as a heading over the records that share it: “quantity_g is not a number”. */
export function faultTitle(key: string, fields: readonly Field[]): string {
  if (key.startsWith("read:")) {
    const words: Record<UnreadableReason, string> = {
      "too-few-cells": "too few cells",
      "too-many-cells": "too many cells",
      quote: "a quote was never closed",
      encoding: "bytes that are not in the encoding",
      nul: "a NUL byte",
      "too-long": "a record that is too long",
      "not-json": "not JSON",
      "cell-error": "a cell with an error",
    };
    return words[key.slice(5) as UnreadableReason] ?? key;
  }
  if (key === TAKEN) return "the key is already in the target";
  const rule = ruleName(key);
  if (rule !== null) return `the target's rule ${rule} is broken`;
  const drift = fileFault(key);
  if (drift !== null) return `its whole file is held: ${drift}`;
  if (key.startsWith("look-up:")) {
    const [, name = "", several] = key.split(":");
    return several ? `${name} fits several entries` : `${name} is not in its list`;
  }
  if (key.startsWith("between:")) return `not so that ${key.slice(8)}`;
  if (key.startsWith("rule:")) {
    const [, name = "", field] = key.split(":");
    return field ? `${field}: not so that ${name}` : `not so that ${name}`;
  }
  const [names = "", id] = key.split(":");
  if (id === "mapped") return `${names} is not in its value map`;
  const field = fields.find((f) => f.name === names);
  switch (id as FieldCheck) {
    case "type":
      return `${names} is not ${field ? typeNoun(field) : "of its type"}`;
    case "required":
      return `${names} is empty`;
    case "length":
      return `${names} is too long`;
    case "least":
      return `${names} is less than ${field?.least ?? "its least"}`;
    case "most":
      return `${names} is more than ${field?.most ?? "its most"}`;
    case "pattern":
      return `${names} does not fit its pattern`;
    case "unique":
      return `${names.split("+").join(" and ")} given twice`;
    default:
      return key;
  }
}

function typeNoun(field: Field): string {
  const title = CHECKS.type.title(field);
  return title.slice(field.name.length + 4);
}

/** A problem that only the whole delivery, or the target, shows. `line` null: it is in no other record of the delivery. */
export interface LateFact extends Pick<Late, "detail"> {
  readonly check: string;
  readonly other: { readonly file: string; readonly line: number } | null;
}

/**
 * A late problem in words: of a value that was given before, or is in the target already, or of a
 * record that does not go with others. `values`: those of the check's fields; `valueOf`: any field's.
 */
export function lateProblem(
  compiled: Compiled,
  { check: key, other, detail }: LateFact,
  values: readonly string[],
  valueOf: (name: string) => string | null = () => null,
): Problem {
  const check = compiled.checks.find((c) => c.key === key);
  if (!check?.between) return repeatProblem(compiled, key, values, other);
  const { part, check: own } = check.between;
  const where = other && `line ${grouped(other.line)} of ${other.file}`;
  const said = own.message ? fillWords(own.message, valueOf) : null;
  return {
    check: key,
    field: compiled.fields[check.fields[0]!]!.name,
    value: values[0] ?? "",
    message: said ?? part.message(values, detail, where),
    expected: check.expected,
    onFailure: check.onFailure,
  };
}

/** The problem of a value that was given before, or is in the target already. */
function repeatProblem(
  compiled: Compiled,
  key: string,
  values: readonly string[],
  first: { file: string; line: number } | null,
): Problem {
  const check = compiled.checks.find((c) => c.key === key);
  const names = check ? check.fields.map((f) => compiled.fields[f]!.name) : compiled.plan.load.key;
  const what = `${names.join(" and ")} ${values.map((v) => quoted(v)).join(" and ")}`;
  const verb = names.length > 1 ? "were" : "was";
  return {
    check: key,
    field: names[0] ?? "",
    value: values.join(", "),
    message: first
      ? `${what} ${verb} already given in line ${grouped(first.line)} of ${first.file}.`
      : `${what} ${names.length > 1 ? "are" : "is"} already in the target.`,
    expected: first ? CHECKS.unique.expected(compiled.fields[0]!) : "a key that the target does not have yet",
    onFailure: check?.onFailure ?? "hold",
  };
}
