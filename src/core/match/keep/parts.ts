import { complete, first, last, ranked, recent, trusted } from "./by-member.ts";
import { greatest, least, longest, mostFrequent } from "./by-value.ts";

/** Every rule of survivorship, in the order in which they are offered. */
export const SURVIVORSHIP_PARTS = [
  first,
  last,
  recent,
  complete,
  mostFrequent,
  longest,
  greatest,
  least,
  trusted,
  ranked,
] as const;
