import type { z } from "zod";
import type { Test } from "../../kernel/column.ts";
import type { Typed } from "../../type/typed.ts";

/** A field as a check sees it: its type, and what it says of the check. */
export type Checked<Shape extends z.ZodRawShape> = Typed & { [Name in keyof Shape]?: z.infer<Shape[Name]> };

/** A check on one field's cells: one file each, from which the plan's schema, the forms, contracts and the docs come. */
export interface CheckPart<Shape extends z.ZodRawShape = Record<never, never>> {
  readonly id: string;
  /** What must be so, in one sentence. */
  readonly about: string;
  /** What a field says of it, all optional; nothing where the options of the field's type say it. */
  readonly options: Shape;
  /** It has one option, which stands as a column in the table of fields; the others stand with what more there is of a field. */
  readonly inTable?: boolean;
  /** Why a field of its type can't have it, or null. */
  misfit?(field: Typed): string | null;
  /** What is wrong with what a field says of it, or null; asked of those alone that say something, and that can have it. */
  fault?(field: Checked<Shape>): string | null;
  /** Whether the field's contract asks for it. */
  asked(field: Checked<Shape>): boolean;
  /** What is asked, in a few words: “required”, “at least 0”. */
  words(field: Checked<Shape>): string;
  /** What holds when it passes: “collected_on is a date”. */
  title(field: Checked<Shape>): string;
  /** What is wrong with values that fail, as a heading over their records: “quantity_g is empty”. `field`: as the plan has it, if it has it yet. */
  failing(name: string, field: Checked<Shape> | undefined): string;
  /** What is wrong with a value, for the sender. */
  message(field: Checked<Shape>, value: string): string;
  /** What was expected, in words that follow “expected ”. */
  expected(field: Checked<Shape>): string;
  /** Null for what is not decided cell by cell. */
  test(field: Checked<Shape>): Test | null;
  /** Run as tests: a field, values that pass and values that fail. */
  readonly examples: readonly {
    readonly field: Checked<Shape>;
    readonly pass: readonly string[];
    readonly fail: readonly string[];
  }[];
}
