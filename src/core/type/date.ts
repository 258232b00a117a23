import { z } from "zod";
import { SieveError } from "../kernel/problem.ts";
import { exampleOf, isIsoDay, parseFormat, parseMoment, writeDate, type Moment } from "./calendar.ts";
import { splitList, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const formatOf = (of: "day" | "time"): z.ZodString =>
  z
    .string()
    .min(1)
    .max(60)
    .superRefine((format, context) => {
      const pieces = parseFormat(format, of);
      if (typeof pieces === "string") context.addIssue({ code: "custom", message: pieces });
    });

export const formatSchema = formatOf("day");
export const timeFormatSchema = formatOf("time");

export function newMoment(): Moment {
  return { year: 0, month: 0, day: 0, hour: 0, minute: 0, second: 0, micro: 0, offset: 0 };
}

export function piecesOf(format: string, of: "day" | "time" = "day"): Exclude<ReturnType<typeof parseFormat>, string> {
  const pieces = parseFormat(format, of);
  if (typeof pieces === "string") throw new SieveError("plan-invalid", pieces);
  return pieces;
}

const options = {
  formats: z
    .array(formatSchema)
    .min(1)
    .max(20)
    .default(["yyyy-MM-dd"])
    .describe("How dates are written, the likeliest first; letters of Unicode TR 35"),
};

export type DateOptions = OptionsOf<typeof options>;

/** A day of the calendar, in any of its formats; 31 February is not one. */
export const date: TypePart<DateOptions> = {
  id: "date",
  title: "Date",
  about: "A day of the calendar.",
  options,
  line: {
    hint: "formats",
    show: ({ formats }) => (formats ?? []).join(", "),
    take: (t) => ({ formats: splitList(t).length > 0 ? splitList(t) : ["yyyy-MM-dd"] }),
  },
  sql: () => "date",
  fits: ({ type }) => type === "date",
  expected: ({ formats }) => `a day that exists, written like ${formats.map((f) => exampleOf(f)).join(" or ")}`,
  noun: "a date",
  value: () => "timestamp",
  order: () => "bytes",
  limit: (text) => (/^\d{4}-\d{2}-\d{2}$/.test(text) ? text : null),
  rewrites: true,
  convert({ formats }) {
    const ways = formats.map((format) => ({ pieces: piecesOf(format), canonical: format === "yyyy-MM-dd" }));
    const moment = newMoment();
    const iso = ways[0]!.canonical;
    return (heap, cells, count, bad) => {
      const { start, end } = cells;
      let n = 0;
      records: for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (s === e || (iso && isIsoDay(heap.bytes, s, e))) continue;
        for (const way of ways) {
          if (!parseMoment(heap.bytes, s, e, way.pieces, moment)) continue;
          if (!way.canonical) {
            const at = heap.reserve(10);
            writeDate(heap.bytes, at, moment);
            heap.length = at + 10;
            start[r] = at;
            end[r] = at + 10;
          }
          continue records;
        }
        bad[n++] = r;
      }
      return n;
    };
  },
  examples: [
    { options: { formats: ["yyyy-MM-dd"] }, from: "2024-02-29", to: "2024-02-29" },
    { options: { formats: ["yyyy-MM-dd"] }, from: "2026-02-29", to: null },
    { options: { formats: ["yyyy-MM-dd", "dd.MM.yyyy"] }, from: "31.05.2026", to: "2026-05-31" },
    { options: { formats: ["d MMM yyyy"] }, from: "7 Sep 2026", to: "2026-09-07" },
    { options: { formats: ["d/M/yyyy"] }, from: "31/2/2026", to: null },
    { options: { formats: ["yyyy-MM-dd"] }, from: "2026-05-31x", to: null },
    { options: { formats: ["yyyy-MM-dd"] }, from: "0000-01-01", to: null },
  ],
};
