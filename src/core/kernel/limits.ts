/** What a person may ask for at once: held records to be released or discarded, pairs to be decided, records of a sample. */
export const MOST_AT_ONCE = 100_000;
export const MOST_PAIRS_DECIDED = 2000;
export const MOST_SAMPLED = 5_000;
