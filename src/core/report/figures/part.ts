import type { Cells, Heap } from "../../kernel/bytes.ts";
import type { Figure } from "../../gate/part.ts";
import type { Field } from "../../field/field.ts";

/** Takes the sound values of a field over a load, one by one, and says what they come to. */
export interface Fold {
  take(heap: Heap, cells: Cells, r: number): void;
  /** What they come to; of `count` values. */
  finish(count: number): Partial<Figure>;
}

/** A figure that a gate can ask of a field: one file each. */
export interface FigurePart {
  readonly id: string;
  /** Whether values of the field's type come to it. */
  of(field: Field): boolean;
  fold(field: Field): Fold;
}
