import { z } from "zod";
import { exampleOf, parseMoment, writeDate, writeTime, type Moment } from "./calendar.ts";
import { formatSchema, newMoment, piecesOf } from "./date.ts";
import { eachCell } from "../kernel/column.ts";
import { splitList, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

/** How moments are written that are by ISO 8601, or nearly so; these are read unless others are said. */
export const USUAL_MOMENTS = [
  "yyyy-MM-dd'T'HH:mm:ssXXX",
  "yyyy-MM-dd'T'HH:mm:ss.SSSXXX",
  "yyyy-MM-dd'T'HH:mm:ss",
  "yyyy-MM-dd'T'HH:mm:ss.SSS",
  "yyyy-MM-dd HH:mm:ss",
  "yyyy-MM-dd HH:mm:ss.SSS",
  "yyyy-MM-dd HH:mm:ssXXX",
  "yyyy-MM-dd HH:mm",
];

const options = {
  formats: z
    .array(formatSchema)
    .min(1)
    .max(20)
    .default(USUAL_MOMENTS)
    .describe("How it is written; letters of Unicode TR 35"),
};

export type TimestampOptions = OptionsOf<typeof options>;

/** A point in time, kept in UTC. Without an offset of its own it is taken for UTC. */
export const timestamp: TypePart<TimestampOptions> = {
  id: "timestamp",
  title: "Date and time",
  about: "A point in time, kept in UTC.",
  options,
  line: {
    hint: "formats",
    show: ({ formats }) => (formats ?? []).join(", "),
    take: (t) => (splitList(t).length > 0 ? { formats: splitList(t) } : {}),
  },
  sql: () => "timestamp with time zone",
  fits: ({ type }) => /^timestamp(\([0-6]\))? with(out)? time zone$/.test(type),
  expected: ({ formats }) =>
    `a date and time that exist, written like ${formats
      .slice(0, 3)
      .map((f) => exampleOf(f))
      .join(" or ")}`,
  noun: "a date and time",
  value: () => "timestamp",
  order: () => "bytes",
  limit: (text) => {
    const match = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2})(?::(\d{2}))?)?Z?$/.exec(text);
    return match && `${match[1]} ${match[2] ?? "00:00"}:${match[3] ?? "00"}.000000+00`;
  },
  rewrites: true,
  convert({ formats }) {
    const ways = formats.map((f) => piecesOf(f));
    const moment = newMoment();
    return eachCell((heap, cells, r) => {
      const s = cells.start[r]!;
      const e = cells.end[r]!;
      for (const pieces of ways) {
        if (!parseMoment(heap.bytes, s, e, pieces, moment)) continue;
        if (!toUtc(moment)) return false;
        const at = heap.reserve(29);
        writeTimestamp(heap.bytes, at, moment);
        heap.length = at + 29;
        cells.start[r] = at;
        cells.end[r] = at + 29;
        return true;
      }
      return false;
    });
  },
  examples: [
    { options: { formats: USUAL_MOMENTS }, from: "2026-05-31T14:05:09Z", to: "2026-05-31 14:05:09.000000+00" },
    { options: { formats: USUAL_MOMENTS }, from: "2026-05-31T00:30:00+02:00", to: "2026-05-30 22:30:00.000000+00" },
    { options: { formats: USUAL_MOMENTS }, from: "2026-05-31 14:05:09.123456", to: "2026-05-31 14:05:09.123456+00" },
    { options: { formats: USUAL_MOMENTS }, from: "2026-05-31T24:00:00Z", to: null },
    { options: { formats: USUAL_MOMENTS }, from: "2026-02-31T10:00:00Z", to: null },
    { options: { formats: ["dd.MM.yyyy HH:mm"] }, from: "31.05.2026 14:05", to: "2026-05-31 14:05:00.000000+00" },
    { options: { formats: ["d/M/yyyy h:mm a"] }, from: "31/5/2026 12:05 am", to: "2026-05-31 00:05:00.000000+00" },
    { options: { formats: ["d/M/yyyy h:mm a"] }, from: "31/5/2026 13:05 pm", to: null },
  ],
};

/** Takes the offset out; false when the result leaves the years 1 to 9999. */
function toUtc(m: Moment): boolean {
  if (m.offset === 0) return true;
  const at = new Date(0);
  at.setUTCFullYear(m.year, m.month - 1, m.day);
  at.setUTCHours(m.hour, m.minute - m.offset, m.second);
  m.year = at.getUTCFullYear();
  m.month = at.getUTCMonth() + 1;
  m.day = at.getUTCDate();
  m.hour = at.getUTCHours();
  m.minute = at.getUTCMinutes();
  m.offset = 0;
  return m.year >= 1 && m.year <= 9999;
}

/** Writes yyyy-MM-dd HH:mm:ss.SSSSSS+00 at `at`; 29 bytes. */
function writeTimestamp(bytes: Uint8Array, at: number, m: Moment): void {
  writeDate(bytes, at, m);
  bytes[at + 10] = 32;
  writeTime(bytes, at + 11, m);
  bytes[at + 26] = 43;
  bytes[at + 27] = 48;
  bytes[at + 28] = 48;
}
