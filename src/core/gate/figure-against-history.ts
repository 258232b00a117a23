import { z } from "zod";
import { plainNameSchema } from "../plan/name.ts";
import {
  figuresOf,
  gatePart,
  short,
  tooFew,
  type Figure,
  type HistoryEntry,
  type Judged,
  type Measured,
} from "./part.ts";
import { HISTORY_LOADS, isOver, medianOf, percent } from "./usual.ts";

const options = {
  field: plainNameSchema.describe("A field of numbers"),
  share: z.number().min(0).max(10).describe("How far from the usual, as a share of it, stops the load"),
};

/** A figure of a field against its median in the sender's loads before. */
function against(
  what: "sum" | "mean",
  of: (figure: Figure) => number,
  { field, share }: { field: string; share: number },
  measured: Measured,
): Judged {
  const { now, before } = figuresOf(measured, field);
  const few = tooFew(before.length);
  if (few) return few;
  if (!now || now.count === 0) return { passed: false, message: `${field} has no value, so it has no ${what}.` };
  const usual = medianOf(before.map(of));
  const own = of(now);
  const apart = own === usual ? 0 : usual === 0 ? Infinity : Math.abs(own - usual) / Math.abs(usual);
  return {
    passed: !isOver(apart, share),
    message: `The ${what} of ${field} is ${short(own)}; in the last ${Math.min(HISTORY_LOADS, before.length)} loads of the sender it was ${short(usual)} as a rule, and ${percent(share)} more or less is allowed.`,
  };
}

const figure = (sum: string, count: number): Figure => ({ field: "g", sum, count });
const history = [figure("100", 10), figure("120", 10), figure("90", 10)].map((f): HistoryEntry => ({
  read: 10,
  filled: [],
  figures: [f],
}));

/** The sum of a field is about what it was in the sender's loads before. */
export const sumAgainstHistory = gatePart({
  id: "sum against history",
  title: "a sum against the sender's loads before",
  about: "A sum of a field of numbers that is far from the median of the sender's loads before stops the load.",
  options,
  sentence: "sum of {field} off the usual by over {share} %",
  controls: { field: "field", share: "share" },
  types: ["integer", "decimal"],
  figures: true,
  begin: (field) => ({ field, share: 0.5 }),
  judge: (own, measured) => against("sum", (f) => Number(f.sum ?? 0), own, measured),
  examples: [
    {
      options: { field: "g", share: 0.5 },
      measured: { history, figures: [figure("150", 3)] },
      passed: true,
      says: "The sum of g is 150; in the last 3 loads of the sender it was 100",
    },
    {
      options: { field: "g", share: 0.5 },
      measured: { history, figures: [figure("151", 3)] },
      passed: false,
      says: "50 % more or less",
    },
    { options: { field: "g", share: 0.5 }, measured: { history }, passed: false, says: "g has no value" },
    {
      // Loads that had no value, or have figures of other fields alone, say nothing of what is usual.
      options: { field: "g", share: 0.5 },
      measured: {
        history: [...history.slice(1), { read: 1, filled: [], figures: [figure("0", 0)] }, { read: 1, filled: [] }],
        figures: [{ ...figure("7", 1), field: "other" }, figure("900", 9)],
      },
      passed: true,
      says: "Only 2 loads before",
    },
  ],
});

/** The mean of a field is about what it was in the sender's loads before. */
export const meanAgainstHistory = gatePart({
  id: "mean against history",
  title: "a mean against the sender's loads before",
  about: "A mean of a field of numbers that is far from the median of the sender's loads before stops the load.",
  options,
  sentence: "mean of {field} off the usual by over {share} %",
  controls: { field: "field", share: "share" },
  types: ["integer", "decimal"],
  figures: true,
  begin: (field) => ({ field, share: 0.2 }),
  judge: (own, measured) => against("mean", (f) => Number(f.sum ?? 0) / f.count, own, measured),
  examples: [
    {
      options: { field: "g", share: 0.2 },
      measured: { history, figures: [figure("24", 2)] },
      passed: true,
      says: "The mean of g is 12; in the last 3 loads of the sender it was 10",
    },
    {
      options: { field: "g", share: 0.2 },
      measured: { history, figures: [figure("100", 3)] },
      passed: false,
      says: "The mean of g is 33.3333",
    },
  ],
});
