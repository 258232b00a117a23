import { IDENTIFIER_KINDS, identifierOf, type IdentifierKind } from "../kernel/check-digits.ts";
import { define, type FormulaFunction } from "./define.ts";
import { patternOf } from "./patterns.ts";

const METHOD = { method: true, standard: true } as const;

/** White space as Unicode has it, at both ends. */
const ENDS =
  /^[\t-\r \u0085\u00a0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000]+|[\t-\r \u0085\u00a0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000]+$/g;
const letters = (text: string): string[] => Array.from(text);
/** Characters, not the units that they are kept in. */
function sizeOf(text: string): number {
  let n = text.length;
  for (let i = 0; i + 1 < text.length; i++) {
    if ((text.charCodeAt(i) & 0xfc00) !== 0xd800 || (text.charCodeAt(i + 1) & 0xfc00) !== 0xdc00) continue;
    n--;
    i++;
  }
  return n;
}
/** Functions about texts. */
export const OF_TEXT: readonly FormulaFunction[] = [
  define("size", ["string"], "int", ["text"], "How many characters a text has.", [["size('Ålund')", 5]], sizeOf, {
    standard: true,
  }),
  define("size", ["string"], "int", [], "How many characters a text has.", [["'abc'.size()", 3]], sizeOf, METHOD),
  define(
    "contains",
    ["string", "string"],
    "bool",
    ["part"],
    "Whether a text has another in it.",
    [["'Outer Skerry'.contains('Sk')", true]],
    (s: string, p: string) => s.includes(p),
    METHOD,
  ),
  define(
    "startsWith",
    ["string", "string"],
    "bool",
    ["beginning"],
    "Whether a text begins with another.",
    [["'BHG-1'.startsWith('BHG')", true]],
    (s: string, p: string) => s.startsWith(p),
    METHOD,
  ),
  define(
    "endsWith",
    ["string", "string"],
    "bool",
    ["end"],
    "Whether a text ends with another.",
    [["'a.csv'.endsWith('.csv')", true]],
    (s: string, p: string) => s.endsWith(p),
    METHOD,
  ),
  define(
    "matches",
    ["string", "string"],
    "bool",
    ["pattern"],
    "Whether a pattern (RE2) is found in a text; ^ and $ for all of it.",
    [["'SMH-2026'.matches('^[A-Z]{3}-[0-9]+$')", true]],
    (s: string, p: string) => patternOf(p).test(s),
    METHOD,
  ),
  define("lower", ["string"], "string", ["text"], "A text in lower case.", [["lower('ÉTÉ')", "été"]], (s: string) =>
    s.toLowerCase(),
  ),
  define("upper", ["string"], "string", ["text"], "A text in upper case.", [["upper('été')", "ÉTÉ"]], (s: string) =>
    s.toUpperCase(),
  ),
  define(
    "trim",
    ["string"],
    "string",
    [],
    "A text without white space at its ends.",
    [["' a '.trim()", "a"]],
    (s: string) => s.replace(ENDS, ""),
    METHOD,
  ),
  define(
    "left",
    ["string", "int"],
    "string",
    ["text", "count"],
    "The first characters of a text.",
    [["left('SMH-2026', 3)", "SMH"]],
    (s: string, n: number) => letters(s).slice(0, Math.max(0, n)).join(""),
  ),
  define(
    "right",
    ["string", "int"],
    "string",
    ["text", "count"],
    "The last characters of a text.",
    [
      ["right('SMH-2026', 4)", "2026"],
      ["right('a', 0)", ""],
    ],
    (s: string, n: number) => (n <= 0 ? "" : letters(s).slice(-n).join("")),
  ),
  define(
    "middle",
    ["string", "int", "int"],
    "string",
    ["text", "from", "count"],
    "Characters of a text from a place on, the first is 1.",
    [["middle('SMH-2026', 5, 4)", "2026"]],
    (s: string, from: number, n: number) =>
      letters(s)
        .slice(Math.max(0, from - 1), Math.max(0, from - 1 + n))
        .join(""),
  ),
  define(
    "find",
    ["string", "string"],
    "int",
    ["text", "part"],
    "Where a text first has another in it, the first place is 1; 0 when it has not.",
    [
      ["find('SMH-2026', '-')", 4],
      ["find('a', 'x')", 0],
    ],
    (s: string, p: string) => {
      const at = s.indexOf(p);
      return at < 0 ? 0 : letters(s.slice(0, at)).length + 1;
    },
  ),
  define(
    "swap",
    ["string", "string", "string"],
    "string",
    ["text", "part", "by"],
    "A text with every place of a part replaced.",
    [["swap('1,5', ',', '.')", "1.5"]],
    (s: string, a: string, b: string) => (a === "" ? s : s.split(a).join(b)),
  ),
  define(
    "swap_pattern",
    ["string", "string", "string"],
    "string",
    ["text", "pattern", "by"],
    "A text with every match of a pattern replaced; $1 is its first group.",
    [["swap_pattern('44 g', '([0-9]+) ?g', '$1')", "44"]],
    (s: string, p: string, b: string) => patternOf(p).replace(s, b),
  ),
  define(
    "part",
    ["string", "string", "int"],
    "string",
    ["text", "between", "number"],
    "One of the parts of a text that a mark divides, the first is 1; empty when there are fewer.",
    [
      ["part('SMH-2026-17', '-', 2)", "2026"],
      ["part('a', '-', 2)", ""],
    ],
    (s: string, m: string, n: number) => (m === "" ? s : (s.split(m)[n - 1] ?? "")),
  ),
  define(
    "digits",
    ["string"],
    "string",
    ["text"],
    "Only the digits of a text.",
    [["digits('0161 496-0000')", "01614960000"]],
    (s: string) => s.replace(/[^0-9]+/g, ""),
  ),
  define(
    "pad",
    ["string", "int", "string"],
    "string",
    ["text", "length", "with"],
    "A text made longer at its beginning.",
    [["pad('17', 5, '0')", "00017"]],
    (s: string, n: number, c: string) => {
      const l = letters(s).length;
      return c === "" || l >= n || n > 10_000
        ? s
        : letters(c.repeat(n - l))
            .slice(0, n - l)
            .join("") + s;
    },
  ),
  define(
    "plain",
    ["string"],
    "string",
    ["text"],
    "A text in lower case without accents and marks, for comparing.",
    [["plain('  Zoë O\\'Sallow ')", "zoe o sallow"]],
    (s: string) =>
      s
        .normalize("NFKD")
        .replace(/\p{M}/gu, "")
        .toLowerCase()
        .replace(/[^\p{L}\p{N}]+/gu, " ")
        .trim(),
  ),
  define(
    "soundCheckDigits",
    ["string", "string"],
    "bool",
    ["text", "kind"],
    `Whether a text is an identifier of a kind with the right check digits: ${IDENTIFIER_KINDS.join(", ")}.`,
    [
      ["soundCheckDigits('978-0-306-40615-7', 'isbn')", true],
      ["soundCheckDigits('GB82 WEST 1234 5698 7654 33', 'iban')", false],
    ],
    (text: string, kind: string) =>
      (IDENTIFIER_KINDS as readonly string[]).includes(kind) && identifierOf(kind as IdentifierKind, text) !== null,
  ),
];
