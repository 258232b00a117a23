import { z } from "zod";
import { SieveError } from "../problem.ts";
import { exampleOf, parseFormat, parseMoment, writeDate, type Moment } from "./calendar.ts";
import type { TypePart } from "./part.ts";

export interface DateOptions {
  readonly formats: readonly string[];
}

export const formatSchema = z
  .string()
  .min(1)
  .max(60)
  .superRefine((format, context) => {
    const pieces = parseFormat(format);
    if (typeof pieces === "string") context.addIssue({ code: "custom", message: pieces });
  });

export function newMoment(): Moment {
  return { year: 0, month: 0, day: 0, hour: 0, minute: 0, second: 0, micro: 0, offset: 0 };
}

export function piecesOf(format: string): Exclude<ReturnType<typeof parseFormat>, string> {
  const pieces = parseFormat(format);
  if (typeof pieces === "string") throw new SieveError("plan-invalid", pieces);
  return pieces;
}

/** A day of the calendar, in any of its formats; 31 February is not one. */
export const date: TypePart<DateOptions> = {
  id: "date",
  title: "Date",
  options: {
    formats: z
      .array(formatSchema)
      .min(1)
      .max(20)
      .default(["yyyy-MM-dd"])
      .describe("How dates are written, the likeliest first; letters of Unicode TR 35"),
  },
  sql: () => "date",
  expected: ({ formats }) => `a day that exists, written like ${formats.map(exampleOf).join(" or ")}`,
  noun: "a date",
  order: "bytes",
  convert({ formats }) {
    const ways = formats.map((format) => ({ pieces: piecesOf(format), canonical: format === "yyyy-MM-dd" }));
    const moment = newMoment();
    return (heap, cells, r) => {
      const s = cells.start[r]!;
      const e = cells.end[r]!;
      for (const way of ways) {
        if (!parseMoment(heap.bytes, s, e, way.pieces, moment)) continue;
        if (!way.canonical) {
          const at = heap.reserve(10);
          writeDate(heap.bytes, at, moment);
          heap.length = at + 10;
          cells.start[r] = at;
          cells.end[r] = at + 10;
        }
        return true;
      }
      return false;
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
