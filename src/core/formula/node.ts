import type { Expr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";
import { BAIL, type Value, type ValueType } from "./value.ts";

/** Our compiler has no word for it, and leaves it to the library. */
export class Unsupported extends Error {}

export type Run = (s: readonly (Value | bigint)[]) => Value;

/** A part of a formula made ready. */
export interface Node {
  readonly type: ValueType;
  readonly run: Run;
  /** It may have no value for some record. */
  readonly throws: boolean;
  readonly constant?: Value;
}

/** A node that is the same for every record. */
export function constantOf(type: ValueType, value: Value): Node {
  return { type, throws: false, constant: value, run: () => value };
}

/** A constant of the library's syntax tree. */
export function constant(kind: { case: string | undefined; value?: unknown }): Node {
  const made = constantOf;
  switch (kind.case) {
    case "nullValue":
      return { type: "null", throws: false, run: () => null };
    case "boolValue":
      return made("bool", kind.value as boolean);
    case "stringValue":
      return made("string", kind.value as string);
    case "doubleValue":
      return made("double", kind.value as number);
    case "int64Value": {
      const n = Number(kind.value as bigint);
      if (!Number.isSafeInteger(n)) throw new Unsupported();
      return made("int", n);
    }
    default:
      throw new Unsupported();
  }
}

export function isNull(expr: Expr): boolean {
  return expr.exprKind.case === "constExpr" && expr.exprKind.value.constantKind.case === "nullValue";
}

const NO_VALUE = "A field that the formula uses is empty.";

/** The value, which must be there. */
export function present(v: Value): Exclude<Value, null> {
  if (v === null) throw new Error(NO_VALUE);
  return v;
}

export function number(v: Value): number {
  if (v === null) throw new Error(NO_VALUE);
  return v as number;
}

export function text(v: Value): string {
  if (v === null) throw new Error(NO_VALUE);
  return v as string;
}

/** A whole number that is one exactly; where it is not, the library takes the record. */
export function safe(n: number): number {
  if (!Number.isSafeInteger(n)) throw BAIL;
  // Whole numbers have no zero below zero.
  return n + 0;
}

export function divisor(v: Value): number {
  const n = number(v);
  if (n === 0) throw new Error("A whole number is divided by zero.");
  return n;
}
