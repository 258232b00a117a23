import { define, type FormulaFunction } from "./define.ts";
import { BAIL, numberText } from "./value.ts";

/** Rounds half away from zero on the decimal digits as they are written, not on the double beneath. */
function round(n: number, digits: number): number {
  if (!Number.isFinite(n)) return n;
  const rounded = Number(`${Math.round(Number(`${Math.abs(n)}e${digits}`))}e${-digits}`);
  return Number.isNaN(rounded) ? n : n < 0 ? -rounded : rounded;
}

/** Functions about numbers. */
export const OF_NUMBERS: readonly FormulaFunction[] = [
  define(
    "round",
    ["double", "int"],
    "double",
    ["number", "digits"],
    "A number rounded to so many digits after the point, halves away from zero.",
    [
      ["round(1.005, 2)", 1.01],
      ["round(-2.5, 0)", -3],
    ],
    round,
  ),
  define("abs", ["double"], "double", ["number"], "A number without its sign.", [["abs(-2.5)", 2.5]], (n: number) =>
    Math.abs(n),
  ),
  define("abs", ["int"], "int", ["number"], "A number without its sign.", [["abs(-3)", 3]], (n: number) => Math.abs(n)),
  define(
    "floor",
    ["double"],
    "double",
    ["number"],
    "The greatest whole number that is not greater.",
    [["floor(-1.5)", -2]],
    (n: number) => Math.floor(n),
  ),
  define(
    "ceil",
    ["double"],
    "double",
    ["number"],
    "The least whole number that is not less.",
    [["ceil(1.2)", 2]],
    (n: number) => Math.ceil(n),
  ),
  define(
    "least",
    ["double", "double"],
    "double",
    ["a", "b"],
    "The lesser of two numbers.",
    [["least(2.0, 1.5)", 1.5]],
    (a: number, b: number) => Math.min(a, b),
  ),
  define(
    "greatest",
    ["double", "double"],
    "double",
    ["a", "b"],
    "The greater of two numbers.",
    [["greatest(2.0, 1.5)", 2]],
    (a: number, b: number) => Math.max(a, b),
  ),
  define(
    "number",
    ["string"],
    "double",
    ["text"],
    "The number that a text writes with a decimal point.",
    [["number('12.50')", 12.5]],
    (s: string) => {
      if (!/^\s*[+-]?(\d+\.?\d*|\.\d+)\s*$/.test(s)) throw new Error(`“${s.slice(0, 40)}” is not a number.`);
      return Number(s);
    },
  ),
  define(
    "double",
    ["int"],
    "double",
    ["number"],
    "A whole number as a decimal one.",
    [["double(2) / 4.0", 0.5]],
    (n: number) => n,
    { standard: true },
  ),
  define("double", ["double"], "double", ["number"], "The number itself.", [["double(2.5)", 2.5]], (n: number) => n, {
    standard: true,
  }),
  define(
    "int",
    ["double"],
    "int",
    ["number"],
    "A decimal number without what stands after its point.",
    [["int(2.9)", 2]],
    (n: number) => {
      if (!(Math.abs(n) < 2 ** 53)) throw BAIL;
      return Math.trunc(n) + 0;
    },
    { standard: true },
  ),
  define("int", ["int"], "int", ["number"], "The number itself.", [["int(3)", 3]], (n: number) => n, {
    standard: true,
  }),
  define(
    "string",
    ["int"],
    "string",
    ["number"],
    "A whole number as a text.",
    [["string(12) + ' g'", "12 g"]],
    (n: number) => String(n),
    { standard: true },
  ),
  define("string", ["string"], "string", ["text"], "The text itself.", [["string('a')", "a"]], (s: string) => s, {
    standard: true,
  }),
  define(
    "text",
    ["double"],
    "string",
    ["number"],
    "A number as a text in plain digits.",
    [
      ["text(0.00000012)", "0.00000012"],
      ["text(2.0)", "2"],
    ],
    (n: number) => numberText(n),
  ),
];
