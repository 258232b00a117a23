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
