import { z } from "zod";
import { newNumberSpan, scanNumber } from "./number.ts";
import type { TypePart } from "./part.ts";

export interface DecimalOptions {
  readonly precision: number;
  readonly scale: number;
}

/** An exact decimal number. The digits go to the target as they stand, never through a float. */
export const decimal: TypePart<DecimalOptions> = {
  id: "decimal",
  title: "Decimal number",
  options: {
    precision: z.int().min(1).max(1000).describe("Most digits in all"),
    scale: z.int().min(0).max(1000).describe("Most digits after the point"),
  },
  sql: ({ precision, scale }) => `numeric(${precision},${scale})`,
  expected: ({ precision, scale }) =>
    `a number with a decimal point, at most ${precision - scale} digits before it and ${scale} after it`,
  noun: "a number that fits",
  order: "number",
  convert({ precision, scale }) {
    const span = newNumberSpan();
    const whole = precision - scale;
    return (heap, cells, r) => {
      const s = cells.start[r]!;
      if (!scanNumber(heap.bytes, s, cells.end[r]!, span)) return false;
      if (span.wholeEnd - span.wholeStart > whole || span.partEnd - span.partStart > scale) return false;
      if (heap.bytes[s] === 43) cells.start[r] = s + 1;
      return true;
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
