import { grouped } from "@/core/kernel/problem.ts";
import { measureMends } from "./mends/measure.ts";
import { MEND_SETS } from "./mends/sets.ts";

const RECORDS = 2000;
const percent = (part: number, of: number): string => `${((part / Math.max(1, of)) * 100).toFixed(1)} %`;

/**
 * What becomes of held records when every first suggestion is taken in bulk, beside what their senders meant: the share of
 * those that can be mended which are mended rightly, and the share of all into which something wrong is put. The sets
 * that are judged are not those on which mends were thought of.
 */
export function benchMends(seeds: readonly number[], say: (text: string) => void): void {
  say("mends in bulk: held records, mended rightly of those that can be, wrongly of all; faults that are mended least");
  for (const [kind, sets] of Object.entries(MEND_SETS)) {
    for (const set of sets) {
      for (const seed of seeds) {
        const { mendable, hopeless, right, wrong, byFault } = measureMends(set, { seed, count: RECORDS });
        const least = [...byFault]
          .filter(([, f]) => f.mendable && f.right < f.held * 0.9)
          .sort(([, a], [, b]) => a.right / a.held - b.right / b.held)
          .slice(0, 3)
          .map(([name, f]) => `${name} ${percent(f.right, f.held)}`);
        say(
          `  ${kind}: ${set.name}, seed ${seed}: ${grouped(mendable + hopeless)} held, ${percent(right, mendable)} right, ${percent(wrong, mendable + hopeless)} wrong${least.length > 0 ? `; ${least.join(", ")}` : ""}`,
        );
      }
    }
  }
}
