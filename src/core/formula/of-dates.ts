import { define, type FormulaFunction } from "./define.ts";
import { DAY, MICROS } from "./value.ts";

const METHOD = { method: true, standard: true } as const;

const day = (t: number): Date => new Date(Math.floor(t / 1000));

function dateOf(year: number, month: number, dayOfMonth: number): number {
  const at = new Date(0);
  at.setUTCFullYear(year, month - 1, dayOfMonth);
  if (at.getUTCMonth() !== month - 1 || at.getUTCDate() !== dayOfMonth || year < 1 || year > 9999) {
    throw new Error(`There is no day ${dayOfMonth} of month ${month} in ${year}.`);
  }
  return at.getTime() * 1000;
}

/** Functions about days and times. */
export const OF_DATES: readonly FormulaFunction[] = [
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
];
