import type { References } from "../kernel/reference.ts";
import type { Value, ValueType } from "./value.ts";

/** A function of the formula language beyond CEL's own, or one of CEL's that is compiled by us. */
export interface FormulaFunction {
  readonly name: string;
  /** Called as value.name(…). */
  readonly method: boolean;
  /** For a method the value itself comes first. */
  readonly args: readonly ValueType[];
  readonly result: ValueType;
  /** Part of CEL: its library has it too, and the two must agree. */
  readonly standard: boolean;
  /** What it gives, in one sentence. */
  readonly about: string;
  readonly params: readonly string[];
  /** Formulas with what they give, run as tests. */
  readonly examples: readonly (readonly [string, Value])[];
  run(...args: never[]): Value;
  /** Of a function that asks reference lists: what is run, once they are at hand. */
  readonly withLists?: (lists: References) => (...args: never[]) => Value;
}

/** A function with its arguments first, as the tables of them are written. */
export function define<const A extends readonly ValueType[]>(
  name: string,
  args: A,
  result: ValueType,
  params: readonly string[],
  about: string,
  examples: FormulaFunction["examples"],
  run: (...values: never[]) => Value,
  more: Partial<Pick<FormulaFunction, "method" | "standard" | "withLists">> = {},
): FormulaFunction {
  return { name, method: false, standard: false, args, result, params, about, examples, run, ...more };
}
