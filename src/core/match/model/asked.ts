/** In which order pairs are asked about: the most alike first, or those first of which it is least known what they are. */
export const PAIR_ORDERS = ["alike", "unsure"] as const;
export type PairOrder = (typeof PAIR_ORDERS)[number];
