import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const COUNTS = ["days since 1900", "days since 1904", "seconds since 1970", "milliseconds since 1970"] as const;

const options = { count: z.enum(COUNTS).describe("What the number counts") };

export type SerialDateOptions = OptionsOf<typeof options>;

/** Dates that arrive as a count: a spreadsheet's day numbers, or seconds since 1970. */
export const serialDate: StepPart<SerialDateOptions> = {
  id: "serial-date",
  title: "Dates from a count",
  about: "Writes a spreadsheet's day number, or seconds since 1970, as a date.",
  options,
  writesDates: true,
  words: ({ count }) => `dates from ${count}`,
  apply: ({ count }) => byText((text) => dateOf(text, count) ?? text),
  examples: [
    { options: { count: "days since 1900" }, from: "46081", to: "2026-02-28" },
    { options: { count: "days since 1900" }, from: "1", to: "1900-01-01" },
    { options: { count: "days since 1900" }, from: "61", to: "1900-03-01" },
    { options: { count: "days since 1900" }, from: "46081.5", to: "2026-02-28T12:00:00" },
    { options: { count: "days since 1904" }, from: "44619", to: "2026-02-28" },
    { options: { count: "seconds since 1970" }, from: "1772236800", to: "2026-02-28T00:00:00" },
    { options: { count: "milliseconds since 1970" }, from: "1772236800500", to: "2026-02-28T00:00:00" },
    { options: { count: "days since 1900" }, from: "2026-02-28", to: "2026-02-28" },
  ],
};

function dateOf(text: string, count: SerialDateOptions["count"]): string | null {
  if (!/^-?\d{1,16}(\.\d{1,12})?$/.test(text.trim())) return null;
  const n = Number(text);
  let ms: number;
  if (count === "seconds since 1970") ms = n * 1000;
  else if (count === "milliseconds since 1970") ms = n;
  else {
    // Spreadsheets count a 29 February 1900 that never was.
    const day = count === "days since 1904" ? n + 1462 : n;
    if (day < 1 || day >= 2_958_466) return null;
    ms = (day - (day < 60 ? 25_568 : 25_569)) * 86_400_000;
  }
  const at = new Date(Math.round(ms / 1000) * 1000);
  if (Number.isNaN(at.getTime()) || at.getUTCFullYear() < 1 || at.getUTCFullYear() > 9999) return null;
  if (count.startsWith("milli")) at.setTime(Math.floor(ms / 1000) * 1000);
  const iso = at.toISOString().slice(0, 19);
  return count.startsWith("days") && iso.endsWith("T00:00:00") ? iso.slice(0, 10) : iso;
}
