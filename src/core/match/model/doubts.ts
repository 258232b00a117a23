import { grouped, listed } from "../../kernel/problem.ts";
import type { Doubt } from "./choose.ts";
import type { LimitsInUse } from "../limits.ts";
import type { LimitsEstimate } from "../resolve.ts";

/** What is doubtful about an estimate and what would help, each in a sentence or two. `fields`: what is compared, by their names. */
export function doubtsWords({ doubts, differing = [] }: LimitsEstimate, fields: readonly string[]): string[] {
  const named = differing.map((f) => `“${fields[f]}”`);
  return doubts.map((doubt) =>
    doubt === "not-told-apart" && named.length > 0
      ? `The pairs that are most alike still differ in ${listed(named, MOST_NAMED)}, by which records are told apart, so they may only belong together, as people of one household do, or come one after the other, as parts of a series do. Nothing is joined by itself. If that is only written in several ways for the same thing, don’t compare it; more fields that tell records apart would help, and so would decided pairs.`
      : DOUBT_WORDS[doubt],
  );
}

/** Fields that are named in one sentence. */
const MOST_NAMED = 3;

const DOUBT_WORDS: Record<Doubt, string> = {
  "few-records":
    "There are too few records to tell what pairs are like. Nothing is joined by itself; the likeliest pairs are asked about.",
  "one-file":
    "Records of one file are compared with one another, so nothing in the data can check how many are joined wrongly. Decide 20 pairs or more to measure it.",
  "repeats-inside":
    "A side has repeats of its own, or what looks like them, so how many pairs are joined wrongly can’t be counted well there. Match each side with itself first, or decide some pairs.",
  "nothing-same":
    "There are no more pairs that look alike between the two sides than within each: nothing is the same, or it can’t be told. Nothing is joined, and nothing is asked about.",
  "not-parted":
    "No limit parts the same from what only looks alike well enough. Nothing is joined by itself; the likeliest pairs are asked about. One more field that tells records apart would help, such as a birth date, a phone number or an e-mail address; so would decided pairs.",
  "not-told-apart":
    "The pairs that are most alike still differ in fields that tell records apart, so they may only belong together, as people of one household do, or come one after the other, as parts of a series do. Nothing is joined by itself. More fields that tell records apart would help; so would decided pairs.",
  "hardly-any":
    "Hardly any pairs look the same, so that these may be alike by chance. Nothing is joined by itself; they are asked about.",
  "below-wanted":
    "As much precision as is wanted would leave much undone; a little less was taken. Set the precision that is wanted to hold it strictly.",
};

/** “same from 63: about 5 wrong in 1,000”, or that nothing is joined by itself. */
export function limitsWords({ same, ask }: LimitsInUse, { precision, recall, basis, within }: LimitsEstimate): string {
  if (same === null)
    return ask >= 100
      ? "nothing is joined, and nothing is asked about"
      : `nothing is joined by itself; asked from ${ask}`;
  if (precision === null) return `same from ${same}, asked from ${ask}; how many of these are wrong can’t be told`;
  const found = recall === null ? "" : `; about ${(recall * 100).toFixed(1)}\u00a0% of all that are the same`;
  const sure = within === undefined ? "" : ` (${withinWords(within)})`;
  return `same from ${same}: ${wrongWords(precision)}${sure}${found}, ${basis === "counted" ? "counted within the files" : "by the model’s own word"}; asked from ${ask}`;
}

/** “1 to 12 with 95 %”: of 1,000 how many may be wrong. */
export function withinWords({ low, high }: NonNullable<LimitsEstimate["within"]>): string {
  const of = (share: number): string => grouped(Math.round((1 - share) * 1000));
  return `${of(high)} to ${of(low)} with 95\u00a0%`;
}

/** “about 5 wrong in 1,000”. */
export function wrongWords(precision: number): string {
  const wrong = (1 - precision) * 1000;
  if (wrong < 0.5) return "fewer than 1 wrong in 1,000";
  return wrong < 100 ? `about ${Math.round(wrong)} wrong in 1,000` : `about ${Math.round(wrong / 10)} wrong in 100`;
}
