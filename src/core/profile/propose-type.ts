import type { ColumnProfile } from "./facts.ts";
import type { Field } from "../plan/types.ts";
import { counted, grouped } from "../kernel/problem.ts";
import { yesAndNo } from "../type/yes-no.ts";
import { datesInWords, kindOf } from "./propose-kinds.ts";
import { ENOUGH, fitting, type Because } from "./reason.ts";

const MOST_CODES = 30;

export function typeOf(column: ColumnProfile, because: Because): Omit<Field, "name"> {
  const { filled, numbers } = column;
  if (filled === 0) {
    because("type", "text", "no value to judge by");
    return { type: "text" };
  }
  const fits = (type: string): number => column.types.find((t) => t.type === type)?.fits ?? 0;
  const enough = (n: number): boolean => n >= filled * ENOUGH;

  const isCode = numbers !== null && isCodeOfDigits(numbers);
  const words = column.common.map((v) => v.value.trim().toLowerCase());
  const wordy = words.some((w) => /\p{L}/u.test(w));
  if (enough(fits("boolean")) && wordy) {
    because(
      "type",
      "yes or no",
      fitting(
        fits("boolean"),
        filled,
        `are ${column.common
          .slice(0, 4)
          .map((v) => v.value)
          .join(", ")}`,
      ),
    );
    const often = column.common.filter((v) => v.count >= filled * 0.02).map((v) => v.value.trim().toLowerCase());
    const own = yesAndNo([...new Set(often)]);
    const known = { yes: ["true", "yes", "y", "t", "1"], no: ["false", "no", "n", "f", "0"] };
    return { type: "boolean", words: own ? { yes: [...own.yes], no: [...own.no] } : known };
  }
  const own = isCode ? null : kindOf(column, because);
  if (own) return own;
  if (numbers && !isCode && enough(fits("integer")) && numbers.whole <= 18) {
    because("type", "whole number", fitting(fits("integer"), filled, "are digits"));
    return { type: "integer", ...limits(column.name, numbers, because) };
  }
  if (numbers && !isCode) {
    const [point, comma] = [fits("decimal"), fits("decimal comma")];
    const mark = thousandsMark(numbers, { integers: fits("integer"), point, comma });
    if (mark && enough(Math.max(point, comma))) {
      const n = Math.max(point, comma);
      because(
        "cleanse",
        `“${mark}” stands between thousands`,
        `${grouped(n - fits("integer"))} numbers have three digits after it and those without it at most three in all`,
        { do: "number", decimal: mark === "," ? "." : "," },
      );
      because("type", "whole number", fitting(n, filled, "are whole numbers, read so"));
      return { type: "integer" };
    }
    const both = column.types.some((t) => t.type === "decimal")
      ? fits("decimal") + fits("decimal comma") - fits("integer")
      : comma;
    for (const [n, mark] of [
      [point, "point"],
      [comma, "comma"],
      [point > 0 && comma > 0 ? both : 0, "point or comma"],
    ] as const) {
      if (!enough(n)) continue;
      if (mark !== "point") {
        because("cleanse", "comma becomes point", `${grouped(comma - fits("integer"))} numbers have a decimal comma`, {
          do: "replace",
          find: ",",
          with: ".",
        });
      }
      const scale = Math.max(1, numbers.part);
      const precision = Math.min(1000, numbers.whole + 2 + scale);
      because(
        "type",
        `decimal (${precision}, ${scale})`,
        fitting(
          n,
          filled,
          `are numbers with a decimal ${mark}, at most ${numbers.whole} digits before and ${numbers.part} after it${mayBeThousands(numbers, { integers: fits("integer"), point, comma }) ? `; each has three after it, so that it may stand between thousands: look at some` : ""}`,
        ),
      );
      return { type: "decimal", precision, scale, ...limits(column.name, numbers, because) };
    }
  }
  const dates = column.types
    .filter((t) => t.type.startsWith("date "))
    .map((t) => ({ format: t.type.slice(5), fits: t.fits }));
  const chosen = dateFormats(dates, filled);
  if (chosen && enough(chosen.fits)) {
    because("type", "date", fitting(chosen.fits, filled, "are days that exist"));
    because("formats", chosen.formats.join(", "), chosen.why);
    return { type: "date", formats: chosen.formats };
  }
  const written = datesInWords(column, chosen, because);
  if (written) return written;
  if (enough(fits("timestamp"))) {
    because("type", "date and time", fitting(fits("timestamp"), filled, "begin with a day and have a time"));
    return { type: "timestamp" } as Omit<Field, "name">;
  }
  const codes = codesOf(column);
  if (codes) {
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
  const length = roundedLength(column.length.most);
  because("type", "text", whyText(column));
  because("length", `at most ${grouped(length)} characters`, `the longest has ${grouped(column.length.most)}`);
  return { type: "text", length };
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

function whyText(column: ColumnProfile): string {
  const zeros = column.numbers?.leadingZeros ?? 0;
  if (column.numbers && isCodeOfDigits(column.numbers))
    return `${grouped(zeros)} numbers begin with 0, so it is a code and not a number`;
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
        : `${grouped(Math.abs(day - month))} dates fit only with the ${day > month ? "day" : "month"} first`;
  return formats.length === 0 ? null : { formats, fits: Math.min(filled, sum(taken)), why };
}

/** A length with room to grow, in the sizes that people choose. */
export function roundedLength(longest: number): number {
  const wanted = Math.ceil(longest * 1.2);
  const step = wanted <= 20 ? 5 : wanted <= 100 ? 10 : wanted <= 1000 ? 50 : 500;
  return Math.max(5, Math.ceil(wanted / step) * step);
}
