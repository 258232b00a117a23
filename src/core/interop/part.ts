import type { Plan } from "../plan/document.ts";
import type { FieldCheck } from "../field/checks/index.ts";
import type { Field } from "../field/field.ts";

/** A contract as another standard says it, and what that standard has no words for. */
export interface Given {
  readonly document: object;
  readonly lost: readonly string[];
}

/** What a document of another standard says of fields, and what a contract has no words for. */
export interface Taken {
  readonly fields: Field[];
  readonly key: string[];
  readonly lost: readonly string[];
}

/** An open standard in which a contract is given out and brought in: one file each. */
export interface StandardPart<Id extends string = string> {
  readonly id: Id;
  readonly title: string;
  /** Whether a document is one of it, told by what is in it. */
  knows(document: Readonly<Record<string, unknown>>): boolean;
  /** Whether it has words for a check of a field beside its type; those that it has none for are told by who gives the contract out. */
  says(field: Field, check: Exclude<FieldCheck, "type">): boolean;
  give(plan: Plan): Given;
  take(document: Record<string, unknown>): Taken;
}
