import { isLosslessNumber, stringify } from "lossless-json";
import { jsonValue } from "../type/json.ts";
import { define, type FormulaFunction } from "./define.ts";

/** Functions that take apart what a value of a type is made of. */

/** The value at a JSON Pointer (RFC 6901, 2013) as a text: a text itself, anything else as JSON; "" where there is none. */
function jsonAt(text: string, pointer: string): string {
  if (pointer !== "" && !pointer.startsWith("/")) throw new Error(`“${pointer.slice(0, 40)}” is no JSON Pointer.`);
  let value = jsonValue(text);
  if (value === undefined) throw new Error("The text is not JSON.");
  for (const part of pointer.split("/").slice(1)) {
    const key = part.replaceAll("~1", "/").replaceAll("~0", "~");
    if (Array.isArray(value)) value = /^(0|[1-9]\d*)$/.test(key) ? (value as unknown[])[Number(key)] : undefined;
    else if (typeof value === "object" && value !== null && Object.hasOwn(value, key))
      value = (value as Record<string, unknown>)[key];
    else return "";
    if (value === undefined) return "";
  }
  if (value === null) return "";
  return typeof value === "object" && !isLosslessNumber(value) ? (stringify(value) ?? "") : String(value);
}

const AMOUNT = /^(-?\d+(?:\.\d+)?) ([A-Z]{3})$/;

/** An amount that names its currency, taken apart. */
function amount(text: string): { number: number; currency: string } {
  const match = AMOUNT.exec(text);
  if (!match) throw new Error(`“${text.slice(0, 40)}” is no amount with its currency.`);
  return { number: Number(match[1]), currency: match[2]! };
}

export const PARTS_OF_VALUES: readonly FormulaFunction[] = [
  define(
    "jsonAt",
    ["string", "string"],
    "string",
    ["json", "pointer"],
    "What stands in a JSON text at a pointer (RFC 6901), as a text; an empty one where there is nothing.",
    [
      [`jsonAt('{"site": {"code": "SMH"}, "g": [1.50, 2]}', '/site/code')`, "SMH"],
      [`jsonAt('{"site": {"code": "SMH"}, "g": [1.50, 2]}', '/g/0')`, "1.50"],
      [`jsonAt('{"a": 1}', '/b')`, ""],
    ],
    jsonAt,
  ),
  define(
    "amountOf",
    ["string"],
    "double",
    ["money"],
    "The number of an amount that names its currency.",
    [["amountOf('12.50 EUR')", 12.5]],
    (text: string) => amount(text).number,
  ),
  define(
    "currencyOf",
    ["string"],
    "string",
    ["money"],
    "The currency of an amount that names it.",
    [["currencyOf('12.50 EUR')", "EUR"]],
    (text: string) => amount(text).currency,
  ),
];
