import { z } from "zod";
import { byText, type StepPart } from "./part.ts";

export interface NumberOptions {
  readonly decimal: "." | "," | "'" | "٫";
  readonly percent?: boolean | undefined;
}

/** Marks that stand between groups of digits somewhere, and spaces of any kind. */
const GROUPS = /[\s\u00a0\u202f\u2009'’٬.,_](?=\d)/g;
/** Signs before or behind, and brackets that mean less than nothing in accounts. */
const SIGNS = /^[-+\u2212\u2013(\s]+|[-+\u2212\u2013)\s]+$/gu;

let currencies: RegExp | null = null;

/** Signs and codes of all currencies, and what they are called for short: €, EUR, zł, Kč. */
function currency(): RegExp {
  if (currencies) return currencies;
  const words = new Set<string>(["kr", "руб", "лв", "грн"]);
  for (const code of Intl.supportedValuesOf("currency")) {
    words.add(code);
    const parts = new Intl.NumberFormat("en", { style: "currency", currency: code, currencyDisplay: "narrowSymbol" });
    const symbol = parts.formatToParts(1).find((p) => p.type === "currency")!.value;
    words.add(symbol);
  }
  const escaped = [...words]
    .filter((w) => !/^\p{Sc}$/u.test(w))
    .sort((x, y) => y.length - x.length)
    .map((w) => w.replace(/[$.*+?^()[\]{}|\\]/g, "\\$&"));
  currencies = new RegExp(`(?<!\\p{L})(?:${escaped.join("|")})\\.?(?!\\p{L})|\\p{Sc}`, "gu");
  return currencies;
}

/** Marks that only say in which direction a line runs. */
const DIRECTIONS = /[\u200e\u200f\u061c]/g;
/** The first of each of Unicode's runs of decimal digits that numbers are written in. */
const ZEROS = [0x660, 0x6f0, 0x966, 0x9e6, 0xff10];

/**
 * A number as people write it, in plain digits with a decimal point: groups, the decimal mark, signs
 * before or behind, brackets for less than nothing, currency marks, per cent. Every digit is kept;
 * what is no such number stays as it is, for the type to refuse.
 */
export const number: StepPart<NumberOptions> = {
  id: "number",
  title: "Numbers as people write them",
  about: "Writes a number in plain digits with a decimal point, whatever its groups, signs and currency marks.",
  options: {
    decimal: z.enum([".", ",", "'", "٫"]).describe("The mark before the decimals"),
    percent: z.boolean().optional().describe("12 % becomes 0.12; without this the sign is only taken away"),
  },
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
    { options: { decimal: "." }, from: "-$5", to: "-5" },
    { options: { decimal: "," }, from: "1 234,50 zł", to: "1234.50" },
    { options: { decimal: "," }, from: "Kč 12", to: "12" },
    { options: { decimal: "." }, from: "1,23", to: "1,23" },
    { options: { decimal: "." }, from: "about 40", to: "about 40" },
    { options: { decimal: "." }, from: "12.50", to: "12.50" },
  ],
};

/** The number that a text writes, or null. @param mark the mark before the decimals */
export function plainNumber(text: string, mark: string, share: boolean): string | null {
  let t = text.replace(DIRECTIONS, "").trim();
  if (/[\p{L}\p{Sc}]/u.test(t)) t = t.replace(currency(), "").trim();
  t = t.replace(/[٠-٩۰-۹०-९০-৯０-９]/g, (d) => {
    const code = d.charCodeAt(0);
    return String(code - ZEROS.findLast((z) => z <= code)!);
  });
  const percent = /[%٪]$|^[%٪]/.test(t);
  if (percent) t = t.replace(/[%٪]$|^[%٪]/, "").trim();
  const signs = [...t.matchAll(SIGNS)].join("").replace(/\s/g, "");
  // One sign, or brackets around it all: of two nobody knows what is meant.
  if (signs.length > 1 && signs !== "()") return null;
  const negative = signs !== "" && signs !== "+";
  if (signs.length === 1 && /[()]/.test(signs)) return null;
  t = t.replace(SIGNS, "");
  const at = t.lastIndexOf(mark);
  const whole = at < 0 ? t : t.slice(0, at);
  const part = at < 0 ? "" : t.slice(at + 1);
  if (whole.includes(mark) || !/^\d*$/.test(part) || (whole === "" && part === "")) return null;
  const groups = whole.split(GROUPS);
  const between = whole.match(GROUPS) ?? [];
  if (!groups.every((g) => /^\d*$/.test(g)) || between.some((g) => g !== between[0])) return null;
  const [first, ...others] = groups as [string, ...string[]];
  const threes = others.every((g) => g.length === 3);
  // In India all groups but the last have two digits, with commas between.
  const twos =
    mark === "." &&
    between[0] === "," &&
    others.at(-1)?.length === 3 &&
    others.slice(0, -1).every((g) => g.length === 2);
  if ((!threes && !twos) || (others.length > 0 && (first.length > 3 || first === ""))) return null;
  const digits = groups.join("") || "0";
  const plain = percent && share ? shifted(digits, part) : part === "" ? digits : `${digits}.${part}`;
  return negative ? `-${plain}` : plain;
}

/** Digits divided by a hundred, none lost. */
function shifted(whole: string, part: string): string {
  const padded = whole.padStart(3, "0");
  const result = `${padded.slice(0, -2)}.${padded.slice(-2)}${part}`.replace(/0+$/, "").replace(/\.$/, "");
  return result.replace(/^0+(?=\d)/, "");
}

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
