import { z } from "zod";
import { counted, grouped } from "../kernel/problem.ts";
import { gatePart, tooFew } from "./part.ts";
import { isOver, medianOf, percent } from "./usual.ts";

const three = [100, 110, 90].map((read) => ({ read, filled: [] }));

/** There are about as many records as in the sender's loads before. */
export const recordsAgainstHistory = gatePart({
  id: "records against history",
  title: "how many records, against the sender's loads before",
  about: "A number of records that is far from the median of the sender's loads before stops the load.",
  options: {
    share: z
      .number()
      .min(0)
      .max(10)
      .describe("How far from the usual number of records, as a share of it, stops the load"),
  },
  sentence: "records more or less than usual by {share} %",
  controls: { share: "share" },
  once: true,
  begin: () => ({ share: 0.5 }),
  judge({ share }, { read, history }) {
    const few = tooFew(history.length);
    if (few) return few;
    const usual = medianOf(history.map((h) => h.read));
    const apart = usual === 0 ? (read === 0 ? 0 : Infinity) : Math.abs(read - usual) / usual;
    return {
      passed: !isOver(apart, share),
      message: `${counted(read, "record")} read; the last ${history.length} loads of the sender had ${grouped(Math.round(usual))} as a rule, and ${percent(share)} more or less is allowed.`,
    };
  },
  examples: [
    { options: { share: 0.5 }, measured: { read: 150, history: three }, passed: true, says: "100 as a rule" },
    { options: { share: 0.5 }, measured: { read: 151, history: three }, passed: false, says: "50 % more or less" },
    { options: { share: 0.5 }, measured: { read: 9, history: three.slice(1) }, passed: true, says: "too few" },
  ],
});
