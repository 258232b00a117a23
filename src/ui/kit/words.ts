import { grouped } from "@/core/kernel/problem.ts";
import type { ReadOptions } from "@/core/read/settings.ts";
import { isText } from "@/core/read/part.ts";
import { formatPart } from "@/core/read/schema.ts";
import type { Outcome } from "@/core/kernel/ledger.ts";

export { byteSize, counted, grouped } from "@/core/kernel/problem.ts";

/** A number for a table; nothing for null and, where zero says nothing, for zero. */
export function cellNumber(n: number | null | undefined, blankZero = false): string {
  return n === null || n === undefined || (blankZero && n === 0) ? "" : grouped(n);
}

/** A share of a whole with one digit, as “98.1”. */
export function percentOf(part: number, whole: number): string {
  if (whole === 0) return "";
  const share = (part / whole) * 100;
  // 99.96 is not “100.0” and 0.02 is not “0.0”: a full or an empty column must be just that.
  if (part !== whole && share > 99.9) return "99.9";
  if (part !== 0 && share < 0.1) return "0.1";
  return share.toFixed(1);
}

const CLOCK = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: "UTC" });
const DAY = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });
const WEEKDAY = new Intl.DateTimeFormat("en-GB", { weekday: "long", day: "numeric", month: "long", timeZone: "UTC" });

/** “09:12” today, “23 Nov 09:12” before, “23 Nov 2025 09:12” in another year. All times are UTC. */
export function moment(at: Date | string, now: Date): string {
  const date = new Date(at);
  const clock = CLOCK.format(date);
  if (isoDay(date) === isoDay(now)) return clock;
  const year = date.getUTCFullYear() === now.getUTCFullYear() ? "" : ` ${date.getUTCFullYear()}`;
  return `${DAY.format(date)}${year} ${clock}`;
}

/** “2026-11-23”, in UTC. */
export function isoDay(at: Date | string): string {
  return new Date(at).toISOString().slice(0, 10);
}

export function longDay(at: Date): string {
  return WEEKDAY.format(at);
}

export function seconds(from: Date | string | null, to: Date | string | null): number | null {
  return from && to ? (new Date(to).getTime() - new Date(from).getTime()) / 1000 : null;
}

export function duration(s: number | null): string {
  if (s === null) return "";
  if (s < 10) return `${s.toFixed(1)} s`;
  if (s < 120) return `${Math.round(s)} s`;
  const whole = Math.round(s);
  return `${Math.floor(whole / 60)} min ${whole % 60} s`;
}

export const OUTCOME_CLASS: Record<Outcome, string> = {
  inserted: "loaded",
  updated: "loaded",
  unchanged: "loaded",
  merged: "",
  held: "held",
  waiting: "waiting",
  "left out": "faint",
};

/** The address of the records of a load that a count is about. */
export function recordsHref(load: number, filter: Record<string, string | number | undefined>): string {
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(filter)) if (value !== undefined) query.set(key, String(value));
  return `/loads/${load}/records?${query.toString()}`;
}

/** Name of a step's or check's option, as a label: “on_failure” is “on failure”. */
export function label(name: string): string {
  return name.replaceAll("_", " ");
}

const DELIMITERS: Record<string, string> = { ",": "comma", ";": "semicolon", "\t": "tab", "|": "bar" };

/** How a file is read, in few words: “comma, utf-8”, “JSON Lines, a record for each of tests”. */
export function readWords(read: ReadOptions): string {
  const { delimiter = "auto", encoding = "auto" } = read;
  const format = formatPart(read.as);
  const words = [
    read.as === "delimited"
      ? delimiter === "auto"
        ? "delimiter found"
        : (DELIMITERS[delimiter] ?? `“${delimiter}”`)
      : format.title,
    "sheets" in format.settings ? (read.sheets ?? []).join(", ") : (read.records ?? ""),
    read.each ? `a record for each of ${read.each}` : "",
    isText(format) ? encoding : "",
  ];
  return words.filter((w) => w !== "").join(", ");
}

/** A text as a sentence: with a capital, and a full stop at its end. */
export function sentence(text: string): string {
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}${/[.!?…]$/.test(text) ? "" : "."}`;
}

/** A total as a person reads it, digits grouped. */
export function total(text: string | null): string {
  if (text === null) return "";
  return /^-?\d+(\.\d+)?$/.test(text)
    ? text.replace(/^(-?)(\d+)/, (_, sign: string, n: string) => sign + n.replace(/\B(?=(\d{3})+$)/g, ","))
    : text;
}
