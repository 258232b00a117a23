/**
 * Dates and times written by a format, in the letters of Unicode Technical Standard #35 (CLDR):
 * yyyy, MM or M, dd or d, MMM (Jan), MMMM (January), HH or H, hh or h with a (AM or PM), mm, ss,
 * S… (fraction), XXX (Z or +02:00), XX (Z or +0200); anything else stands for itself, letters in single quotes.
 */

export interface Moment {
  year: number;
  month: number;
  day: number;
  hour: number;
  minute: number;
  second: number;
  /** Microseconds. */
  micro: number;
  /** Minutes east of UTC. */
  offset: number;
}

type Piece =
  | { kind: "year" | "month" | "day" | "hour" | "minute" | "second"; two: boolean }
  | { kind: "monthName"; long: boolean }
  | { kind: "hourOfHalf"; two: boolean }
  | { kind: "half" }
  | { kind: "fraction" }
  | { kind: "offset"; colon: boolean }
  | { kind: "literal"; byte: number };

export const MONTHS = [
  "january",
  "february",
  "march",
  "april",
  "may",
  "june",
  "july",
  "august",
  "september",
  "october",
  "november",
  "december",
];

const LETTERS: Record<string, Piece> = {
  yyyy: { kind: "year", two: false },
  MM: { kind: "month", two: true },
  M: { kind: "month", two: false },
  MMM: { kind: "monthName", long: false },
  MMMM: { kind: "monthName", long: true },
  dd: { kind: "day", two: true },
  d: { kind: "day", two: false },
  HH: { kind: "hour", two: true },
  H: { kind: "hour", two: false },
  hh: { kind: "hourOfHalf", two: true },
  h: { kind: "hourOfHalf", two: false },
  a: { kind: "half" },
  mm: { kind: "minute", two: true },
  ss: { kind: "second", two: true },
  XXX: { kind: "offset", colon: true },
  XX: { kind: "offset", colon: false },
};

/** A format of days or of times of day made into pieces, or a message that says why it can't be. */
export function parseFormat(format: string, of: "day" | "time" = "day"): Piece[] | string {
  const pieces: Piece[] = [];
  const literal = (text: string): void => {
    for (const byte of new TextEncoder().encode(text)) pieces.push({ kind: "literal", byte });
  };
  for (let i = 0; i < format.length;) {
    const c = format[i]!;
    if (c === "'") {
      // Two quotes are one that stands for itself, within quotes and outside of them (UTS #35).
      const quoted = /^''|^'((?:[^']|'')+)'/.exec(format.slice(i));
      if (!quoted) return `The format “${format}” has a quote that is never closed.`;
      literal(quoted[1] === undefined ? "'" : quoted[1].replaceAll("''", "'"));
      i += quoted[0].length;
    } else if (/[A-Za-z]/.test(c)) {
      let j = i;
      while (format[j] === c) j++;
      const letters = format.slice(i, j);
      const piece = /^S{1,6}$/.test(letters) ? ({ kind: "fraction" } as Piece) : LETTERS[letters];
      if (!piece) return `The format “${format}” has “${letters}”, which means nothing here.`;
      pieces.push(piece);
      i = j;
    } else {
      literal(c);
      i++;
    }
  }
  const has = (kind: Piece["kind"]): boolean => pieces.some((p) => p.kind === kind);
  if (has("hourOfHalf") !== has("half")) {
    return `The format “${format}” needs “a” beside “h”: 3 o'clock is twice a day.`;
  }
  if (of === "time") {
    if (!(has("hour") || has("hourOfHalf")) || has("year") || has("month") || has("monthName") || has("day")) {
      return `The format “${format}” does not give an hour, or more than a time of day.`;
    }
    return has("offset") ? `The format “${format}” has an offset, which needs a day beside it.` : pieces;
  }
  if (!has("year") || !(has("month") || has("monthName")) || !has("day")) {
    return `The format “${format}” does not give a year, a month and a day.`;
  }
  return pieces;
}

/** Reads the span by the pieces into `into`. False when it does not fit or the day or time does not exist. */
export function parseMoment(
  bytes: Uint8Array,
  start: number,
  end: number,
  pieces: readonly Piece[],
  into: Moment,
): boolean {
  let p = start;
  into.hour = into.minute = into.second = into.micro = into.offset = 0;
  /** Hours that the half of the day adds; -1 where the format has none. */
  let half = -1;
  for (const piece of pieces) {
    switch (piece.kind) {
      case "literal":
        if (bytes[p] !== piece.byte || p >= end) return false;
        p++;
        break;
      case "monthName": {
        const month = monthAt(bytes, p, end, piece.long);
        if (month === 0) return false;
        into.month = month;
        p += piece.long ? MONTHS[month - 1]!.length : 3;
        break;
      }
      case "half": {
        half = halfAt(bytes, p, end);
        if (half < 0) return false;
        p += bytes[p + 1] === 46 ? 4 : 2;
        break;
      }
      case "fraction": {
        let scale = 100_000;
        const from = p;
        while (p < end && isDigit(bytes[p]!) && p - from < 6) {
          into.micro += (bytes[p]! - 48) * scale;
          scale /= 10;
          p++;
        }
        if (p === from) return false;
        break;
      }
      case "offset": {
        const sign = bytes[p];
        if (p < end && (sign === 90 || sign === 122)) {
          p++;
          break;
        }
        const length = piece.colon ? 6 : 5;
        if (p + length > end || (sign !== 43 && sign !== 45) || (piece.colon && bytes[p + 3] !== 58)) return false;
        const hours = twoDigits(bytes, p + 1);
        const minutes = twoDigits(bytes, p + length - 2);
        if (hours < 0 || hours > 15 || minutes < 0 || minutes > 59) return false;
        into.offset = (sign === 45 ? -1 : 1) * (hours * 60 + minutes);
        p += length;
        break;
      }
      default: {
        const most = piece.kind === "year" ? 4 : 2;
        const least = piece.kind === "year" ? 4 : piece.two ? 2 : 1;
        let n = 0;
        let digits = 0;
        while (digits < most && p < end && isDigit(bytes[p]!)) {
          n = n * 10 + bytes[p]! - 48;
          p++;
          digits++;
        }
        if (digits < least) return false;
        if (piece.kind !== "hourOfHalf") into[piece.kind] = n;
        else if (n < 1 || n > 12) return false;
        else into.hour = n % 12;
      }
    }
  }
  if (half > 0) into.hour += half;
  return (
    p === end &&
    into.year >= 1 &&
    into.month >= 1 &&
    into.month <= 12 &&
    into.day >= 1 &&
    into.day <= daysIn(into.year, into.month) &&
    into.hour <= 23 &&
    into.minute <= 59 &&
    into.second <= 59
  );
}

/** True for a day that exists, written yyyy-MM-dd; what parseMoment finds too, at a third of the time. */
export function isIsoDay(bytes: Uint8Array, start: number, end: number): boolean {
  if (end - start !== 10 || bytes[start + 4] !== 45 || bytes[start + 7] !== 45) return false;
  const century = twoDigits(bytes, start);
  const rest = twoDigits(bytes, start + 2);
  const month = twoDigits(bytes, start + 5);
  const day = twoDigits(bytes, start + 8);
  if (century < 0 || rest < 0 || month < 1 || month > 12 || day < 1) return false;
  const year = century * 100 + rest;
  return year >= 1 && (day <= 28 || day <= daysIn(year, month));
}

/** Days of a month in the proleptic Gregorian calendar (ISO 8601). */
export function daysIn(year: number, month: number): number {
  if (month === 2) return (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0 ? 29 : 28;
  return month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31;
}

/** A value in the format, to show what is meant. */
export function exampleOf(format: string, of: "day" | "time" = "day"): string {
  const pieces = parseFormat(format, of);
  if (typeof pieces === "string") return format;
  const bytes: number[] = [];
  const put = (text: string): void => {
    for (const c of text) bytes.push(c.charCodeAt(0));
  };
  for (const piece of pieces) {
    if (piece.kind === "literal") bytes.push(piece.byte);
    else if (piece.kind === "monthName") put(piece.long ? "May" : "May");
    else if (piece.kind === "fraction") put("250");
    else if (piece.kind === "offset") put(piece.colon ? "+02:00" : "+0200");
    else if (piece.kind === "half") put("PM");
    else
      put(
        {
          year: "2026",
          month: piece.two ? "05" : "5",
          day: "31",
          hour: "14",
          hourOfHalf: piece.two ? "02" : "2",
          minute: "05",
          second: "09",
        }[piece.kind],
      );
  }
  return new TextDecoder().decode(Uint8Array.from(bytes));
}

/** Writes yyyy-MM-dd at `at`; ten bytes. */
export function writeDate(bytes: Uint8Array, at: number, m: Moment): void {
  writeDigits(bytes, at, m.year, 4);
  bytes[at + 4] = 45;
  writeDigits(bytes, at + 5, m.month, 2);
  bytes[at + 7] = 45;
  writeDigits(bytes, at + 8, m.day, 2);
}

export function writeDigits(bytes: Uint8Array, at: number, value: number, digits: number): void {
  let n = value;
  for (let i = digits - 1; i >= 0; i--) {
    bytes[at + i] = 48 + (n % 10);
    n = Math.floor(n / 10);
  }
}

/** Writes HH:mm:ss.SSSSSS at `at`; 15 bytes. */
export function writeTime(bytes: Uint8Array, at: number, m: Moment): void {
  writeDigits(bytes, at, m.hour, 2);
  bytes[at + 2] = 58;
  writeDigits(bytes, at + 3, m.minute, 2);
  bytes[at + 5] = 58;
  writeDigits(bytes, at + 6, m.second, 2);
  bytes[at + 8] = 46;
  writeDigits(bytes, at + 9, m.micro, 6);
}

/** AM, a.m., PM or p.m. in any case, as hours to be added; -1 for what is neither. */
function halfAt(bytes: Uint8Array, p: number, end: number): number {
  const pointed = bytes[p + 1] === 46;
  if (p + (pointed ? 4 : 2) > end) return -1;
  const [half, m] = [bytes[p]! | 32, bytes[p + (pointed ? 2 : 1)]! | 32];
  if (m !== 109 || (pointed && bytes[p + 3] !== 46)) return -1;
  return half === 97 ? 0 : half === 112 ? 12 : -1;
}

function isDigit(byte: number): boolean {
  return byte >= 48 && byte <= 57;
}

/** The number that two digits make; -1 where there is something else. */
export function twoDigits(bytes: Uint8Array, p: number): number {
  const a = bytes[p]!;
  const b = bytes[p + 1]!;
  return isDigit(a) && isDigit(b) ? (a - 48) * 10 + b - 48 : -1;
}

function monthAt(bytes: Uint8Array, p: number, end: number, long: boolean): number {
  for (let m = 0; m < 12; m++) {
    const name = MONTHS[m]!;
    const n = long ? name.length : 3;
    if (p + n > end) continue;
    let i = 0;
    while (i < n && (bytes[p + i]! | 32) === name.charCodeAt(i)) i++;
    if (i === n) return m + 1;
  }
  return 0;
}
