import type { Late } from "../check/between/part.ts";
import { printCheck, readCheck, type CheckIdentity } from "../check/identity.ts";
import { checkPart } from "../field/checks/index.ts";
import type { UnreadableReason } from "../kernel/block.ts";
import { grouped, quoted } from "../kernel/problem.ts";
import type { Field } from "../field/field.ts";
import type { Compiled, Problem } from "./compiled.ts";

/** What is said of checks and of their problems. */

/** The key of the check that a record's key is not yet in the target, in append mode. */
export const TAKEN = printCheck({ kind: "taken" });
/** The key of the check that a record's key has a row in the target, where rows are only updated. */
export const UNMET = printCheck({ kind: "unmet" });

/** Words of a plan's own with the values of a record: “{seeds} seeds of {total}”. */
export function fillWords(words: string, value: (name: string) => string | null): string {
  return words.replace(/\{([a-z][a-z0-9_]*)\}/g, (whole, name: string) => value(name) ?? whole);
}

export interface ReadProblemWords {
  /** What holds where it does not happen. */
  title: string;
  /** What is wrong, as a heading over the records that share it. */
  fault: string;
  message: (cells: number, width: number) => string;
  expected: string;
}

export const READ_PROBLEMS: Record<UnreadableReason, ReadProblemWords> = {
  "too-few-cells": {
    fault: "too few cells",
    title: "the record has a cell for each column",
    message: (cells, width) => `The record has ${grouped(cells)} of ${grouped(width)} cells.`,
    expected: "as many cells as the file has columns",
  },
  "too-many-cells": {
    fault: "too many cells",
    title: "the record has no more cells than columns",
    message: (cells, width) => `The record has ${grouped(cells)} cells for ${grouped(width)} columns.`,
    expected: "as many cells as the file has columns; a delimiter inside a value needs quotes around the value",
  },
  quote: {
    fault: "a quote was never closed",
    title: "every quote is closed",
    message: () => "A quote was never closed, or text stands after a closing quote.",
    expected: "a closing quote before the next delimiter or line end; a quote inside a value doubled",
  },
  encoding: {
    fault: "bytes that are not in the encoding",
    title: "all bytes are in the encoding",
    message: () => "The record has bytes that are not in the file's encoding.",
    expected: "text in the encoding of the rest of the file",
  },
  nul: {
    fault: "a NUL byte",
    title: "the record has no NUL byte",
    message: () => "The record has a NUL byte.",
    expected: "text without NUL bytes",
  },
  "too-long": {
    fault: "a record that is too long",
    title: "the record is not too long",
    message: () => "The record is longer than 1,048,576 bytes.",
    expected: "a line end within 1,048,576 bytes",
  },
  "not-json": {
    fault: "not JSON",
    title: "the record is JSON",
    message: () => "The record can't be understood as JSON.",
    expected: "one whole JSON value, brackets and quotes closed",
  },
  "cell-error": {
    fault: "a cell with an error",
    title: "no cell holds an error",
    message: () => "A cell of the row holds an error, such as #N/A, or a formula that nobody has worked out.",
    expected: "values in place of the workbook's errors and formulas",
  },
  "key-twice": {
    fault: "a key given twice",
    title: "no key is given twice",
    message: () => "The record gives a key twice with different values.",
    expected: "each key once: which of the values is meant is not in the record",
  },
};

/** The title of any check that a problem can name, as the screens group by it. */
export function checkTitle(compiled: Compiled | null, key: string): string {
  const id = readCheck(key);
  switch (id.kind) {
    case "read":
      return READ_PROBLEMS[id.reason]?.title ?? key;
    case "taken":
      return "the key is not yet in the target";
    case "unmet":
      return "the key has a row in the target";
    case "target":
      return `the target's rule ${id.rule} holds`;
    case "file":
      return `no file has drifted: ${id.drift}`;
    default:
      return compiled?.checks.find((c) => c.key === key)?.title ?? key;
  }
}

/** What went wrong, as a heading over the records that share it: “quantity_g is not a number”. */
export function faultTitle(key: string, fields: readonly Field[]): string {
  const id = readCheck(key);
  switch (id.kind) {
    case "read":
      return READ_PROBLEMS[id.reason]?.fault ?? id.reason;
    case "taken":
      return "the key is already in the target";
    case "unmet":
      return "the key has no row in the target";
    case "target":
      return `the target's rule ${id.rule} is broken`;
    case "file":
      return `its whole file is held: ${id.drift}`;
    case "look-up":
      return id.several ? `${id.name} fits several entries` : `${id.name} is not in its list`;
    case "between":
      return `not so that ${id.name}`;
    case "rule":
      return id.field === null ? `not so that ${id.name}` : `${id.field}: not so that ${id.name}`;
    case "mapped":
      return `${id.field} is not in its value map`;
    case "field":
      return fieldFault(id, fields);
  }
}

function fieldFault(
  { fields: names, check }: Extract<CheckIdentity, { kind: "field" }>,
  fields: readonly Field[],
): string {
  const field = fields.find((f) => f.name === names[0]);
  return checkPart(check).failing(names.join(" and "), field);
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
  if (key === UNMET) return unmetProblem(compiled.plan.load.key, values);
  if (check?.kind !== "between") return repeatProblem(compiled, key, values, other);
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
    expected: first ? checkPart("unique").expected(compiled.fields[0]!) : "a key that the target does not have yet",
    onFailure: check?.onFailure ?? "hold",
  };
}

/** The problem of a record whose key has no row that could be updated. */
export function unmetProblem(names: readonly string[], values: readonly string[]): Problem {
  return {
    check: UNMET,
    field: names[0] ?? "",
    value: values.join(", "),
    message: `No row of the target has the ${names.join(" and ")} ${values.map((v) => quoted(v)).join(" and ")}, and rows are only updated.`,
    expected: "a key that the target has",
    onFailure: "hold",
  };
}
