/**
 * Columns that a file for a sender has beside the sender's own: which held record a line is, and what is wrong with it.
 * Where they come back they are known, and no columns too many.
 */
export const MARK_COLUMN = "sieve mark";
export const PROBLEM_COLUMN = "sieve problem";

const OWN: ReadonlySet<string> = new Set([MARK_COLUMN, PROBLEM_COLUMN]);

export const isOwnColumn = (name: string): boolean => OWN.has(name.trim().toLowerCase());

export const isMarkColumn = (name: string): boolean => name.trim().toLowerCase() === MARK_COLUMN;
