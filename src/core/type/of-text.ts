import { Heap, cellText, emptyCells, utf8 } from "../kernel/bytes.ts";
import type { Typed } from "./typed.ts";
import { typePart } from "./index.ts";

/** A text as a value of a type, in the form that the database takes; null where it is none. */
export function valueOfText(typed: Typed, text: string): string | null {
  const heap = new Heap(utf8(text));
  const cells = emptyCells(1);
  cells.end[0] = heap.length;
  const failed = typePart(typed.type).convert(typed)(heap, cells, 1, new Int32Array(1));
  return failed > 0 ? null : cellText(heap, cells, 0);
}
