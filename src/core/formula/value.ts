import { typePart, type TypeId } from "../type/index.ts";
import type { ValueType } from "../type/part.ts";

export type { ValueType };

/** In words, for messages. */
export const TYPE_WORDS: Record<ValueType, string> = {
  int: "a whole number",
  double: "a decimal number",
  string: "a text",
  bool: "true or false",
  timestamp: "a date or time",
  duration: "a length of time",
  null: "nothing",
  list: "a list",
  dyn: "a value",
};

/** Times and lengths of time are microseconds, times since 1970 in UTC; whole numbers are at most 2^53. */
export type Value = number | string | boolean | null | readonly Value[];

/** What a formula gives when a field that it needs is empty. */
export const EMPTY = Symbol("empty");

/** Thrown where a whole number is too large for a double: the library takes such a record. */
export const BAIL = new Error("too large a whole number");

/** What a field's values are in a formula: a decimal is a double, a date the first moment of its day in UTC. */
export function valueTypeOf(field: { readonly type: TypeId }): ValueType {
  return typePart(field.type).value(field);
}

export const MICROS = 1_000_000;
export const DAY = 86_400 * MICROS;

/** A canonical date or timestamp as microseconds. */
export function microsOf(text: string): number {
  const day = Date.parse(`${text.slice(0, 10)}T${text.length > 10 ? text.slice(11, 19) : "00:00:00"}Z`) * 1000;
  return text.length > 20 ? day + Number(text.slice(20, 26).padEnd(6, "0")) : day;
}

/** A time as a cell has it before it is checked: a day, or a day with its time. */
export function timeText(micros: number, day: boolean): string {
  const iso = new Date(Math.floor(micros / 1000)).toISOString();
  if (day) return iso.slice(0, 10);
  const part = ((micros % MICROS) + MICROS) % MICROS;
  return `${iso.slice(0, 19)}.${String(part).padStart(6, "0")}Z`;
}

/** A number in plain digits, however large or small. */
export function numberText(n: number): string {
  if (Number.isInteger(n) && Math.abs(n) < 1e21) return String(n === 0 ? 0 : n);
  const text = String(n);
  if (!/e/.test(text)) return text;
  return n.toFixed(20).replace(/0+$/, "").replace(/\.$/, "");
}
