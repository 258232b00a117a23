import type { Test } from "../kernel/column.ts";
import type { Field } from "../plan/field.ts";
import type { FieldCheck } from "../plan/types.ts";

/** A check on one field's cells: one file each. */
export interface CheckPart {
  readonly id: FieldCheck;
  /** Whether the field's contract asks for it. */
  asked(field: Field): boolean;
  /** What holds when it passes: “collected_on is a date”. */
  title(field: Field): string;
  /** What is wrong with values that fail, as a heading over their records: “quantity_g is empty”. `field`: as the plan has it, if it has it yet. */
  fault(name: string, field: Field | undefined): string;
  /** What is wrong with a value, for the sender. */
  message(field: Field, value: string): string;
  /** What was expected, in words that follow “expected ”. */
  expected(field: Field): string;
  /** Null for what is not decided cell by cell. */
  test(field: Field): Test | null;
}
