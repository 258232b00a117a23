import type { HeldAccount, PeriodSums, SumAccount } from "@/store/period.ts";

/** Days and months of periods, as ISO 8601, in UTC as the day of a load is. */

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const iso = (year: number, month: number, day: number): string =>
  new Date(Date.UTC(year, month, day)).toISOString().slice(0, 10);

/** The month of a day, and others so many months away: its first day and its last. */
export function monthOf(day: string, away = 0): { from: string; until: string } {
  const [year, month] = day.split("-").map(Number) as [number, number];
  return { from: iso(year, month - 1 + away, 1), until: iso(year, month + away, 0) };
}

/** Whether a text is a day that exists. */
export function isDay(text: string | undefined): text is string {
  if (text === undefined || !DAY.test(text)) return false;
  const [year, month, day] = text.split("-").map(Number) as [number, number, number];
  return iso(year, month - 1, day) === text;
}

/** The days that were asked for, else the month of today; the earlier one first. */
export function daysAsked(
  from: string | undefined,
  until: string | undefined,
  today: string,
): { from: string; until: string } {
  const month = monthOf(isDay(from) ? from : today);
  const days = [isDay(from) ? from : month.from, isDay(until) ? until : month.until].sort();
  return { from: days[0]!, until: days[1]! };
}

/** A period in words: “November 2026”, “3 to 9 November 2026”. */
export function daysWords({ from, until }: { from: string; until: string }): string {
  const name = (day: string, more: Intl.DateTimeFormatOptions): string =>
    new Intl.DateTimeFormat("en-GB", { timeZone: "UTC", ...more }).format(new Date(`${day}T00:00:00Z`));
  const month = monthOf(from);
  const whole = { day: "numeric", month: "long", year: "numeric" } as const;
  if (month.from === from && month.until === until) return name(from, { month: "long", year: "numeric" });
  if (from === until) return name(from, whole);
  const first = from.slice(0, 7) === until.slice(0, 7) ? name(from, { day: "numeric" }) : name(from, whole);
  return `${first} to ${name(until, whole)}`;
}

/** What does not add up in an account, in words; nothing where all of it does. */
export function openAccounts(sums: PeriodSums, held: HeldAccount, fields: readonly SumAccount[]): string[] {
  const outcomes =
    sums.inserted + sums.updated + sums.unchanged + sums.merged + sums.held + sums.waiting + sums.leftOut;
  const went = Object.values(held.went).reduce((n, w) => n + w, 0);
  return [
    ...(sums.read === outcomes ? [] : [`${sums.read} records were read, and ${outcomes} have an outcome`]),
    ...(held.atStart + held.came - went === held.atEnd
      ? []
      : [`${held.atStart} held, ${held.came} more and ${went} fewer are not ${held.atEnd}`]),
    ...fields
      .filter((f) => f.ledger !== f.target)
      .map((f) => `the sum of ${f.field} is ${f.ledger} by the ledger and ${f.target} in the target`),
  ];
}
