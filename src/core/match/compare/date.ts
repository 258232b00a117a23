import { z } from "zod";
import { similarity } from "../../kernel/distance.ts";
import type { ComparatorPart } from "../part.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = { days: z.int().min(1).max(36_600).optional().describe("How many days apart they may be") };

export type DateOptions = OptionsOf<typeof options>;

/** Days from 1970 of an ISO 8601 date. */
function dayOf(date: string): number {
  return Date.UTC(Number(date.slice(0, 4)), Number(date.slice(5, 7)) - 1, Number(date.slice(8, 10))) / 86_400_000;
}

export const date: ComparatorPart<DateOptions> = {
  id: "date",
  title: "Dates",
  about:
    "For dates: the same, day and month swapped, one digit otherwise, only the day or month or year otherwise, or no further apart than is allowed.",
  options,
  blocking: "date",
  prepare: () => (text) => /^\d{4}-\d{2}-\d{2}/.exec(text.trim())?.[0] ?? "",
  compare: ({ days = 0 }) => {
    return (a, b) => {
      if (a === b) return 1;
      const apart = days > 0 ? Math.abs(dayOf(a) - dayOf(b)) : Infinity;
      if (apart <= days) return 0.97 - 0.1 * (apart / days);
      const year = a.startsWith(b.slice(0, 4));
      const [m, d] = [a.slice(5, 7), a.slice(8, 10)];
      if (year && m === b.slice(8, 10) && d === b.slice(5, 7)) return 0.93;
      if (similarity(a, b) >= 0.9) return 0.9;
      const same = Number(year) + Number(m === b.slice(5, 7)) + Number(d === b.slice(8, 10));
      if (same === 2) return 0.7;
      return same === 1 && year ? 0.4 : 0.1;
    };
  },
  levels: [0.92, 0.86, 0.65, 0.35],
  examples: [
    { options: {}, a: "1987-04-09", b: "1987-04-09", likeness: 1 },
    { options: {}, a: "1987-04-09", b: "1987-09-04", likeness: 0.93 },
    { options: {}, a: "1987-04-09", b: "1978-04-09", likeness: 0.9 },
    { options: {}, a: "1987-04-09", b: "1987-04-27", likeness: 0.7 },
    { options: { days: 10 }, a: "2026-01-30", b: "2026-02-04", likeness: 0.92 },
    { options: {}, a: "1987-04-09", b: "1990-11-21", likeness: 0.1 },
  ],
};
