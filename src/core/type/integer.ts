import { z } from "zod";
import { utf8 } from "../kernel/bytes.ts";
import { compareNumbers, newNumberSpan, scanNumber } from "./number.ts";
import type { limits, TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const BITS = ["16", "32", "64"] as const;

const options = {
  bits: z.enum(BITS).optional().describe("Bits of its column: 16 smallint, 32 integer, 64 bigint; 64 unless said"),
};

export type IntegerOptions = OptionsOf<typeof options & typeof limits>;

interface Width {
  readonly column: string;
  readonly least: string;
  readonly most: string;
}

/** What a database's whole numbers hold, by their bits. */
const WIDTHS: Record<(typeof BITS)[number], Width> = {
  "16": { column: "smallint", least: "-32768", most: "32767" },
  "32": { column: "integer", least: "-2147483648", most: "2147483647" },
  "64": { column: "bigint", least: "-9223372036854775808", most: "9223372036854775807" },
};

/** A whole number of up to 64 bits. */
export const integer: TypePart<IntegerOptions> = {
  id: "integer",
  title: "Whole number",
  about: "A whole number of up to 64 bits, or of as many as its column has.",
  options,
  line: {
    hint: "bits, if not 64",
    show: ({ bits }) => bits ?? "",
    take: (t) => {
      const bits = BITS.find((b) => b === t.trim());
      return bits && bits !== "64" ? { bits } : {};
    },
  },
  sql: ({ bits = "64" }) => WIDTHS[bits].column,
  fits({ type }, { bits = "64", least, most }) {
    if (type === "numeric") return true;
    const width = BITS.find((b) => WIDTHS[b].column === type);
    if (!width) return false;
    if (Number(width) >= Number(bits)) return true;
    if (least === undefined || most === undefined) return false;
    return Number(least) >= Number(WIDTHS[width].least) && Number(most) <= Number(WIDTHS[width].most);
  },
  expected: ({ bits = "64" }) =>
    `digits, with a minus sign before them if need be, such as 1240${bits === "64" ? "" : `, from ${WIDTHS[bits].least} to ${WIDTHS[bits].most}`}`,
  noun: "a whole number",
  value: () => "int",
  order: () => "number",
  rewrites: false,
  convert({ bits = "64" }) {
    const { least: low, most: high } = WIDTHS[bits];
    const [lowBytes, highBytes] = [utf8(low), utf8(high)];
    const [span, least, most] = [newNumberSpan(), newNumberSpan(), newNumberSpan()];
    scanNumber(lowBytes, 0, lowBytes.length, least);
    scanNumber(highBytes, 0, highBytes.length, most);
    /** So few characters are a number within the limits, whatever its digits. */
    const few = high.length - 1;
    const fits = (bytes: Uint8Array, s: number, e: number): boolean => {
      for (let p = s; p < e; p++) if (bytes[p] === 46) return false;
      if (!scanNumber(bytes, s, e, span)) return false;
      return (
        e - s <= few ||
        (compareNumbers(bytes, span, highBytes, most) <= 0 && compareNumbers(bytes, span, lowBytes, least) >= 0)
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
    { options: { bits: "32" }, from: "2147483647", to: "2147483647" },
    { options: { bits: "32" }, from: "2147483648", to: null },
    { options: { bits: "16" }, from: "-32768", to: "-32768" },
    { options: { bits: "16" }, from: "32768", to: null },
    { options: {}, from: "12.0", to: null },
    { options: {}, from: "1 240", to: null },
    { options: {}, from: "-", to: null },
  ],
};
