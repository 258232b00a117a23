import { USUAL_PIVOT, wholeYear } from "../cleanse/written-date.ts";
import { textOf } from "../kernel/bytes.ts";
import { MONTHS, daysIn, twoDigits } from "../type/calendar.ts";
import type { ColumnProfile } from "./facts.ts";
import type { CellShape } from "./shape.ts";

/** What may stand between the numbers of a day: a hyphen, a point, a slash, a blank. */
const MARKS = [45, 46, 47, 32];

/** A day as one number that orders days: 20260531. */
const dayNumber = (year: number, month: number, day: number): number => year * 10_000 + month * 100 + day;

/** Whether there is such a day. */
const isDay = (year: number, month: number, day: number): boolean =>
  month >= 1 && month <= 12 && day >= 1 && day <= daysIn(year, month);

/** Days that programs put where they know none: the first and last ones that they can say, and the beginnings of their counts. */
const DEFAULT_DAYS: ReadonlySet<number> = new Set([
  10101, 10102, 17530101, 18991230, 18991231, 19000101, 19000102, 19010101, 19040101, 19691231, 19700101, 19800101,
  20380119, 20991231, 21000101, 29991231, 99991231,
]);

/** Years in which days that are written without marks between their numbers are believed to lie: most numbers of eight digits lie in none of them. */
const BELIEVABLE_YEARS = { least: 1800, most: 2100 };

/** Default days that are kept as they are written. */
const MOST_DEFAULTS = 20;

/** A time of day behind a day, as programs and people write it. */
const TIME_BEHIND =
  /^(?<between>,? |T)(?<hour>\d{1,2}):[0-5]\d(?<second>:[0-5]\d(?:(?<mark>[.,])\d{1,6})?)?(?:(?<gap> ?)[ap](?<dot>\.?)m\k<dot>)?(?:(?<apart> ?)(?:(?<zone>Z|[+-]\d{2}:\d{2})|(?<utc>UTC|GMT)|[+-]\d{4}))?$/i;

/** The same for what most programs write, in a fifth of the time: hours, minutes and seconds, and a Z or nothing; null for all else. */
function usualTimeBehind(bytes: Uint8Array, start: number, end: number): string | null {
  const length = end - start;
  const isUtc = length === 10 && bytes[end - 1] === 90;
  if ((length !== 9 && !isUtc) || bytes[start + 3] !== 58 || bytes[start + 6] !== 58) return null;
  const hour = twoDigits(bytes, start + 1);
  const minute = twoDigits(bytes, start + 4);
  const second = twoDigits(bytes, start + 7);
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 59) return null;
  if (bytes[start] === 84) return isUtc ? "'T'HH:mm:ssXXX" : "'T'HH:mm:ss";
  if (bytes[start] === 32) return isUtc ? " HH:mm:ssXXX" : " HH:mm:ss";
  return null;
}

/** The format of a time of day behind a day; "" where nothing stands there, null where something else does. */
function timeBehind(bytes: Uint8Array, start: number, end: number): string | null {
  if (start === end) return "";
  const usual = usualTimeBehind(bytes, start, end);
  if (usual !== null) return usual;
  const match = TIME_BEHIND.exec(textOf(bytes, start, end));
  if (!match) return null;
  const { between, hour, second, mark, gap, apart, zone, utc } = match.groups as Record<string, string | undefined>;
  const half = gap !== undefined;
  const n = Number(hour);
  if (n > (half ? 12 : 23) || (half && n === 0)) return null;
  const h = half ? "h" : "H";
  return [
    /t/i.test(between!) ? `'${between}'` : between,
    hour!.length === 2 ? h + h : h,
    ":mm",
    second ? ":ss" : "",
    mark ? `${mark}SSS` : "",
    half ? `${gap}a` : "",
    apart === undefined ? "" : `${apart}${zone ? "XXX" : utc ? `'${utc}'` : "XX"}`,
  ].join("");
}

const sumOf = (counts: ReadonlyMap<string, number>): number => [...counts.values()].reduce((n, fits) => n + fits, 0);

/** How a column writes its days, and which of them are hardly true. */
export class DayFold {
  /** By format: values that fit it, days and days with a time behind them. */
  readonly formats = new Map<string, number>();
  readonly moments = new Map<string, number>();
  /** Values that can be read with the day or the month first. */
  private either = 0;
  /** Days and moments that fit two formats: those, and such of which both numbers are the same. */
  private twice = { days: 0, moments: 0 };
  private future = 0;
  private readonly defaults = new Map<string, { count: number; first: number }>();
  /** Values whose year has two digits, by the order in which they are a day. */
  private readonly short = {
    ...{ count: 0, timed: 0, dayFirst: 0, monthFirst: 0, yearFirst: 0, example: "" },
    endsWith: { ahead: 0, before: 0 },
    beginsWith: { ahead: 0, before: 0 },
  };
  /** Of the value at hand, the day that it is. */
  private day = 0;

  /** @param today the day after which days are in the future, as 20260531 */
  constructor(private readonly today: number) {}

  /** Takes a cell of digits in groups. */
  add(bytes: Uint8Array, start: number, end: number, record: number, times: number, shape: CellShape): void {
    this.day = 0;
    let s = start;
    let e = end;
    while (s < e && bytes[s]! <= 32) s++;
    while (e > s && bytes[e - 1]! <= 32) e--;
    this.read(bytes, s, e, times, shape);
    this.noteDay(bytes, start, end, record, times);
  }

  /** Takes a cell that is a number of eight digits: a day may be written so. */
  addEight(bytes: Uint8Array, start: number, end: number, record: number, times: number): void {
    this.day = 0;
    let s = start;
    while (s < end && bytes[s]! <= 32) s++;
    const number = (from: number, digits: number): number => {
      let n = 0;
      for (let p = s + from; p < s + from + digits; p++) n = n * 10 + bytes[p]! - 48;
      return n;
    };
    const believable = (year: number): boolean => year >= BELIEVABLE_YEARS.least && year <= BELIEVABLE_YEARS.most;
    const [year, month, day] = [number(0, 4), number(4, 2), number(6, 2)];
    const read = dayNumber(year, month, day);
    if (DEFAULT_DAYS.has(read) || (believable(year) && isDay(year, month, day))) {
      this.day = read;
      this.fits("yyyyMMdd", times);
    } else if (believable(number(4, 4)))
      this.eitherOrder("", "", number(0, 2), number(2, 2), number(4, 4), true, times);
    this.noteDay(bytes, start, end, record, times);
  }

  /** How many values are days whose year has two digits. */
  get shortYears(): number {
    return this.short.count;
  }

  /** How many values are days. */
  get days(): number {
    return sumOf(this.formats) - this.twice.days;
  }

  /** How many values have a time of day behind a day. */
  get timestamps(): number {
    return sumOf(this.moments) - this.twice.moments;
  }

  /** Counts what another has found as well. */
  join(other: DayFold): void {
    for (const [format, fits] of other.formats) this.fits(format, fits);
    for (const [format, fits] of other.moments) this.fitsMoment(format, fits);
    this.either += other.either;
    this.twice.days += other.twice.days;
    this.twice.moments += other.twice.moments;
    this.future += other.future;
    for (const order of ["count", "timed", "dayFirst", "monthFirst", "yearFirst"] as const)
      this.short[order] += other.short[order];
    for (const at of ["endsWith", "beginsWith"] as const) {
      this.short[at].ahead += other.short[at].ahead;
      this.short[at].before += other.short[at].before;
    }
    this.short.example ||= other.short.example;
    for (const [text, { count, first }] of other.defaults) this.noteDefault(text, first, count);
  }

  private noteDay(bytes: Uint8Array, start: number, end: number, record: number, times: number): void {
    if (this.day > this.today) this.future += times;
    if (DEFAULT_DAYS.has(this.day)) this.noteDefault(textOf(bytes, start, end).trim().slice(0, 10), record, times);
  }

  finish(): Pick<ColumnProfile, "defaultDates" | "future" | "dateOrders" | "shortYears"> {
    const count = (order: RegExp): number =>
      [...this.formats, ...this.moments].filter(([f]) => order.test(f)).reduce((n, [, fits]) => n + fits, 0);
    const dayFirst = count(/^d/);
    const monthFirst = count(/^M{1,2}[^M]/);
    return {
      defaultDates: [...this.defaults].map(([value, own]) => ({ value, ...own })).sort((a, b) => b.count - a.count),
      future: this.future,
      dateOrders: dayFirst + monthFirst > 0 ? { dayFirst, monthFirst, either: this.either } : null,
      shortYears: this.short.count > 0 ? { ...this.short, now: Math.floor(this.today / 10_000) % 100 } : null,
    };
  }

  private noteDefault(text: string, record: number, times: number): void {
    const known = this.defaults.get(text);
    if (known) known.count += times;
    else if (this.defaults.size < MOST_DEFAULTS) this.defaults.set(text, { count: times, first: record });
  }

  private read(bytes: Uint8Array, start: number, end: number, times: number, shape: CellShape): void {
    if (shape.groups === 2) {
      const text = textOf(bytes, start, end);
      const match = /^(\d{1,2})[ .-]?\s?([a-z]{3,9})[ .,-]+(\d{4})$/i.exec(text);
      if (!match) return;
      const word = match[2]!.toLowerCase();
      const month = MONTHS.findIndex((m) => m === word || m.slice(0, 3) === word);
      if (month < 0 || Number(match[1]) > daysIn(Number(match[3]), month + 1)) return;
      const long = word.length > 3 || word === "may";
      this.fits(text.includes(" ") ? (long && word !== "may" ? "d MMMM yyyy" : "d MMM yyyy") : "d-MMM-yyyy", times);
      return;
    }
    const { a, b, c } = shape;
    let p = start;
    while (p < end && bytes[p]! >= 48 && bytes[p]! <= 57) p++;
    const first = p - start;
    const mark = bytes[p]!;
    if (first === 0 || !MARKS.includes(mark)) return;
    let q = p + 1;
    while (q < end && bytes[q]! >= 48 && bytes[q]! <= 57) q++;
    const second = q - p - 1;
    if (bytes[q] !== mark || second === 0 || second > 2) return;
    let r = q + 1;
    while (r < end && bytes[r]! >= 48 && bytes[r]! <= 57) r++;
    const third = r - q - 1;
    const m = String.fromCharCode(mark);
    if (first === 4 && third <= 2) {
      if (!isDay(a, b, c)) return;
      this.day = dayNumber(a, b, c);
      const written = first + second + third === 8 ? `yyyy${m}MM${m}dd` : `yyyy${m}M${m}d`;
      const time = timeBehind(bytes, r, end);
      if (time === "") this.fits(written, times);
      else if (time !== null) this.fitsMoment(written + time, times);
      return;
    }
    const time = first > 2 ? null : timeBehind(bytes, r, end);
    if (time === null) return;
    if (third === 2 && this.shortYear(a, b, c, first === 2, times)) {
      if (time !== "") this.short.timed += times;
      this.short.example ||= textOf(bytes, start, end);
    }
    if (third !== 4) return;
    this.eitherOrder(m, time, a, b, c, first === 2 && second === 2, times);
  }

  /** Three numbers of two digits at most, of which the last or, where it has two, the first may be the year; gives whether they are a day. */
  private shortYear(a: number, b: number, c: number, two: boolean, times: number): boolean {
    const { short } = this;
    const dayFirst = isDay(wholeYear(c), b, a);
    const monthFirst = isDay(wholeYear(c), a, b);
    const yearFirst = two && isDay(wholeYear(a), b, c);
    if (!(dayFirst || monthFirst || yearFirst)) return false;
    short.count += times;
    if (dayFirst) short.dayFirst += times;
    if (monthFirst) short.monthFirst += times;
    if (yearFirst) short.yearFirst += times;
    if (dayFirst || monthFirst) this.noteYear(short.endsWith, c, times);
    if (yearFirst) this.noteYear(short.beginsWith, a, times);
    return true;
  }

  private noteYear(of: { ahead: number; before: number }, year: number, times: number): void {
    if (year > USUAL_PIVOT) of.before += times;
    else if (wholeYear(year) * 10_000 > this.today) of.ahead += times;
  }

  /** Two numbers and a year, of which the day may be the first or the second; `time`: the format of what stands behind. */
  private eitherOrder(m: string, time: string, a: number, b: number, c: number, two: boolean, times: number): void {
    const dayFirst = isDay(c, b, a);
    const monthFirst = isDay(c, a, b);
    const fits = (order: string): void =>
      time === "" ? this.fits(order, times) : this.fitsMoment(order + time, times);
    if (dayFirst) fits(two ? `dd${m}MM${m}yyyy` : `d${m}M${m}yyyy`);
    if (monthFirst) fits(two ? `MM${m}dd${m}yyyy` : `M${m}d${m}yyyy`);
    if (dayFirst && monthFirst) this.twice[time === "" ? "days" : "moments"] += times;
    // What can be read in two ways is in the future only if it is so in both.
    if (dayFirst || monthFirst) {
      this.day = Math.min(dayFirst ? dayNumber(c, b, a) : Infinity, monthFirst ? dayNumber(c, a, b) : Infinity);
    }
    if (dayFirst && monthFirst && a !== b) this.either += times;
  }

  private fitsMoment(format: string, times: number): void {
    this.moments.set(format, (this.moments.get(format) ?? 0) + times);
  }

  private fits(format: string, times: number): void {
    this.formats.set(format, (this.formats.get(format) ?? 0) + times);
  }
}
