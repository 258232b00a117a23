import { grouped } from "@/core/kernel/problem.ts";
import { measureMends } from "./mends/measure.ts";
import { RETURNED_KINDS, measureReturned } from "./mends/returned.ts";
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

/**
 * Held records that come again without their mark and under another key, which a person is shown: as they were, with an
 * error or two more, and where none has come. Of kinds of records that were made for something else.
 */
export function benchReturned(seeds: readonly number[], say: (text: string) => void): void {
  say("held records that came again: shown of those that came, and of all that is shown the right ones");
  for (const kind of RETURNED_KINDS) {
    for (const seed of seeds) {
      const tried = (errors: readonly [number, number], same: number) =>
        measureReturned(kind, { seed, size: RECORDS, same, errors });
      const words = (
        [
          [0, 0],
          [1, 2],
        ] as const
      ).map((errors) => {
        const { came, shown, right, whole, wholeRight } = tried(errors, 0.5);
        return `${errors.join(" to ")} errors ${percent(right, came)}, right ${percent(right, shown)}, of ${grouped(whole)} without any difference ${percent(wholeRight, whole)}`;
      });
      const none = tried([0, 0], 0);
      say(`  ${kind}, seed ${seed}: ${words.join("; ")}; none came: ${percent(none.shown, none.held)} shown`);
    }
  }
}
