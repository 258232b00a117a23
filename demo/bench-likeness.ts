import { prepareLookUp } from "../src/core/lookup/look-up.ts";
import { lookUpSchema, type LookUp } from "../src/core/lookup/schema.ts";
import { asking, namesOf } from "./circumstances/lists.ts";

const scored = (more: object = {}): LookUp =>
  lookUpSchema.parse({
    ...{ how: "scored", name: "name", list: "names", by: [{ field: "name", column: "name", compare: "words" }] },
    ...more,
  });

const percent = (n: number): string => (100 * n).toFixed(0).padStart(4);

/** What limits of likeness say of themselves, and what they come to: for halves of lists that nobody has made for it, asked with errors of another hand. */
export function benchLikeness(seeds: readonly number[], say: (line: string) => void): void {
  say("");
  say(
    "look-ups by score: limits from the list and from what is asked; of 100, said right, right, found, among the first three; at 85 and 3 right, found",
  );
  for (const [tongue, type] of [
    ["it", "region"],
    ["hu", "region"],
    ["tr", "region"],
    ["de", "language"],
    ["sv", "language"],
  ] as const) {
    for (const share of [0.1, 0.5, 0.9, 1]) {
      const sums = {
        listed: 0,
        said: 0,
        saidOf: 0,
        right: 0,
        found: 0,
        three: 0,
        with: 0,
        fixedRight: 0,
        fixedFound: 0,
      };
      for (const seed of seeds) {
        const { reference, asked } = asking(namesOf(tongue, type), share, seed);
        const { likeness } = prepareLookUp(scored(), reference);
        const limits = likeness!.limitsOfAsked(asked.map((a) => [a.text]));
        const ask = prepareLookUp(scored({ least: limits.least, lead: limits.lead }), reference);
        const fixed = prepareLookUp(scored({ least: 85, lead: 3 }), reference);
        sums.listed += limits.listed / seeds.length;
        if (limits.right !== null) {
          sums.said += limits.right;
          sums.saidOf++;
        }
        for (const { text, entry } of asked) {
          const [found, other] = [ask([text], ""), fixed([text], "")];
          if (entry >= 0) sums.with++;
          if (entry >= 0 && likeness!.nearest([text], 3).some((n) => n.entry === entry)) sums.three++;
          if (found.result === "scored") {
            sums.found++;
            if (found.entry === entry) sums.right++;
          }
          if (other.result === "scored") {
            sums.fixedFound++;
            if (other.entry === entry) sums.fixedRight++;
          }
        }
      }
      const { said, saidOf, right, found, three, fixedRight, fixedFound } = sums;
      say(
        `  ${type} ${tongue}, ${percent(share)} have an entry (thought ${percent(sums.listed)}): ${saidOf === 0 ? " not known" : `${percent(said / saidOf)} ${percent(right / (found || 1))}`} ${percent(right / (sums.with || 1))} ${percent(three / (sums.with || 1))} | ${percent(fixedRight / (fixedFound || 1))} ${percent(fixedRight / (sums.with || 1))}`,
      );
    }
  }
}
