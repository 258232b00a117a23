import { define, type FormulaFunction } from "./define.ts";
import { BAIL, type Value, type ValueType } from "./value.ts";

/** The functions of CEL's extension `math`, as it specifies them. Whole numbers are of 64 bits. */

const EXTENSION = { standard: false } as const;

/** A whole number of 64 bits as formulas have it. */
function whole(n: bigint): number {
  const wrapped = BigInt.asIntN(64, n);
  if (wrapped > BigInt(Number.MAX_SAFE_INTEGER) || wrapped < BigInt(Number.MIN_SAFE_INTEGER)) throw BAIL;
  return Number(wrapped);
}

/** Halves away from zero. */
const rounded = (n: number): number => (n < 0 ? -Math.round(-n) : Math.round(n)) + 0;

/** The same function for each list of types. */
function each(
  name: string,
  types: readonly (readonly ValueType[])[],
  result: (types: readonly ValueType[]) => ValueType,
  params: readonly string[],
  about: string,
  examples: FormulaFunction["examples"],
  run: (...values: never[]) => Value,
): FormulaFunction[] {
  return types.map((args, i) =>
    define(
      `math.${name}`,
      args,
      result(args),
      params.slice(0, args.length),
      about,
      i === 0 ? examples : [],
      run,
      EXTENSION,
    ),
  );
}

const ONE: readonly (readonly ValueType[])[] = [["int"], ["double"]];
const DECIMAL: readonly (readonly ValueType[])[] = [["double"]];
/** Two to four numbers of one type, or two of either. */
const SOME: readonly (readonly ValueType[])[] = [
  ["int", "int"],
  ["double", "double"],
  ["int", "double"],
  ["double", "int"],
  ["int", "int", "int"],
  ["double", "double", "double"],
  ["int", "int", "int", "int"],
  ["double", "double", "double", "double"],
];
const own = (types: readonly ValueType[]): ValueType => (types.every((t) => t === "int") ? "int" : "double");
const is =
  (type: ValueType): (() => ValueType) =>
  () =>
    type;

function bits(
  name: string,
  about: string,
  examples: FormulaFunction["examples"],
  run: (a: bigint, b: bigint) => bigint,
): FormulaFunction {
  return define(
    `math.${name}`,
    ["int", "int"],
    "int",
    ["a", "b"],
    about,
    examples,
    (a: number, b: number) => whole(run(BigInt(a), BigInt(b))),
    EXTENSION,
  );
}

function shifted(n: bigint): bigint {
  if (n < 0n) throw new Error("Bits can't be shifted by less than nothing.");
  return n > 64n ? 64n : n;
}

export const MATH: readonly FormulaFunction[] = [
  ...each(
    "greatest",
    SOME,
    own,
    ["a", "b", "c", "d"],
    "The greatest of two to four numbers.",
    [["math.greatest(1, 3, 2)", 3]],
    (...n: readonly number[]) => Math.max(...n),
  ),
  ...each(
    "least",
    SOME,
    own,
    ["a", "b", "c", "d"],
    "The least of two to four numbers.",
    [["math.least(2.5, 1.5)", 1.5]],
    (...n: readonly number[]) => Math.min(...n),
  ),
  ...each("abs", ONE, own, ["number"], "A number without its sign.", [["math.abs(-3)", 3]], (n: number) => Math.abs(n)),
  ...each(
    "sign",
    ONE,
    own,
    ["number"],
    "1, 0 or -1, as a number is greater than nothing, nothing or less.",
    [["math.sign(-2)", -1]],
    (n: number) => Math.sign(n),
  ),
  ...each(
    "ceil",
    DECIMAL,
    own,
    ["number"],
    "The least whole number that is not less.",
    [["math.ceil(1.2)", 2]],
    (n: number) => Math.ceil(n),
  ),
  ...each(
    "floor",
    DECIMAL,
    own,
    ["number"],
    "The greatest whole number that is not greater.",
    [["math.floor(-1.5)", -2]],
    (n: number) => Math.floor(n),
  ),
  ...each(
    "round",
    DECIMAL,
    own,
    ["number"],
    "The nearest whole number, halves away from zero.",
    [["math.round(-2.5)", -3]],
    rounded,
  ),
  ...each(
    "trunc",
    DECIMAL,
    own,
    ["number"],
    "A number without what stands after its point.",
    [["math.trunc(-2.9)", -2]],
    (n: number) => Math.trunc(n),
  ),
  ...each("sqrt", ONE, is("double"), ["number"], "The square root.", [["math.sqrt(9)", 3]], (n: number) =>
    Math.sqrt(n),
  ),
  ...each(
    "isNaN",
    DECIMAL,
    is("bool"),
    ["number"],
    "Whether it is no number, as nothing divided by nothing is.",
    [["math.isNaN(0.0 / 0.0)", true]],
    (n: number) => Number.isNaN(n),
  ),
  ...each(
    "isInf",
    DECIMAL,
    is("bool"),
    ["number"],
    "Whether a number is without end.",
    [["math.isInf(1.0 / 0.0)", true]],
    (n: number) => Math.abs(n) === Infinity,
  ),
  ...each(
    "isFinite",
    DECIMAL,
    is("bool"),
    ["number"],
    "Whether it is a number with an end.",
    [["math.isFinite(1.5)", true]],
    (n: number) => Number.isFinite(n),
  ),
  bits("bitAnd", "The bits that both numbers have.", [["math.bitAnd(6, 3)", 2]], (a, b) => a & b),
  bits("bitOr", "The bits that either number has.", [["math.bitOr(6, 3)", 7]], (a, b) => a | b),
  bits("bitXor", "The bits that one of the numbers has.", [["math.bitXor(6, 3)", 5]], (a, b) => a ^ b),
  bits(
    "bitShiftLeft",
    "A number with its bits moved to the left.",
    [["math.bitShiftLeft(1, 4)", 16]],
    (a, b) => a << shifted(b),
  ),
  bits(
    "bitShiftRight",
    "A number with its bits moved to the right, noughts before them.",
    [["math.bitShiftRight(16, 2)", 4]],
    (a, b) => BigInt.asUintN(64, a) >> shifted(b),
  ),
  ...each(
    "bitNot",
    [["int"]],
    own,
    ["number"],
    "A number with all its bits the other way.",
    [["math.bitNot(1)", -2]],
    (n: number) => whole(~BigInt(n)),
  ),
];
