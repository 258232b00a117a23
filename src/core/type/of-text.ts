import { Heap, cellText, emptyCells, utf8 } from "../kernel/bytes.ts";
import type { Field } from "../plan/field.ts";
import { typePart } from "./index.ts";

/** A text as a value of a field's type, in the form that the database takes; null where it is none. */
export function valueOfText(field: Field, text: string): string | null {
  const heap = new Heap(utf8(text));
  const cells = emptyCells(1);
  cells.end[0] = heap.length;
  const failed = typePart(field.type).convert(field)(heap, cells, 1, new Int32Array(1));
  return failed > 0 ? null : cellText(heap, cells, 0);
}
