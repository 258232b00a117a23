import { compareBytes } from "../../kernel/bytes.ts";
import { eachCell, type Test } from "../../kernel/column.ts";
import { quoted } from "../../kernel/problem.ts";
import { typePart } from "../../type/index.ts";
import { compareNumbers, newNumberSpan, scaled, scanNumber } from "../../type/number.ts";
import { limits } from "../../type/part.ts";
import type { Typed } from "../../type/typed.ts";
import { limitBytes } from "./limit.ts";
import type { CheckPart } from "./part.ts";

type Side = "least" | "most";
type Limit<Id extends Side> = CheckPart<Pick<typeof limits, Id>>;

/** What both limits have alike. `than`: what a value that fails is; `title`: what one that passes is. */
function limit(
  id: Side,
  than: string,
  title: string,
): Omit<CheckPart<typeof limits>, "id" | "about" | "options" | "examples"> {
  return {
    inTable: true,
    misfit: (f) =>
      typePart(f.type).order(f) !== null
        ? null
        : `${f.currency === undefined && f.type === "money" ? "An amount that names its own currency" : `The type ${f.type}`} has no order, so it can't have a ${id} value.`,
    fault: (f) => (limitBytes(f, f[id]!) ? null : `${JSON.stringify(f[id])} is not a value of the type ${f.type}.`),
    asked: (f) => f[id] !== undefined,
    words: (f) => `${title} ${f[id]}`,
    title: (f) => `${f.name} is ${title} ${f[id]}`,
    failing: (name, f) => `${name} is ${than} ${f?.[id] ?? `its ${id}`}`,
    message: (f, value) => `${f.name} ${quoted(value)} is ${than} ${f[id]}.`,
    expected: (f) =>
      f.least !== undefined && f.most !== undefined ? `from ${f.least} to ${f.most}` : `${title} ${f[id]}`,
    test: (f) => tester(f, f[id]!, id === "least" ? -1 : 1),
  };
}

/** Compares numbers exactly, and other values by their canonical bytes. */
function tester(field: Typed, value: number | string, failing: number): Test {
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

export const least: Limit<"least"> = {
  id: "least",
  about: "A value is not below the least one.",
  options: { least: limits.least },
  ...limit("least", "less than", "at least"),
  examples: [
    {
      field: { name: "quantity_g", type: "decimal", precision: 9, scale: 2, least: 0.5 },
      pass: ["", "0.5", "12"],
      fail: ["0.49", "-1"],
    },
    {
      field: { name: "collected_on", type: "date", formats: ["yyyy-MM-dd"], least: "1900-01-01" },
      pass: ["1900-01-01"],
      fail: ["1899-12-31"],
    },
  ],
};

export const most: Limit<"most"> = {
  id: "most",
  about: "A value is not above the greatest one.",
  options: { most: limits.most },
  ...limit("most", "more than", "at most"),
  examples: [{ field: { name: "seeds", type: "integer", most: 1000 }, pass: ["", "1000", "-5"], fail: ["1001"] }],
};
