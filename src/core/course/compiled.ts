import type { BetweenCheck } from "../check/between/index.ts";
import type { Between } from "../check/between/part.ts";
import type { CheckIdentity } from "../check/identity.ts";
import type { Apply, RecordApply } from "../cleanse/part.ts";
import type { Formula } from "../formula/compile.ts";
import type { Test } from "../kernel/column.ts";
import type { CompiledLookUp } from "../lookup/compile.ts";
import type { Plan } from "../plan/document.ts";
import type { Run } from "../plan/parameters.ts";
import type { Step } from "../plan/sections.ts";
import type { Field } from "../field/field.ts";
import type { OnFailure } from "../plan/types.ts";

/** A plan made ready to run: what `compilePlan` gives, and a course takes blocks through. */

/** A step made ready: for each field it works on, its number and what to do. */
export interface CompiledStep {
  readonly step: Step;
  readonly words: string;
  readonly fields: readonly number[];
  readonly apply: Apply;
  /** Instead of `apply`: it needs whole records. */
  readonly record: RecordApply | null;
}

/** A check made ready. */
interface AnyCheck {
  readonly identity: CheckIdentity;
  /** The same as a text, as the ledger, links and the quarantine have it. */
  readonly key: string;
  readonly fields: readonly number[];
  readonly onFailure: OnFailure;
  readonly title: string;
  readonly expected: string;
  /** What is wrong with a value, for the sender. */
  message(field: Field, value: string): string;
  /** Why it is switched off, for this load alone; null when it is not. */
  readonly off: string | null;
}

/** Each cell of one field is looked at by itself. */
interface CellCheck extends AnyCheck {
  readonly kind: "cell";
  readonly test: Test;
  /** It is whether a value is of its type, without which it has no canonical value. */
  readonly isType: boolean;
}

/** Values are held against those of all other records. */
interface UniqueValues extends AnyCheck {
  readonly kind: "unique";
}

/** A formula. */
interface FormulaCheck extends AnyCheck {
  readonly kind: "rule";
  readonly rule: CompiledRule;
}

/** Whether a look-up finds one entry. */
interface LookUpCheck extends AnyCheck {
  readonly kind: "look-up";
  /** Number of the look-up. */
  readonly lookUp: number;
}

/** The records of a delivery among one another. */
interface BetweenRecords extends AnyCheck {
  readonly kind: "between";
  readonly between: CompiledBetween;
}

export type CompiledCheck = CellCheck | UniqueValues | FormulaCheck | LookUpCheck | BetweenRecords;

/** What the plan says of a check between records; null for any other. */
export function betweenCheck(check: CompiledCheck | undefined): BetweenCheck | null {
  return check?.kind === "between" ? check.between.check : null;
}

/** Checks that are switched off for a load, by key, each with the reason. */
export type ChecksOff = Readonly<Record<string, string>>;

/** What a load is given beside its plan, its lists and its files; kept with it, so that it can be computed again. */
export interface LoadInputs {
  readonly off?: ChecksOff | undefined;
  /** The day of the load, as ISO 8601. */
  readonly day?: string | undefined;
  readonly run?: Run | undefined;
}

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
  /** What the run was given. */
  readonly run: Run;
  /** The day of the load, as ISO 8601, where that is known. */
  readonly day: string | undefined;
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
  /** The number of the field that says whose a record is, or -1. */
  readonly senderField: number;
  /** By number of the field: texts that mean that the target's value is to be left as it is. */
  readonly leaves: ReadonlyMap<number, ReadonlySet<string>>;
  /** For each further target in the order of the plan: which records go there; null for all. */
  readonly further: readonly (Formula | null)[];
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
