import { z } from "zod";
import { newNumberSpan, scanNumber } from "./number.ts";
import { takesDecimals, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  precision: z.int().min(1).max(1000).describe("Most digits in all"),
  scale: z.int().min(0).max(1000).describe("Most digits after the point"),
};

export type DecimalOptions = OptionsOf<typeof options>;

/** An exact decimal number. The digits go to the target as they stand, never through a float. */
export const decimal: TypePart<DecimalOptions> = {
  id: "decimal",
  title: "Decimal number",
  about: "An exact decimal number, its digits before and after the point counted.",
  options,
  line: {
    hint: "digits, decimals",
    show: ({ precision, scale }) => `${precision}, ${scale}`,
    take: (t) => {
      const m = /^\s*(\d+)\s*[,; ]\s*(\d+)\s*$/.exec(t);
      return m ? { precision: Number(m[1]), scale: Number(m[2]) } : { precision: 12, scale: 3 };
    },
  },
  fault: ({ precision, scale }) => (scale > precision ? "The scale can't be greater than the precision." : null),
  sql: ({ precision, scale }) => `numeric(${precision},${scale})`,
  fits: ({ type }, { precision, scale }) => takesDecimals(type, precision - scale, scale),
  expected: ({ precision, scale }) =>
    `a number with a decimal point, at most ${precision - scale} digits before it and ${scale} after it`,
  noun: "a number that fits",
  value: () => "double",
  order: () => "number",
  rewrites: false,
  convert({ precision, scale }) {
    const span = newNumberSpan();
    const whole = precision - scale;
    return (heap, cells, count, bad) => {
      const { start, end } = cells;
      const { bytes } = heap;
      let n = 0;
      for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (s === e || fitsPlainly(bytes, s, e, whole, scale)) continue;
        if (
          !scanNumber(bytes, s, e, span) ||
          span.wholeEnd - span.wholeStart > whole ||
          span.partEnd - span.partStart > scale
        ) {
          bad[n++] = r;
        } else if (bytes[s] === 43) start[r] = s + 1;
      }
      return n;
    };
  },
  examples: [
    { options: { precision: 9, scale: 3 }, from: "+56.70", to: "56.70" },
    { options: { precision: 9, scale: 3 }, from: "123456.7890", to: "123456.7890" },
    { options: { precision: 9, scale: 3 }, from: "1234567", to: null },
    { options: { precision: 9, scale: 3 }, from: "0.0001", to: null },
    { options: { precision: 9, scale: 3 }, from: "12,5", to: null },
    { options: { precision: 9, scale: 3 }, from: "1e3", to: null },
    {
      options: { precision: 30, scale: 10 },
      from: "12345678901234567890.0123456789",
      to: "12345678901234567890.0123456789",
    },
  ],
};

/** True for digits, a point and digits that fit as they stand; most numbers need no closer look. */
function fitsPlainly(bytes: Uint8Array, start: number, end: number, whole: number, scale: number): boolean {
  let p = bytes[start] === 45 ? start + 1 : start;
  const first = p;
  while (p < end && bytes[p]! >= 48 && bytes[p]! <= 57) p++;
  if (p === first || p - first > whole) return false;
  if (p === end) return true;
  if (bytes[p] !== 46 || end - p - 1 > scale) return false;
  for (p++; p < end; p++) if (bytes[p]! < 48 || bytes[p]! > 57) return false;
  return true;
}
