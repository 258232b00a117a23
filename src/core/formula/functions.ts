import { IDENTIFIER_KINDS, identifierOf, type IdentifierKind } from "../kernel/check-digits.ts";
import { compilePattern, type Pattern } from "../kernel/pattern.ts";
import { NO_REFERENCES, type References } from "../kernel/reference.ts";
import { fromList, inList } from "./lists.ts";
import { define, type FormulaFunction } from "./define.ts";
import { MATH } from "./math.ts";
import { PARTS_OF_VALUES } from "./parts-of-values.ts";
import { BAIL, DAY, MICROS, numberText } from "./value.ts";

/** The lists that the examples ask. */
export const EXAMPLE_LISTS: References = new Map([
  [
    "countries",
    {
      name: "countries",
      version: 1,
      columns: ["code", "name", "now"],
      key: "code",
      accepted: "now",
      entries: [
        ["NO", "Norway", ""],
        ["SE", "Sweden", ""],
        ["NOR", "", "NO"],
      ],
    },
  ],
  [
    "vaults",
    {
      name: "vaults",
      version: 1,
      columns: ["code", "place", "from", "to"],
      key: "code",
      since: "from",
      until: "to",
      entries: [
        ["V1", "Harbour store", "", "2020-12-31"],
        ["V1", "Hill store", "2021-01-01", ""],
      ],
    },
  ],
]);

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
const patterns = new Map<string, Pattern>();

/** A pattern ready for use; those that come from cells are not kept for ever. */
export function patternOf(source: string): Pattern {
  let pattern = patterns.get(source);
  if (!pattern) {
    if (patterns.size > 200) patterns.clear();
    pattern = compilePattern(source);
    patterns.set(source, pattern);
  }
  return pattern;
}

const METHOD = { method: true, standard: true } as const;
const day = (t: number): Date => new Date(Math.floor(t / 1000));

/** Rounds half away from zero on the decimal digits as they are written, not on the double beneath. */
function round(n: number, digits: number): number {
  if (!Number.isFinite(n)) return n;
  const rounded = Number(`${Math.round(Number(`${Math.abs(n)}e${digits}`))}e${-digits}`);
  return Number.isNaN(rounded) ? n : n < 0 ? -rounded : rounded;
}

function dateOf(year: number, month: number, dayOfMonth: number): number {
  const at = new Date(0);
  at.setUTCFullYear(year, month - 1, dayOfMonth);
  if (at.getUTCMonth() !== month - 1 || at.getUTCDate() !== dayOfMonth || year < 1 || year > 9999) {
    throw new Error(`There is no day ${dayOfMonth} of month ${month} in ${year}.`);
  }
  return at.getTime() * 1000;
}

export const FUNCTIONS: readonly FormulaFunction[] = [
  // Text
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
  // Numbers
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
  // Dates
  define(
    "date",
    ["int", "int", "int"],
    "timestamp",
    ["year", "month", "day"],
    "A day.",
    [["year(date(2026, 2, 28))", 2026]],
    dateOf,
  ),
  define(
    "year",
    ["timestamp"],
    "int",
    ["date"],
    "The year of a date.",
    [["year(date(2026, 2, 28))", 2026]],
    (t: number) => day(t).getUTCFullYear(),
  ),
  define(
    "month",
    ["timestamp"],
    "int",
    ["date"],
    "The month of a date, January is 1.",
    [["month(date(2026, 2, 28))", 2]],
    (t: number) => day(t).getUTCMonth() + 1,
  ),
  define(
    "day",
    ["timestamp"],
    "int",
    ["date"],
    "The day of the month.",
    [["day(date(2026, 2, 28))", 28]],
    (t: number) => day(t).getUTCDate(),
  ),
  define(
    "weekday",
    ["timestamp"],
    "int",
    ["date"],
    "The day of the week, Monday is 1.",
    [["weekday(date(2026, 11, 25))", 3]],
    (t: number) => ((day(t).getUTCDay() + 6) % 7) + 1,
  ),
  define(
    "days",
    ["timestamp", "timestamp"],
    "int",
    ["from", "to"],
    "Whole days from one date to another.",
    [["days(date(2026, 2, 28), date(2026, 3, 1))", 1]],
    (a: number, b: number) => Math.trunc((b - a) / DAY),
  ),
  define(
    "add_days",
    ["timestamp", "int"],
    "timestamp",
    ["date", "count"],
    "A date so many days later, or earlier.",
    [["day(add_days(date(2026, 2, 28), 1))", 1]],
    (t: number, n: number) => t + n * DAY,
  ),
  define(
    "getFullYear",
    ["timestamp"],
    "int",
    [],
    "The year of a time.",
    [["timestamp('2026-02-28T10:00:00Z').getFullYear()", 2026]],
    (t: number) => day(t).getUTCFullYear(),
    METHOD,
  ),
  define(
    "getMonth",
    ["timestamp"],
    "int",
    [],
    "The month of a time, January is 0.",
    [["timestamp('2026-02-28T10:00:00Z').getMonth()", 1]],
    (t: number) => day(t).getUTCMonth(),
    METHOD,
  ),
  define(
    "getDate",
    ["timestamp"],
    "int",
    [],
    "The day of the month of a time.",
    [["timestamp('2026-02-28T10:00:00Z').getDate()", 28]],
    (t: number) => day(t).getUTCDate(),
    METHOD,
  ),
  define(
    "getHours",
    ["timestamp"],
    "int",
    [],
    "The hour of a time in UTC.",
    [["timestamp('2026-02-28T10:00:00Z').getHours()", 10]],
    (t: number) => day(t).getUTCHours(),
    METHOD,
  ),
  define(
    "hours",
    ["duration"],
    "double",
    ["length"],
    "A length of time in hours.",
    [["hours(timestamp('2026-01-01T12:30:00Z') - timestamp('2026-01-01T11:00:00Z'))", 1.5]],
    (d: number) => d / (3600 * MICROS),
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
  define(
    "inList",
    ["string", "string"],
    "bool",
    ["list", "key"],
    "Whether a reference list has an entry with a key, whatever its dates. The list's name is written out.",
    [
      ["inList('countries', 'SE')", true],
      ["inList('countries', 'XX')", false],
    ],
    (list: string, key: string) => inList(NO_REFERENCES, list, key),
    { withLists: (lists) => (list: string, key: string) => inList(lists, list, key) },
  ),
  define(
    "inList",
    ["string", "string", "timestamp"],
    "bool",
    ["list", "key", "day"],
    "Whether a reference list has an entry with a key that holds on a day.",
    [
      ["inList('vaults', 'V1', timestamp('2020-06-01T00:00:00Z'))", true],
      ["inList('vaults', 'V2', timestamp('2020-06-01T00:00:00Z'))", false],
    ],
    (list: string, key: string, on: number) => inList(NO_REFERENCES, list, key, on),
    { withLists: (lists) => (list: string, key: string, on: number) => inList(lists, list, key, on) },
  ),
  define(
    "fromList",
    ["string", "string", "string"],
    "string",
    ["list", "key", "column"],
    "What a reference list says in a column of the entry with a key, a synonym's accepted one; an empty text where there is none. The list's and the column's names are written out.",
    [
      ["fromList('countries', 'NO', 'name')", "Norway"],
      ["fromList('countries', 'NOR', 'name')", "Norway"],
      ["fromList('countries', 'XX', 'name')", ""],
    ],
    (list: string, key: string, column: string) => fromList(NO_REFERENCES, list, key, column),
    { withLists: (lists) => (list: string, key: string, column: string) => fromList(lists, list, key, column) },
  ),
  define(
    "fromList",
    ["string", "string", "string", "timestamp"],
    "string",
    ["list", "key", "column", "day"],
    "The same of the entry that holds on a day.",
    [
      ["fromList('vaults', 'V1', 'place', timestamp('2020-12-31T00:00:00Z'))", "Harbour store"],
      ["fromList('vaults', 'V1', 'place', timestamp('2021-01-01T00:00:00Z'))", "Hill store"],
    ],
    (list: string, key: string, column: string, on: number) => fromList(NO_REFERENCES, list, key, column, on),
    {
      withLists: (lists) => (list: string, key: string, column: string, on: number) =>
        fromList(lists, list, key, column, on),
    },
  ),
  ...PARTS_OF_VALUES,
  ...MATH,
];
