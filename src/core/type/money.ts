import { z } from "zod";
import { cellText } from "../kernel/bytes.ts";
import { eachCell } from "../kernel/column.ts";
import { currenciesIn, currencyWords, decimalsOf, isCurrency } from "./currency.ts";
import { charactersOf, takesDecimals, type TypePart } from "./part.ts";
import { plainNumber } from "./written-number.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  currency: z
    .string()
    .refine(isCurrency, "A currency is one of ISO 4217, such as EUR.")
    .optional()
    .describe("The currency of all amounts (ISO 4217); left out, each amount names its own"),
  decimal: z.enum([".", ","]).optional().describe("The mark before the decimals; a point unless said"),
  scale: z.int().min(0).max(8).optional().describe("Most decimals; as the currency is usually written unless said"),
};

export type MoneyOptions = OptionsOf<typeof options>;

/** Digits before the point. */
const WHOLE = 14;
/** Decimals of any currency, where each amount names its own. */
const MOST_DECIMALS = 4;

const scaleOf = ({ currency, scale }: MoneyOptions): number =>
  scale ?? (currency ? decimalsOf(currency) : MOST_DECIMALS);

/** An amount as it is kept, with its currency behind it where the contract names none; null for what is none. */
function amountOf(text: string, { currency, decimal = ".", scale }: MoneyOptions): string | null {
  const named = currenciesIn(text);
  if (!named) return null;
  let own = currency;
  // A sign of many currencies, such as $, may mean the contract's; alone it means none for certain.
  if (own !== undefined ? named.size > 0 && !named.has(own) : named.size !== 1) return null;
  own ??= [...named][0]!;
  // Between a sign and its number only spaces stand, and nothing else is a word.
  if (/\p{L}|%/u.test(text.replace(currencyWords(), ""))) return null;
  const number = plainNumber(text, decimal, false);
  if (number === null) return null;
  const decimals = scale ?? decimalsOf(own);
  const [whole, part = ""] = number.split(".") as [string, string?];
  const digits = part.replace(/0+$/, "");
  if (digits.length > decimals || whole.replace(/^-?0*/, "").length > WHOLE) return null;
  const plain = whole.replace(/^(-?)0+(?=\d)/, "$1") + (decimals > 0 ? `.${digits.padEnd(decimals, "0")}` : "");
  return currency === undefined ? `${plain} ${own}` : plain;
}

/** An amount of money: of one currency for all, or each with its own; never rounded. */
export const money: TypePart<MoneyOptions> = {
  id: "money",
  title: "Amount of money",
  about: "An amount of money, of one currency for all or each with its own; never rounded, never of another currency.",
  options,
  line: {
    hint: "currency, if one for all",
    show: ({ currency, decimal, scale }) =>
      [currency ?? "", decimal ? `decimal ${decimal}` : "", scale === undefined ? "" : String(scale)]
        .filter((x) => x !== "")
        .join(" "),
    take(t) {
      const currency = /\b[A-Za-z]{3}\b/.exec(t)?.[0].toUpperCase();
      const scale = /(?:^|\s)([0-8])(?:\s|$)/.exec(t)?.[1];
      return {
        ...(currency !== undefined && isCurrency(currency) ? { currency } : {}),
        ...(/decimal\s*,/.test(t) ? { decimal: "," as const } : {}),
        ...(scale === undefined ? {} : { scale: Number(scale) }),
      };
    },
  },
  sql: (options) =>
    options.currency === undefined ? "text" : `numeric(${WHOLE + scaleOf(options)},${scaleOf(options)})`,
  fits: ({ type }, options) =>
    options.currency === undefined
      ? charactersOf(type) >= WHOLE + MOST_DECIMALS + 6
      : takesDecimals(type, WHOLE, scaleOf(options)),
  expected: ({ currency, decimal = "." }) =>
    currency === undefined
      ? `an amount with its currency, such as 12${decimal}50 EUR; a sign alone will do where only one currency has it`
      : `an amount in ${currency}, with at most ${decimalsOf(currency)} decimals`,
  noun: "an amount of money of that kind",
  value: ({ currency }) => (currency === undefined ? "string" : "double"),
  order: ({ currency }) => (currency === undefined ? null : "number"),
  rewrites: true,
  convert: (options) =>
    eachCell((heap, cells, r) => {
      const amount = amountOf(cellText(heap, cells, r), options);
      if (amount === null) return false;
      cells.start[r] = heap.append(amount);
      cells.end[r] = heap.length;
      return true;
    }),
  examples: [
    { options: { currency: "EUR" }, from: "€ 1,234.5", to: "1234.50" },
    { options: { currency: "EUR", decimal: "," }, from: "1.234,50 €", to: "1234.50" },
    { options: { currency: "EUR" }, from: "12", to: "12.00" },
    { options: { currency: "EUR" }, from: "12 USD", to: null },
    { options: { currency: "AUD" }, from: "$5", to: "5.00" },
    { options: { currency: "EUR" }, from: "1.005", to: null },
    { options: { currency: "JPY" }, from: "¥1,200", to: "1200" },
    { options: { currency: "JPY" }, from: "1200.50", to: null },
    { options: { currency: "EUR" }, from: "12 euros or so", to: null },
    { options: {}, from: "12.5 EUR", to: "12.50 EUR" },
    { options: {}, from: "zł 7", to: "7.00 PLN" },
    { options: {}, from: "$5", to: null },
    { options: {}, from: "12.50", to: null },
    { options: {}, from: "(3.00) GBP", to: "-3.00 GBP" },
  ],
};
