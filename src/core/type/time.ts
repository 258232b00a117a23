import { z } from "zod";
import { eachCell } from "../kernel/column.ts";
import { exampleOf, parseMoment, writeTime } from "./calendar.ts";
import { newMoment, piecesOf, timeFormatSchema } from "./date.ts";
import { splitList, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const ISO = ["HH:mm:ss", "HH:mm:ss.SSSSSS", "HH:mm"];
/** Bytes of HH:mm:ss.SSSSSS. */
const WRITTEN = 15;

const options = {
  formats: z
    .array(timeFormatSchema)
    .min(1)
    .max(20)
    .default(ISO)
    .describe("How times are written; letters of Unicode TR 35"),
};

export type TimeOptions = OptionsOf<typeof options>;

/** A time of day, without a day and without an offset. */
export const time: TypePart<TimeOptions> = {
  id: "time",
  title: "Time of day",
  about: "A time of day, without a day and without an offset.",
  options,
  line: {
    hint: "formats",
    show: ({ formats }) => (formats ?? []).join(", "),
    take: (t) => ({ formats: splitList(t).length > 0 ? splitList(t) : ISO }),
  },
  sql: () => "time without time zone",
  fits: ({ type }) => /^time(\([0-6]\))? without time zone$/.test(type),
  expected: ({ formats }) =>
    `a time of day, written like ${formats
      .slice(0, 3)
      .map((f) => exampleOf(f, "time"))
      .join(" or ")}`,
  noun: "a time of day",
  value: () => "duration",
  order: () => "bytes",
  limit(text) {
    const match = /^([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d))?$/.exec(text);
    return match && `${match[1]}:${match[2]}:${match[3] ?? "00"}.000000`;
  },
  rewrites: true,
  convert({ formats }) {
    const ways = formats.map((f) => piecesOf(f, "time"));
    // A day that exists: the reader of moments asks for one.
    const moment = { ...newMoment(), year: 2000, month: 1, day: 1 };
    return eachCell((heap, cells, r) => {
      for (const pieces of ways) {
        if (!parseMoment(heap.bytes, cells.start[r]!, cells.end[r]!, pieces, moment)) continue;
        const at = heap.reserve(WRITTEN);
        writeTime(heap.bytes, at, moment);
        heap.length = at + WRITTEN;
        cells.start[r] = at;
        cells.end[r] = at + WRITTEN;
        return true;
      }
      return false;
    });
  },
  examples: [
    { options: { formats: ISO }, from: "14:05", to: "14:05:00.000000" },
    { options: { formats: ISO }, from: "14:05:09.25", to: "14:05:09.250000" },
    { options: { formats: ISO }, from: "24:00", to: null },
    { options: { formats: ISO }, from: "7:30", to: null },
    { options: { formats: ["H.mm"] }, from: "7.30", to: "07:30:00.000000" },
    { options: { formats: ["h:mm a"] }, from: "12:30 AM", to: "00:30:00.000000" },
    { options: { formats: ["h:mm a"] }, from: "7:30 p.m.", to: "19:30:00.000000" },
    { options: { formats: ["h:mm a"] }, from: "0:30 am", to: null },
    { options: { formats: ["HH:mm"] }, from: "14:05 h", to: null },
  ],
};
