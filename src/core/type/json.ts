import { LosslessNumber, parse } from "lossless-json";
import { cellText } from "../kernel/bytes.ts";
import { eachCell } from "../kernel/column.ts";
import type { TypePart } from "./part.ts";

/** Brackets within brackets; the database's own limit is its stack. */
const MOST_NESTED = 200;
/** The greatest exponent of a number that the database keeps (numeric: 131,072 digits before the point). */
const MOST_EXPONENT = 10_000;

class Refused extends Error {}

/** A number as it is written, where the database can keep it. */
function numberOf(text: string): LosslessNumber {
  const exponent = /[eE]([+-]?\d+)$/.exec(text)?.[1];
  if (text.length > MOST_EXPONENT || (exponent !== undefined && Math.abs(Number(exponent)) > MOST_EXPONENT))
    throw new Refused();
  return new LosslessNumber(text);
}

/**
 * The value of a JSON text (RFC 8259), numbers as they are written (`LosslessNumber`); undefined for what is none, for an object that
 * gives a key twice with different values, and for what a database's jsonb does not keep: half characters, NUL,
 * numbers of tens of thousands of digits.
 */
export function jsonValue(text: string): unknown {
  // The database keeps characters, and of these neither.
  if (/\\u0000/i.test(text) || /\p{Surrogate}/u.test(text) || /\\ud[89a-f]/i.test(text)) {
    if (/\\u0000/i.test(text) || /\p{Surrogate}/u.test(unescaped(text))) return undefined;
  }
  let depth = 0;
  let most = 0;
  for (const [mark] of text.matchAll(/"(?:[^"\\]|\\.)*"|[[{]|[\]}]/g)) {
    if (mark === "[" || mark === "{") most = Math.max(most, ++depth);
    else if (mark === "]" || mark === "}") depth--;
  }
  if (most > MOST_NESTED) return undefined;
  try {
    // The slower parser takes this key for the object's prototype.
    if (text.includes("__proto__")) return JSON.parse(text);
    return parse(text, null, {
      parseNumber: numberOf,
      onDuplicateKey: () => {
        throw new Refused();
      },
    });
  } catch {
    return undefined;
  }
}

/** A JSON text with its escapes of halves of characters written out, where two make one. */
function unescaped(text: string): string {
  return text.replace(/\\\\|\\u(d[0-9a-f]{3})/gi, (all, code: string | undefined) =>
    code === undefined ? all : String.fromCharCode(parseInt(code, 16)),
  );
}

/** A JSON text of any shape; what is in it is kept as it is. */
export const json: TypePart<object> = {
  id: "json",
  title: "JSON",
  about: "A JSON text (RFC 8259) of any shape; no key of an object twice with different values.",
  options: {},
  sql: () => "jsonb",
  fits: ({ type }) => type === "jsonb" || type === "json",
  expected: () => 'a JSON text such as {"g": 12} or ["a", "b"], no key of an object twice',
  noun: "JSON",
  value: () => "string",
  order: () => null,
  rewrites: false,
  convert: () => eachCell((heap, cells, r) => jsonValue(cellText(heap, cells, r)) !== undefined),
  examples: [
    { options: {}, from: '{"a": [1, {"b": null}]}', to: '{"a": [1, {"b": null}]}' },
    { options: {}, from: "12345678901234567890.10", to: "12345678901234567890.10" },
    { options: {}, from: '"\\ud83c\\udf31"', to: '"\\ud83c\\udf31"' },
    { options: {}, from: '"\\ud83c"', to: null },
    { options: {}, from: '"a\\u0000"', to: null },
    { options: {}, from: '{"a": 1, "a": 2}', to: null },
    { options: {}, from: '{"a": 1e99999}', to: null },
    { options: {}, from: "{a: 1}", to: null },
    { options: {}, from: "[1, 2", to: null },
  ],
};
