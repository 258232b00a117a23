import { NOTHING_WORDS } from "@/core/profile/nothing-words.ts";

/**
 * What a profile says of a column, worked out again from the values as they stand, one figure at a
 * time and with no thought of speed: what the folds are held against.
 */

const NUMBER = /^([+-]?)(\d*)(?:([.,])(\d*))?$/;
const DEFAULTS = [
  "0001-01-01 0001-01-02 1753-01-01 1899-12-30 1899-12-31 1900-01-01 1900-01-02 1901-01-01 1904-01-01",
  "1969-12-31 1970-01-01 1980-01-01 2038-01-19 2099-12-31 2100-01-01 2999-12-31 9999-12-31",
].flatMap((line) => line.split(" "));

const count = <T>(of: readonly T[], is: (one: T) => boolean): number => of.filter(is).length;

function tally(values: readonly string[]): Map<string, number> {
  const counts = new Map<string, number>();
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1);
  return counts;
}

function numberOf(text: string): { n: number; whole: string; part: string; mark: string } | null {
  const [, sign, whole = "", mark = "", part = ""] = NUMBER.exec(text.trim()) ?? [];
  if (sign === undefined || whole + part === "") return null;
  return { n: Number(`${sign}${whole || "0"}.${part || "0"}`) + 0, whole, part, mark };
}

/** The day as ISO 8601, where the three numbers are one of the calendar. */
function dayOf(year: number, month: number, day: number): string | null {
  const date = new Date(0);
  date.setUTCFullYear(year, month - 1, day);
  const is = date.getUTCFullYear() === year && date.getUTCMonth() === month - 1 && date.getUTCDate() === day;
  return is ? date.toISOString().slice(0, 10) : null;
}

interface Read {
  readonly formats: readonly string[];
  readonly days: readonly string[];
}

function daysIn(text: string): Read | null {
  const [, a = "", mark = "", b = "", c = ""] = /^(\d+)([-./ ])(\d{1,2})\2(\d+)$/.exec(text.trim()) ?? [];
  const [x, y, z] = [a, b, c].map(Number) as [number, number, number];
  if (a.length === 4 && c.length <= 2) {
    const day = dayOf(x, y, z);
    const two = b.length === 2 && c.length === 2;
    return day ? { formats: [two ? `yyyy${mark}MM${mark}dd` : `yyyy${mark}M${mark}d`], days: [day] } : null;
  }
  if (c.length !== 4 || a === "" || a.length > 2) return null;
  const two = a.length === 2 && b.length === 2;
  const dayFirst = dayOf(z, y, x);
  const monthFirst = dayOf(z, x, y);
  const formats = [
    ...(dayFirst ? [two ? `dd${mark}MM${mark}yyyy` : `d${mark}M${mark}yyyy`] : []),
    ...(monthFirst ? [two ? `MM${mark}dd${mark}yyyy` : `M${mark}d${mark}yyyy`] : []),
  ];
  return formats.length === 0 ? null : { formats, days: [dayFirst, monthFirst].filter((d) => d !== null) };
}

/** @param today the day after which days are in the future, in ISO 8601 */
export function modelOf(values: readonly string[], today: string): Record<string, unknown> {
  const nothing = values.filter((v) => NOTHING_WORDS.includes(v.trim().toLowerCase()));
  const filled = values.filter((v) => v.trim() !== "" && !nothing.includes(v));
  const different = [...new Set(filled)];
  const lengths = filled.map((v) => v.length).sort((a, b) => a - b);
  const letters = filled.filter((v) => /[a-z]/i.test(v));
  const numbers = filled.flatMap((v) => numberOf(v) ?? []);
  const days = filled.flatMap((v) => daysIn(v) ?? []);
  const formats = tally(days.flatMap((d) => d.formats));
  const fits = (order: RegExp): number =>
    [...formats].filter(([f]) => order.test(f)).reduce((n, [, times]) => n + times, 0);
  const either = count(days, (d) => d.days.length === 2 && d.days[0] !== d.days[1]);
  const integers = count(numbers, (n) => n.mark === "");
  const points = count(numbers, (n) => n.mark === ".");
  const commas = count(numbers, (n) => n.mark === ",");
  const types = new Map([
    ["integer", integers],
    ["decimal", points > 0 ? integers + points : 0],
    ["decimal comma", commas > 0 ? integers + commas : 0],
    ...[...formats].map(([format, times]) => [`date ${format}`, times] as const),
  ]);
  return {
    filled: filled.length,
    empty: count(values, (v) => v === ""),
    blank: count(values, (v) => v !== "" && v.trim() === ""),
    nothing: tally(nothing.map((v) => v.trim())),
    distinct: different.length,
    repeats: filled.length - different.length,
    length: {
      least: lengths[0] ?? 0,
      most: lengths.at(-1) ?? 0,
      mean: lengths.reduce((n, l) => n + l, 0) / (lengths.length || 1),
    },
    least: filled.toSorted((a, b) => (a < b ? -1 : 1))[0] ?? "",
    most: filled.toSorted((a, b) => (a < b ? 1 : -1))[0] ?? "",
    common: tally(filled),
    loose: count(filled, (v) => v !== v.trim()),
    doubled: count(filled, (v) => v.includes("  ")),
    casing: {
      upper: count(letters, (v) => v === v.toUpperCase()),
      lower: count(letters, (v) => v === v.toLowerCase()),
      mixed: count(letters, (v) => v !== v.toUpperCase() && v !== v.toLowerCase()),
    },
    caseTwins:
      different.length - new Set(different.map((v) => (/[a-z]/i.test(v) ? v.trim().toLowerCase() : v.trim()))).size,
    future: count(days, (d) => d.days.every((day) => day > today)),
    defaultDates: tally(
      filled
        .filter((v) => {
          const first = daysIn(v)?.days.toSorted()[0];
          return first !== undefined && DEFAULTS.includes(first);
        })
        .map((v) => v.trim().slice(0, 10)),
    ),
    dateOrders:
      fits(/^d/) + fits(/^MM?[^M]/) > 0 ? { dayFirst: fits(/^d/), monthFirst: fits(/^MM?[^M]/), either } : null,
    types: new Map([...types].filter(([, times]) => times > 0)),
    numbers: numbers.length > 0 ? numbersOf(numbers) : null,
  };
}

function numbersOf(numbers: readonly NonNullable<ReturnType<typeof numberOf>>[]): Record<string, unknown> {
  const sorted = numbers.map((x) => x.n).sort((a, b) => a - b);
  const at = (share: number): number => sorted[Math.max(0, Math.ceil(share * sorted.length - 1e-9) - 1)]!;
  const [least, most] = [sorted[0]!, sorted.at(-1)!];
  const mean = sorted.reduce((sum, n) => sum + n, 0) / sorted.length;
  const spread = Math.sqrt(sorted.reduce((sum, n) => sum + (n - mean) ** 2, 0) / (sorted.length - 1 || 1));
  const far = 3 * (at(0.75) - at(0.25));
  const width = (most - least) / 24 || 1;
  const bands = Array.from({ length: 24 }, (_, b) =>
    count(sorted, (n) => Math.min(23, Math.floor((n - least) / width)) === b),
  );
  const thousands = (mark: string): number =>
    count(numbers, (n) => n.mark === mark && n.part.length === 3 && /^[1-9]\d{0,2}$/.test(n.whole));
  const ends = [...new Set(sorted)];
  return {
    count: sorted.length,
    sampled: sorted.length,
    least,
    most,
    mean,
    spread,
    quantiles: [least, at(0.05), at(0.25), at(0.5), at(0.75), at(0.95), most],
    bands,
    outliers: far > 0 ? count(sorted, (n) => n < at(0.25) - far || n > at(0.75) + far) : 0,
    low: ends.slice(0, 5).map(String),
    high: ends.toReversed().slice(0, 5).map(String),
    whole: Math.max(...numbers.map((n) => n.whole.length)),
    part: Math.max(...numbers.map((n) => n.part.length)),
    leadingZeros: count(numbers, (n) => n.whole.length > 1 && n.whole.startsWith("0")),
    unmarked: Math.max(0, ...numbers.filter((n) => n.mark === "").map((n) => n.whole.length)),
    pointThousands: thousands("."),
    commaThousands: thousands(","),
  };
}
