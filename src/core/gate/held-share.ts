import { z } from "zod";
import { grouped } from "../kernel/problem.ts";
import { gatePart } from "./part.ts";
import { isOver, percent } from "./usual.ts";

/** No more than a share of the records would be held. */
export const heldShare = gatePart({
  id: "held share",
  title: "how many records may be held",
  about: "A greater share of records that would be held stops the load.",
  options: { over: z.number().min(0).max(1) },
  sentence: "held share over {over} %",
  controls: { over: "share" },
  once: true,
  begin: () => ({ over: 0.2 }),
  judge({ over }, { read, held }) {
    const share = read === 0 ? 0 : held / read;
    return {
      passed: !isOver(share, over),
      message: `${percent(share)} would be held (${grouped(held)} of ${grouped(read)}); the limit is ${percent(over)}.`,
    };
  },
  examples: [
    { options: { over: 0.2 }, measured: { read: 10, held: 2 }, passed: true, says: "20 % would be held (2 of 10)" },
    { options: { over: 0.2 }, measured: { read: 10, held: 3 }, passed: false, says: "the limit is 20 %" },
  ],
});
