import { compareBytes } from "../kernel/bytes.ts";
import { quoted } from "../kernel/problem.ts";
import { limitBytes } from "./limit.ts";
import type { Field } from "../plan/field.ts";
import { compareNumbers, newNumberSpan, scaled, scanNumber } from "../type/number.ts";
import { typePart } from "../type/index.ts";
import type { CheckPart } from "./part.ts";
import { eachCell, type Test } from "../kernel/column.ts";

/** The value is not below `least` (or not above `most`); numbers compared exactly. */
function limit(id: "least" | "most", than: string, title: string): CheckPart {
  return {
    id,
    asked: (f) => f[id] !== undefined,
    title: (f) => `${f.name} is ${title} ${f[id]}`,
    fault: (name, f) => `${name} is ${than} ${f?.[id] ?? `its ${id}`}`,
    message: (f, value) => `${f.name} ${quoted(value)} is ${than} ${f[id]}.`,
    expected: (f) =>
      f.least !== undefined && f.most !== undefined ? `from ${f.least} to ${f.most}` : `${title} ${f[id]}`,
    test: (f) => tester(f, f[id]!, id === "least" ? -1 : 1),
  };
}

function tester(field: Field, value: number | string, failing: number): Test {
  const bound = limitBytes(field, value)!;
  if (typePart(field.type).order(field) === "bytes") {
    return eachCell(
      (heap, cells, r) => Math.sign(compareBytes(heap.bytes, cells.start[r]!, cells.end[r]!, bound)) !== failing,
    );
  }
  const boundSpan = newNumberSpan();
  scanNumber(bound, 0, bound.length, boundSpan);
  const span = newNumberSpan();
  // Nearly all numbers are whole multiples of a small power of ten, and those compare as integers.
  const scale = Math.max(boundSpan.partEnd - boundSpan.partStart, field.scale ?? 0);
  const boundScaled = scaled(bound, 0, bound.length, scale);
  return (heap, cells, count, bad) => {
    const { start, end } = cells;
    const { bytes } = heap;
    let n = 0;
    for (let r = 0; r < count; r++) {
      const s = start[r]!;
      const e = end[r]!;
      if (s === e) continue;
      const difference = scaled(bytes, s, e, scale) - boundScaled;
      if (difference === difference) {
        if (failing < 0 ? difference < 0 : difference > 0) bad[n++] = r;
      } else if (scanNumber(bytes, s, e, span)) {
        if (Math.sign(compareNumbers(bytes, span, bound, boundSpan)) === failing) bad[n++] = r;
      }
    }
    return n;
  };
}

export const least = limit("least", "less than", "at least");
export const most = limit("most", "more than", "at most");
