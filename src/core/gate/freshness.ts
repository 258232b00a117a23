import { z } from "zod";
import { counted } from "../kernel/problem.ts";
import { plainNameSchema } from "../plan/name.ts";
import { figuresOf, gatePart } from "./part.ts";

const DAY_MS = 86_400_000;
const received = new Date("2026-03-11T09:00:00Z");

/** The newest day or moment of a field is not too old when the delivery comes. */
export const freshness = gatePart({
  id: "freshness",
  title: "how old the newest day may be",
  about: "A delivery whose newest day or moment in a field is older than so many days when it comes stops.",
  options: {
    field: plainNameSchema.describe("A field of dates or times"),
    days: z.int().min(0).max(36_500).describe("How old its newest value may be when the delivery comes"),
  },
  sentence: "newest {field} older than {days} days",
  controls: { field: "field", days: "number" },
  types: ["date", "timestamp"],
  figures: true,
  begin: (field) => ({ field, days: 45 }),
  judge({ field, days: allowed }, measured) {
    const { now } = figuresOf(measured, field);
    if (!now?.newest)
      return { passed: false, message: `${field} has no value, so nothing says how fresh the records are.` };
    if (measured.received === null) return { passed: true, message: "Nothing says when the delivery came." };
    const newest = Date.parse(`${now.newest.slice(0, 10)}T00:00:00Z`);
    const days = Math.floor((measured.received.getTime() - newest) / DAY_MS);
    return {
      passed: days <= allowed,
      message: `The newest ${field} is ${now.newest.slice(0, 10)}, ${counted(Math.max(0, days), "day")} before the delivery came; ${counted(allowed, "day")} are allowed.`,
    };
  },
  examples: [
    {
      options: { field: "d", days: 10 },
      measured: { received, figures: [{ field: "d", count: 1, newest: "2026-03-01" }] },
      passed: true,
      says: "2026-03-01, 10 days before the delivery came",
    },
    {
      options: { field: "d", days: 9 },
      measured: { received, figures: [{ field: "d", count: 1, newest: "2026-03-01" }] },
      passed: false,
      says: "9 days are allowed",
    },
    { options: { field: "d", days: 9 }, measured: { received }, passed: false, says: "d has no value" },
    {
      options: { field: "d", days: 9 },
      measured: { received, figures: [{ field: "d", count: 1, newest: "2026-03-10 23:30:00.000000+00" }] },
      passed: true,
      says: "The newest d is 2026-03-10, 1 day before",
    },
    {
      options: { field: "d", days: 9 },
      measured: { received: null, figures: [{ field: "d", count: 1, newest: "2020-01-01" }] },
      passed: true,
      says: "Nothing says when",
    },
  ],
});
