import type { ColumnProfile } from "./facts.ts";
import type { Field } from "../field/field.ts";
import { counted, grouped } from "../kernel/problem.ts";
import { USUAL_MOMENTS } from "../type/timestamp.ts";
import { yesAndNo } from "../type/yes-no.ts";
import { countriesInOneForm } from "./propose-countries.ts";
import { datesInWords, kindOf, shortYears } from "./propose-kinds.ts";
import { ENOUGH, fitting, type Because } from "./reason.ts";

const MOST_CODES = 30;

type Shape = Omit<Field, "name">;

/** A column whose type is looked for, and what was measured of its values. */
interface Looked {
  readonly column: ColumnProfile;
  readonly because: Because;
  /** How many of the filled values are of a type. */
  fits(type: string): number;
  /** Whether so many are enough for all to be taken for that. */
  enough(n: number): boolean;
  /** Its numbers, unless they are the digits of a code. */
  readonly numbers: ColumnProfile["numbers"];
}

/** What a column may be, in the order in which it is asked. Each says with `because` what it was told by. */
const SHAPES: readonly ((looked: Looked) => Shape | null)[] = [
  yesOrNo,
  dayInEightDigits,
  ownKind,
  wholeNumber,
  thousands,
  decimal,
  moment,
  day,
  countries,
  code,
];

/** The type of a column's values, with its evidence; text where they are of no other. */
export function typeOf(column: ColumnProfile, because: Because): Shape {
  const { filled } = column;
  if (filled === 0) {
    because("type", "text", "no value to judge by");
    return { type: "text" };
  }
  const looked: Looked = {
    column,
    because,
    fits: (type) => column.types.find((t) => t.type === type)?.fits ?? 0,
    enough: (n) => n >= filled * ENOUGH,
    numbers: column.numbers !== null && isCodeOfDigits(column.numbers) ? null : column.numbers,
  };
  for (const shape of SHAPES) {
    const found = shape(looked);
    if (found) return found;
  }
  return textOf(column, because);
}

function textOf(column: ColumnProfile, because: Because): Shape {
  const length = roundedLength(column.length.most);
  because("type", "text", whyText(column));
  because("length", `at most ${grouped(length)} characters`, `the longest has ${grouped(column.length.most)}`);
  return { type: "text", length };
}

function yesOrNo({ column, because, fits, enough }: Looked): Shape | null {
  const { filled, common } = column;
  const written = common.map((v) => ({ word: v.value.trim().toLowerCase(), count: v.count }));
  if (!enough(fits("boolean")) || !written.some(({ word }) => /\p{L}/u.test(word))) return null;
  const shown = common.slice(0, 4).map((v) => v.value);
  because("type", "yes or no", fitting(fits("boolean"), filled, `are ${shown.join(", ")}`));
  const often = written.filter(({ count }) => count >= filled * 0.02).map(({ word }) => word);
  const own = yesAndNo([...new Set(often)]);
  const known = { yes: ["true", "yes", "y", "t", "1"], no: ["false", "no", "n", "f", "0"] };
  return { type: "boolean", words: own ? { yes: [...own.yes], no: [...own.no] } : known };
}

function ownKind({ column, because }: Looked): Shape | null {
  const digits = column.numbers !== null && isCodeOfDigits(column.numbers);
  return digits ? null : kindOf(column, because);
}

function wholeNumber({ column, because, fits, enough, numbers }: Looked): Shape | null {
  if (!numbers || !enough(fits("integer")) || numbers.whole > 18) return null;
  because("type", "whole number", fitting(fits("integer"), column.filled, "are digits"));
  return { type: "integer", ...limits(column.name, numbers, because) };
}

/** How many numbers have no mark, a point, a comma. */
const marked = ({ fits }: Looked): Marked => ({
  integers: fits("integer"),
  point: fits("decimal"),
  comma: fits("decimal comma"),
});

/** Whole numbers with a mark between their thousands. */
function thousands(looked: Looked): Shape | null {
  const { column, because, enough, numbers } = looked;
  if (!numbers) return null;
  const counts = marked(looked);
  const mark = thousandsMark(numbers, counts);
  const n = Math.max(counts.point, counts.comma);
  if (!mark || !enough(n)) return null;
  because(
    "cleanse",
    `“${mark}” stands between thousands`,
    `${grouped(n - counts.integers)} numbers have three digits after it and those without it at most three in all`,
    { do: "number", decimal: mark === "," ? "." : "," },
  );
  because("type", "whole number", fitting(n, column.filled, "are whole numbers, read so"));
  return { type: "integer" };
}

function decimal(looked: Looked): Shape | null {
  const { column, because, enough, numbers } = looked;
  if (!numbers) return null;
  const counts = marked(looked);
  const { integers, point, comma } = counts;
  const either = column.types.some((t) => t.type === "decimal") ? point + comma - integers : comma;
  const marks = [
    { mark: "point", n: point },
    { mark: "comma", n: comma },
    { mark: "point or comma", n: point > 0 && comma > 0 ? either : 0 },
  ];
  const found = marks.find(({ n }) => enough(n));
  if (!found) return null;
  if (found.mark !== "point") {
    because("cleanse", "comma becomes point", `${grouped(comma - integers)} numbers have a decimal comma`, {
      do: "replace",
      find: ",",
      with: ".",
    });
  }
  const scale = Math.max(1, numbers.part);
  const precision = Math.min(1000, numbers.whole + 2 + scale);
  const doubt = mayBeThousands(numbers, counts)
    ? "; each has three after it, so that it may stand between thousands: look at some"
    : "";
  const digits = `at most ${counted(numbers.whole, "digit")} before and ${numbers.part} after it${doubt}`;
  because(
    "type",
    `decimal (${precision}, ${scale})`,
    fitting(found.n, column.filled, `are numbers with a decimal ${found.mark}, ${digits}`),
  );
  return { type: "decimal", precision, scale, ...limits(column.name, numbers, because) };
}

/** A day whose numbers stand without marks between them, which is a whole number else. */
function dayInEightDigits(looked: Looked): Shape | null {
  return looked.column.types.some(({ type }) => EIGHT_DIGITS.has(type)) ? day(looked) : null;
}

const EIGHT_DIGITS: ReadonlySet<string> = new Set(["date yyyyMMdd", "date ddMMyyyy", "date MMddyyyy"]);

/** A day, in digits or in words. */
function day({ column, because, enough }: Looked): Shape | null {
  const dates = column.types
    .filter((t) => t.type.startsWith("date "))
    .map((t) => ({ format: t.type.slice(5), fits: t.fits }));
  const chosen = dateFormats(dates, column.filled);
  if (!chosen || !enough(chosen.fits)) return shortYears(column, because) ?? datesInWords(column, chosen, because);
  because("type", "date", fitting(chosen.fits, column.filled, "are days that exist"));
  because("formats", chosen.formats.join(", "), chosen.why);
  return { type: "date", formats: chosen.formats };
}

function moment({ column, because, fits, enough }: Looked): Shape | null {
  const { filled } = column;
  if (!enough(fits("timestamp"))) return null;
  const written = column.types
    .filter((t) => t.type.startsWith("timestamp "))
    .map((t) => ({ format: t.type.slice("timestamp ".length), fits: t.fits }));
  const chosen = dateFormats(written, filled);
  const read = chosen?.fits ?? fits("timestamp");
  if (!enough(read)) return null;
  because("type", "date and time", fitting(read, filled, "begin with a day and have a time"));
  // How they are usually written needs no word; a profile of before has none either.
  if (!chosen || chosen.formats.every((format) => USUAL_MOMENTS.includes(format))) return { type: "timestamp" };
  because("formats", chosen.formats.join(", "), chosen.why);
  return { type: "timestamp", formats: chosen.formats };
}

/** Countries in words of their own, each as it will be written. */
function countries(looked: Looked): Shape | null {
  const { column, because } = looked;
  const common = countriesInOneForm(column, because);
  if (!common) return null;
  const written = { ...column, common, distinct: column.distinct - column.common.length + common.length };
  return code({ ...looked, column: written }) ?? textOf(column, because);
}

function code({ column, because }: Looked): Shape | null {
  const codes = codesOf(column);
  if (!codes) return null;
  const { filled } = column;
  if (codes.upper) {
    because("cleanse", "upper case", `${counted(codes.merged, "value")} written in another case too`, {
      do: "case",
      to: "upper",
    });
  }
  because("type", "code", `${counted(codes.values.length, "different value")} in ${grouped(filled)}`);
  because(
    "values",
    codes.values.slice(0, 12).join(", "),
    fitting(codes.covered, filled, "are one of these, each met twice or more"),
  );
  return { type: "code", values: codes.values };
}

interface Marked {
  readonly integers: number;
  readonly point: number;
  readonly comma: number;
}

/** Whether every mark in a column's numbers has three digits after it, and three at most before. */
function mayBeThousands(
  { pointThousands = 0, commaThousands = 0 }: NonNullable<ColumnProfile["numbers"]>,
  { integers, point, comma }: Marked,
): boolean {
  const marked = Math.max(0, point - integers) + Math.max(0, comma - integers);
  return marked > 0 && marked === pointThousands + commaThousands;
}

/**
 * The mark that stands between thousands, where no other reading is likely: each has three digits after it, and the
 * numbers without it are less than a thousand. Numbers of three decimals have a mark in each, or some of more digits.
 */
function thousandsMark(numbers: NonNullable<ColumnProfile["numbers"]>, marked: Marked): "." | "," | null {
  const { integers, point, comma } = marked;
  if (!mayBeThousands(numbers, marked) || integers === 0 || (numbers.unmarked ?? Infinity) > 3) return null;
  if (point > integers && comma > integers) return null;
  return point > integers ? "." : ",";
}

/** Numbers of which more than a few begin with 0 are codes; a lone one is a slip. */
function isCodeOfDigits(numbers: NonNullable<ColumnProfile["numbers"]>): boolean {
  return numbers.leadingZeros > numbers.count * 0.02;
}

/** The values of a column that is a list of codes, spaces at the ends and, where it is needed, case taken out; null for any other. */
function codesOf(column: ColumnProfile): { values: string[]; covered: number; upper: boolean; merged: number } | null {
  if (column.countError > 0 || column.distinct > MOST_CODES * 2) return null;
  const count = (key: (value: string) => string): Map<string, number> => {
    const counts = new Map<string, number>();
    for (const v of column.common) {
      const value = key(v.value.trim());
      if (value !== "") counts.set(value, (counts.get(value) ?? 0) + v.count);
    }
    return counts;
  };
  const asWritten = count((v) => v);
  const inUpper = count((v) => v.toUpperCase());
  // Codes that are capitals but for a few: “GB” and “gb” are one.
  const capitals = [...asWritten].filter(([v]) => v === v.toUpperCase()).reduce((n, [, c]) => n + c, 0);
  const upper = inUpper.size < asWritten.size && capitals > column.filled * 0.8;
  const often = [...(upper ? inUpper : asWritten)].filter(([, c]) => c >= 2);
  const covered = often.reduce((n, [, c]) => n + c, 0);
  const longest = Math.max(0, ...often.map(([v]) => v.length));
  // One value alone is what one file has, and no list.
  if (often.length < 2 || often.length > MOST_CODES || longest > 40) return null;
  if (column.filled < often.length * 8 || column.filled < 20 || covered < column.filled * 0.98) return null;
  return { values: often.map(([v]) => v).sort(), covered, upper, merged: asWritten.size - inUpper.size };
}

/** Numbers beside which units of several kinds stand, or currencies of which not all can be told. */
function severalBeside({ kinds, filled }: ColumnProfile): string | null {
  const { units = [], currencies = [] } = kinds?.written ?? {};
  const beside = (what: string, words: readonly { word: string; count: number }[]): string | null =>
    words.length > 1 && words.reduce((n, w) => n + w.count, 0) >= filled * ENOUGH
      ? `${what}: ${words
          .slice(0, 4)
          .map((w) => `${w.word} ${grouped(w.count)}`)
          .join(", ")}`
      : null;
  return (
    beside("numbers with units of more than one kind", units) ??
    beside("amounts in currencies that can’t all be told", currencies)
  );
}

function whyText(column: ColumnProfile): string {
  const zeros = column.numbers?.leadingZeros ?? 0;
  if (column.numbers && isCodeOfDigits(column.numbers))
    return `${grouped(zeros)} numbers begin with 0, so it is a code and not a number`;
  const several = severalBeside(column);
  if (several !== null) return several;
  const best = column.types[0];
  if (best && best.fits > column.filled / 2)
    return `only ${((best.fits / column.filled) * 100).toFixed(1)} % of the values would do as ${best.type}`;
  return `${grouped(column.distinct)} different values`;
}

/** What numbers of a name can be, on earth. */
const MEANINGFUL: readonly (readonly [name: RegExp, least: number, most: number])[] = [
  [/^(lat|latitude|breite|breitengrad|latitud|latitudine|szerokosc)(_?(deg|dd))?$/i, -90, 90],
  [/^(lon|lng|long|longitude|laenge|längengrad|longitud|longitudine|dlugosc)(_?(deg|dd))?$/i, -180, 180],
];

export function limits(
  name: string,
  numbers: NonNullable<ColumnProfile["numbers"]>,
  because: Because,
): Pick<Field, "least" | "most"> {
  const meant = MEANINGFUL.find(([n, least, most]) => n.test(name) && numbers.least >= least && numbers.most <= most);
  if (meant) {
    const [, least, most] = meant;
    because("least", `at least ${least}`, `what is called ${name} is from ${least} to ${most}`);
    because("most", `at most ${most}`, `what is called ${name} is from ${least} to ${most}`);
    return { least, most };
  }
  // Only where the values begin near nothing: a latitude of 48 to 59 says nothing about 0.
  if (numbers.least < 0 || numbers.least > numbers.mean / 2) return {};
  because("least", "at least 0", `the least is ${numbers.least}`);
  return { least: 0 };
}

/** The formats that together fit most; where day and month could stand either way, the order that more of the dates decide for. */
function dateFormats(
  dates: readonly { format: string; fits: number }[],
  filled: number,
): { formats: string[]; fits: number; why: string } | null {
  if (dates.length === 0) return null;
  const dayFirst = dates.filter((d) => /^d/.test(d.format) && !/MMM/.test(d.format));
  const monthFirst = dates.filter((d) => /^M/.test(d.format));
  const sum = (list: readonly { fits: number }[]): number => list.reduce((n, d) => n + d.fits, 0);
  const [day, month] = [sum(dayFirst), sum(monthFirst)];
  const apart = Math.abs(day - month);
  const ordered = day >= month ? dayFirst : monthFirst;
  const taken = [...dates.filter((d) => !dayFirst.includes(d) && !monthFirst.includes(d)), ...ordered]
    .filter((d) => d.fits >= Math.max(1, filled * 0.002))
    .sort((a, b) => b.fits - a.fits);
  // Two-digit forms are part of the one-digit form of the same order.
  const formats = taken.map((d) => d.format);
  const why =
    day === 0 && month === 0
      ? `${grouped(sum(taken))} dates are written so`
      : day === month
        ? `day or month first: the dates fit both alike, so the day is taken to be first; look at some`
        : `${counted(apart, "date")} ${apart === 1 ? "fits" : "fit"} only with the ${day > month ? "day" : "month"} first`;
  return formats.length === 0 ? null : { formats, fits: Math.min(filled, sum(taken)), why };
}

/** A length with room to grow, in the sizes that people choose. */
export function roundedLength(longest: number): number {
  const wanted = Math.ceil(longest * 1.2);
  const step = wanted <= 20 ? 5 : wanted <= 100 ? 10 : wanted <= 1000 ? 50 : 500;
  return Math.max(5, Math.ceil(wanted / step) * step);
}
