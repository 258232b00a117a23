import { utf8 } from "../kernel/bytes.ts";
import { compareNumbers, newNumberSpan, scanNumber } from "./number.ts";
import type { TypePart } from "./part.ts";

const MOST = utf8("9223372036854775807");
const LEAST = utf8("-9223372036854775808");

/** A whole number of up to 64 bits. */
export const integer: TypePart<object> = {
  id: "integer",
  title: "Whole number",
  options: {},
  sql: () => "bigint",
  expected: () => "digits, with a minus sign before them if need be, such as 1240",
  noun: "a whole number",
  order: "number",
  convert() {
    const span = newNumberSpan();
    const most = newNumberSpan();
    const least = newNumberSpan();
    scanNumber(MOST, 0, MOST.length, most);
    scanNumber(LEAST, 0, LEAST.length, least);
    const fits = (bytes: Uint8Array, s: number, e: number): boolean => {
      for (let p = s; p < e; p++) if (bytes[p] === 46) return false;
      if (!scanNumber(bytes, s, e, span)) return false;
      return (
        e - s <= 18 || (compareNumbers(bytes, span, MOST, most) <= 0 && compareNumbers(bytes, span, LEAST, least) >= 0)
      );
    };
    return (heap, cells, count, bad) => {
      const { start, end } = cells;
      const { bytes } = heap;
      let n = 0;
      for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (s === e) continue;
        if (!fits(bytes, s, e)) bad[n++] = r;
        else if (bytes[s] === 43) start[r] = s + 1;
      }
      return n;
    };
  },
  examples: [
    { options: {}, from: "+12", to: "12" },
    { options: {}, from: "-9223372036854775808", to: "-9223372036854775808" },
    { options: {}, from: "9223372036854775808", to: null },
    { options: {}, from: "12.0", to: null },
    { options: {}, from: "1 240", to: null },
    { options: {}, from: "-", to: null },
  ],
};
