import { z } from "zod";
import { gatePart, tooFew, type Measured } from "./part.ts";
import { LEAST_HISTORY, isOver, medianOf, percent } from "./usual.ts";

/** Fields whose cells are empty more often than in the loads before, by more than `over` of all cells. */
function emptierThanUsual({ filled, history }: Measured, over: number): string[] {
  return filled.flatMap((f) => {
    const before = history.flatMap((h) => {
      const was = h.filled.find((x) => x.name === f.name);
      return was && was.of > 0 ? [(was.of - was.filled) / was.of] : [];
    });
    if (before.length < LEAST_HISTORY || f.of === 0) return [];
    const [usual, now] = [medianOf(before), (f.of - f.filled) / f.of];
    return isOver(now - usual, over) ? [`${f.name} is empty in ${percent(now)}, usually in ${percent(usual)}`] : [];
  });
}

const entry = (filled: number) => ({ read: 10, filled: [{ name: "a", filled, of: 10 }] });

/** No field is empty more often than in the sender's loads before. */
export const emptyAgainstHistory = gatePart({
  id: "empty cells against history",
  title: "how empty fields are, against the sender's loads before",
  about: "A field that is empty more often than in the median of the sender's loads before stops the load.",
  options: {
    over: z
      .number()
      .min(0)
      .max(1)
      .describe("How much more than usual of a field's cells may be empty, as a share of all"),
  },
  sentence: "a field emptier than usual by {over} % of its cells",
  controls: { over: "share" },
  once: true,
  begin: () => ({ over: 0.1 }),
  judge({ over }, measured) {
    const emptier = emptierThanUsual(measured, over);
    if (emptier.length > 0) return { passed: false, message: `${emptier.join("; ")}.` };
    return tooFew(measured.history.length) ?? { passed: true, message: "No field is empty more often than usual." };
  },
  examples: [
    {
      options: { over: 0.1 },
      measured: { filled: entry(7).filled, history: [entry(9), entry(9), entry(9)] },
      passed: false,
      says: "a is empty in 30 %, usually in 10 %",
    },
    {
      options: { over: 0.1 },
      measured: { filled: entry(8).filled, history: [entry(9), entry(9), entry(9)] },
      passed: true,
      says: "No field",
    },
    {
      options: { over: 0.1 },
      measured: { filled: entry(0).filled, history: [entry(9), entry(9)] },
      passed: true,
      says: "too few",
    },
    {
      // A load before that was empty says nothing of a field, and nothing can be said of one that is empty now.
      options: { over: 0.1 },
      measured: {
        filled: [...entry(0).filled, { name: "b", filled: 0, of: 0 }],
        history: [entry(9), entry(9), { read: 0, filled: [{ name: "a", filled: 0, of: 0 }] }],
      },
      passed: true,
      says: "No field",
    },
  ],
});
