import {
  CelScalar,
  celEnv,
  celFunc,
  celMethod,
  isCelError,
  isCelList,
  isCelUint,
  objectType,
  plan,
  type CelFunc,
  type CelType,
} from "@bufbuild/cel";
import { strings } from "@bufbuild/cel/ext";
import type { Expr, ParsedExpr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";
import { create } from "@bufbuild/protobuf";
import { DurationSchema, TimestampSchema, type Duration, type Timestamp } from "@bufbuild/protobuf/wkt";
import type { References } from "../kernel/reference.ts";
import { FUNCTIONS } from "./functions.ts";
import { patternOf } from "./patterns.ts";
import type { FormulaFunction } from "./define.ts";
import { MICROS, type Value, type ValueType } from "./value.ts";

const TYPES: Record<ValueType, CelType> = {
  int: CelScalar.INT,
  double: CelScalar.DOUBLE,
  string: CelScalar.STRING,
  bool: CelScalar.BOOL,
  timestamp: objectType(TimestampSchema),
  duration: objectType(DurationSchema),
  null: CelScalar.NULL,
  list: CelScalar.DYN,
  dyn: CelScalar.DYN,
};

/** One of our values as the library takes it. */
function toCel(value: Value | bigint, type: ValueType): unknown {
  if (value === null) return null;
  if (type === "int") return BigInt(value as number | bigint);
  if (type === "timestamp" || type === "duration") {
    const micros = value as number;
    const seconds = Math.floor(micros / MICROS);
    const nanos = Math.round(micros - seconds * MICROS) * 1000;
    if (type === "timestamp") return create(TimestampSchema, { seconds: BigInt(seconds), nanos });
    // A length of time has one sign in both its parts.
    return seconds < 0 && nanos > 0
      ? create(DurationSchema, { seconds: BigInt(seconds + 1), nanos: nanos - 1_000_000_000 })
      : create(DurationSchema, { seconds: BigInt(seconds), nanos });
  }
  // Numbers of lists are whole or decimal by what they are.
  if (Array.isArray(value)) return value.map((v) => toCel(v as Value, Number.isInteger(v) ? "int" : "dyn"));
  return value;
}

/** A value of the library's as one of ours; whole numbers past 2^53 stay as they are. */
export function fromCel(value: unknown): Value | bigint {
  if (typeof value === "bigint") {
    const n = Number(value);
    return Number.isSafeInteger(n) ? n : value;
  }
  if (value !== null && typeof value === "object") {
    if (isCelUint(value)) return fromCel(value.value);
    if (isCelList(value)) return [...value].map((v) => fromCel(v) as Value);
    const message = (value as { message?: Timestamp | Duration }).message ?? (value as Timestamp);
    if ("seconds" in message) return Number(message.seconds) * MICROS + Math.trunc(message.nanos / 1000);
    return null;
  }
  return value as Value;
}

const asFunc = (f: FormulaFunction): CelFunc => {
  const types = f.args.map((t) => TYPES[t]);
  const run = (args: readonly unknown[]): never =>
    toCel(f.run(...(args.map((a) => fromCel(a)) as never[])), f.result) as never;
  return f.method
    ? celMethod(f.name, types[0]!, types.slice(1), TYPES[f.result], function (this: unknown, ...args: unknown[]) {
        return run([this, ...args]);
      })
    : celFunc(f.name, types, TYPES[f.result], (...args: unknown[]) => run(args));
};

const ours = FUNCTIONS.filter((f) => !f.standard);

function envOf(functions: readonly FormulaFunction[]): ReturnType<typeof celEnv> {
  return celEnv({
    funcs: [...strings, ...functions.map(asFunc)],
    re2: { compile: (pattern: string) => patternOf(pattern) },
  });
}

const ENV = envOf(ours);
/** Those of formulas that ask lists. */
const envs = new WeakMap<References, typeof ENV>();

function envWith(lists: References): typeof ENV {
  let env = envs.get(lists);
  if (!env) {
    env = envOf(ours.map((f) => (f.withLists ? { ...f, run: f.withLists(lists) } : f)));
    envs.set(lists, env);
  }
  return env;
}

/**
 * The library's own way through a formula: slower than ours, and the one that ours must agree with.
 * Gives a function from values by name and the day of the load in microseconds; it throws where CEL says that there is no value. `lists` are
 * those that it asks, if it asks any.
 */
export function referenceOf(
  expr: Expr | ParsedExpr,
  lists: References | null = null,
): (
  names: readonly string[],
  types: readonly ValueType[],
  values: readonly (Value | bigint)[],
  day?: number | null,
) => Value | bigint {
  const run = plan(lists ? envWith(lists) : ENV, expr) as (bindings: Record<string, unknown>) => unknown;
  return (names, types, values, day = null) => {
    const bindings: Record<string, unknown> = day === null ? {} : { load: { day: toCel(day, "timestamp") } };
    names.forEach((name, i) => (bindings[name] = toCel(values[i]!, types[i]!)));
    const result = run(bindings);
    if (isCelError(result)) throw new Error(result.message);
    return fromCel(result);
  };
}
