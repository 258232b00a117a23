/** Words that people write where there is nothing to write. */
export const NOTHING_WORDS = [
  "?",
  "-",
  "--",
  "n/a",
  "na",
  "null",
  "none",
  "nil",
  "unknown",
  "not known",
  "tbd",
  "#n/a",
  "(null)",
  ".",
];
