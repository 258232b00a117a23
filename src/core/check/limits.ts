import { compareBytes } from "../bytes.ts";
import { quoted } from "../problem.ts";
import { limitBytes, type Field } from "../plan/schema.ts";
import { compareNumbers, newNumberSpan, scanNumber } from "../type/number.ts";
import { typePart } from "../type/index.ts";
import type { CheckPart, Test } from "./part.ts";

/** The value is not below `least` (or not above `most`); numbers compared exactly. */
function limit(id: "least" | "most", than: string, title: string): CheckPart {
  return {
    id,
    asked: (f) => f[id] !== undefined,
    title: (f) => `${f.name} is ${title} ${f[id]}`,
    message: (f, value) => `${f.name} ${quoted(value)} is ${than} ${f[id]}.`,
    expected: (f) =>
      f.least !== undefined && f.most !== undefined ? `from ${f.least} to ${f.most}` : `${title} ${f[id]}`,
    test: (f) => tester(f, f[id]!, id === "least" ? -1 : 1),
  };
}

function tester(field: Field, value: number | string, failing: number): Test {
  const bound = limitBytes(field, value)!;
  if (typePart(field.type).order === "bytes") {
    return (heap, cells, r) => Math.sign(compareBytes(heap.bytes, cells.start[r]!, cells.end[r]!, bound)) !== failing;
  }
  const boundSpan = newNumberSpan();
  scanNumber(bound, 0, bound.length, boundSpan);
  const span = newNumberSpan();
  return (heap, cells, r) => {
    if (!scanNumber(heap.bytes, cells.start[r]!, cells.end[r]!, span)) return true;
    return Math.sign(compareNumbers(heap.bytes, span, bound, boundSpan)) !== failing;
  };
}

export const least = limit("least", "less than", "at least");
export const most = limit("most", "more than", "at most");
