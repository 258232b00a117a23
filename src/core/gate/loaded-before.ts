import { z } from "zod";
import { grouped } from "../kernel/problem.ts";
import { gatePart } from "./part.ts";
import { isOver, percent } from "./usual.ts";

/** The share of records that the target may have already where a plan without a key says nothing of it. */
const MOSTLY = 0.5;

/** The delivery is not mostly what was loaded before. */
export const loadedBefore = gatePart({
  id: "loaded before",
  title: "how much of it the target may have already",
  about: "A greater share of records that the target has already, by key or by all fields, stops the load.",
  options: {
    over: z
      .number()
      .min(0)
      .max(1)
      .describe("A greater share of records that the target has already, by key or by all fields, stops the load"),
  },
  sentence: "share of records that the target has already over {over} %",
  controls: { over: "share" },
  once: true,
  begin: () => ({ over: MOSTLY }),
  judge({ over }, { loadedBefore: before }) {
    if (!before || before.of === 0) return { passed: true, message: "The target has none of the records yet." };
    const share = before.records / before.of;
    const how = before.by === "key" ? "by their keys" : "alike in all fields";
    return {
      passed: !isOver(share, over),
      message: `The target has ${percent(share)} of the records already, ${how} (${grouped(before.records)} of ${grouped(before.of)}); the limit is ${percent(over)}.`,
    };
  },
  examples: [
    { options: { over: 0.5 }, measured: { loadedBefore: null }, passed: true, says: "none of the records yet" },
    {
      options: { over: 0.5 },
      measured: { loadedBefore: { records: 3, of: 4, by: "key" } },
      passed: false,
      says: "75 % of the records already, by their keys",
    },
  ],
});

/**
 * The gate on what was loaded before: the plan's own, or, where nothing else would keep a delivery
 * from being put beside itself (records are added and have no key), one at half of the records.
 */
export function loadedBeforeGate({
  gates,
  load,
}: {
  readonly gates: readonly { readonly limit: string }[];
  readonly load: { readonly mode: string; readonly key: readonly string[] };
}): { over: number; own: boolean } | null {
  const own = gates.find((g) => g.limit === loadedBefore.id) as { over: number } | undefined;
  if (own) return { over: own.over, own: true };
  return load.mode === "append" && load.key.length === 0 ? { over: MOSTLY, own: false } : null;
}
