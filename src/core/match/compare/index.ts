import type { ComparatorPart } from "../part.ts";
import { address } from "./address.ts";
import { date } from "./date.ts";
import { distance } from "./distance.ts";
import { edit } from "./edit.ts";
import { equal } from "./equal.ts";
import { grams } from "./grams.ts";
import { jaroWinklerComparator } from "./jaro-winkler.ts";
import { longestPart } from "./longest-part.ts";
import { mongeElkan } from "./monge-elkan.ts";
import { number } from "./number.ts";
import { overlap } from "./overlap.ts";
import { person } from "./person.ts";
import { phonetic } from "./phonetic.ts";
import { words } from "./words.ts";

/** Every comparator, in the order in which an editor offers them. */
export const COMPARATORS = {
  person,
  words,
  address,
  edit,
  "jaro-winkler": jaroWinklerComparator,
  "q-gram": grams,
  "longest-part": longestPart,
  "monge-elkan": mongeElkan,
  phonetic,
  equal,
  number,
  date,
  distance,
  overlap,
} as const;
export type ComparatorId = keyof typeof COMPARATORS;
export const COMPARATOR_IDS = Object.keys(COMPARATORS) as ComparatorId[];

/** The part for a comparator, its options not yet told apart. */
export function comparatorPart(id: ComparatorId): ComparatorPart<object> {
  return COMPARATORS[id] as unknown as ComparatorPart<object>;
}
