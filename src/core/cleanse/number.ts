import { z } from "zod";
import { plainNumber } from "../type/written-number.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  decimal: z.enum([".", ",", "'", "٫"]).describe("The mark before the decimals"),
  percent: z.boolean().optional().describe("12 % becomes 0.12; without this the sign is only taken away"),
};

export type NumberOptions = OptionsOf<typeof options>;

/**
 * A number as people write it, in plain digits with a decimal point: groups, the decimal mark, signs
 * before or behind, brackets for less than nothing, currency marks, per cent, powers of ten. Every digit is kept;
 * what is no such number stays as it is, for the type to refuse.
 */
export const number: StepPart<NumberOptions> = {
  id: "number",
  title: "Numbers as people write them",
  about:
    "Writes a number in plain digits with a decimal point, whatever its groups, signs, currency marks and powers of ten.",
  options,
  words: ({ decimal, percent }) =>
    `numbers with “${decimal}” before the decimals${percent ? ", per cent as shares" : ""}`,
  apply: ({ decimal, percent }) =>
    byText((text) => plainNumber(text, decimal, percent === true) ?? text, notPlain(decimal)),
  examples: [
    { options: { decimal: "," }, from: "1.234.567,89", to: "1234567.89" },
    { options: { decimal: "." }, from: "1,234,567.89", to: "1234567.89" },
    { options: { decimal: "," }, from: "1 234,5", to: "1234.5" },
    { options: { decimal: "," }, from: "1\u202f234\u202f567", to: "1234567" },
    { options: { decimal: "." }, from: "1’234.50", to: "1234.50" },
    { options: { decimal: "." }, from: "(12.50)", to: "-12.50" },
    { options: { decimal: "." }, from: "12.50-", to: "-12.50" },
    { options: { decimal: "," }, from: "−3,5", to: "-3.5" },
    { options: { decimal: "." }, from: "€ 1,200", to: "1200" },
    { options: { decimal: "," }, from: "1.200,00 EUR", to: "1200.00" },
    { options: { decimal: ".", percent: true }, from: "12.5 %", to: "0.125" },
    { options: { decimal: "." }, from: "12.5 %", to: "12.5" },
    { options: { decimal: "٫" }, from: "١٢٣٤٫٥", to: "1234.5" },
    { options: { decimal: "." }, from: "12.345.678", to: "12.345.678" },
    { options: { decimal: "," }, from: "12.34.567", to: "12.34.567" },
    { options: { decimal: "." }, from: "12,34,567.5", to: "1234567.5" },
    { options: { decimal: "." }, from: "--5", to: "--5" },
    { options: { decimal: "." }, from: "9.64E-04", to: "0.000964" },
    { options: { decimal: "," }, from: "-1,5e+3", to: "-1500" },
    { options: { decimal: "." }, from: "1,5E3", to: "1,5E3" },
    { options: { decimal: "." }, from: "1E99", to: "1E99" },
    { options: { decimal: "." }, from: "-$5", to: "-5" },
    { options: { decimal: "," }, from: "1 234,50 zł", to: "1234.50" },
    { options: { decimal: "," }, from: "Kč 12", to: "12" },
    { options: { decimal: "." }, from: "1,23", to: "1,23" },
    { options: { decimal: "." }, from: "about 40", to: "about 40" },
    { options: { decimal: "." }, from: "12.50", to: "12.50" },
  ],
};

/** Passes over what is plain digits with a point at most, where the point is the decimal mark. */
function notPlain(mark: string): (bytes: Uint8Array, start: number, end: number) => boolean {
  return (bytes, start, end) => {
    for (let p = bytes[start] === 45 ? start + 1 : start; p < end; p++) {
      const b = bytes[p]!;
      if ((b < 48 || b > 57) && !(b === 46 && mark === ".")) return true;
    }
    return false;
  };
}
