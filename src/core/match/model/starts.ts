import type { MatchField } from "../schema.ts";
import type { FieldFacts } from "./fields.ts";
import type { Start } from "./kinds.ts";

/** With no more fields than this that tell things apart, kinds of pairs can hardly be told from each other. */
const FEW_FIELDS = 3;

/** How the search for the kinds of pairs begins: several ways, of which the data chooses. */
const STARTS: readonly Start[] = [
  { kinds: ["same"], withTree: true },
  { kinds: ["same", "moved"], withTree: true },
  { kinds: ["same", "related"], withTree: true },
  { kinds: ["same", "related", "related-otherwise"], withTree: true },
  { kinds: ["same", "moved", "related", "related-otherwise"], withTree: true },
];
/** Beside another side it is tried as well to take all that is alike within a side for what only belongs together. */
const STARTS_BESIDE: readonly Start[] = [
  ...STARTS,
  { kinds: ["same", "related", "related-otherwise"], withTree: true, mostWithin: 0.001 },
];
/** In one file, where nothing can be counted, to hold same pairs to be more alike. */
const STARTS_ALONE: readonly Start[] = [
  ...STARTS,
  { kinds: ["same", "related", "related-otherwise"], withTree: true, strict: true },
];
const STARTS_OF_FEW: readonly Start[] = [
  { kinds: ["same"], withTree: true, few: true },
  { kinds: ["same"], withTree: false, few: true },
  { kinds: ["same", "related"], withTree: true, few: true },
];
/** Where weights are set by hand there is nothing to be found out but how many are the same. */
const STARTS_BY_HAND: readonly Start[] = [{ kinds: ["same"], withTree: false }];

/** From where the kinds of pairs are looked for; `alone`: in one file. */
export function startsFor(
  fields: readonly MatchField[],
  facts: readonly FieldFacts[],
  alone: boolean,
): readonly Start[] {
  if (fields.some((f) => f.weights)) return STARTS_BY_HAND;
  if (facts.filter((f) => f.telling && !f.silent).length <= FEW_FIELDS) return STARTS_OF_FEW;
  return alone ? STARTS_ALONE : STARTS_BESIDE;
}
