import { z } from "zod";
import { grouped } from "../kernel/problem.ts";
import { gatePart } from "./part.ts";
import { isOver, percent } from "./usual.ts";

/** No more than a share of the target's rows is gone: a delivery that was cut off would take half of them along. */
export const goneShare = gatePart({
  id: "gone share",
  title: "how many rows may no longer come",
  about: "A greater share of the target's rows that did not come, and would be removed or marked, stops the load.",
  options: { over: z.number().min(0).max(1) },
  sentence: "share of rows that no longer come over {over} %",
  controls: { over: "share" },
  once: true,
  begin: () => ({ over: 0.1 }),
  judge({ over }, { gone }) {
    if (!gone || gone.of === 0) return { passed: true, message: "No row of the target is looked for." };
    if (gone.left) return { passed: true, message: "Rows that did not come are left, as held records may be theirs." };
    const share = gone.rows / gone.of;
    return {
      passed: !isOver(share, over),
      message: `${percent(share)} of the rows did not come (${grouped(gone.rows)} of ${grouped(gone.of)}); the limit is ${percent(over)}.`,
    };
  },
  examples: [
    { options: { over: 0.1 }, measured: { gone: null }, passed: true, says: "No row of the target is looked for" },
    {
      options: { over: 0.1 },
      measured: { gone: { did: "remove", rows: 2, of: 10, referred: 0, unsure: 0, left: false } },
      passed: false,
      says: "20 % of the rows did not come (2 of 10)",
    },
    {
      options: { over: 0.1 },
      measured: { gone: { did: "remove", rows: 9, of: 10, referred: 0, unsure: 1, left: true } },
      passed: true,
      says: "are left",
    },
  ],
});
