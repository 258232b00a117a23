/**
 * Columns that a file for a sender has beside the sender's own: which held record a line is, and what is wrong with it.
 * Where they come back they are known, and no columns too many.
 */
export const MARK_COLUMN = "sieve mark";
export const PROBLEM_COLUMN = "sieve problem";

const OWN: ReadonlySet<string> = new Set([MARK_COLUMN, PROBLEM_COLUMN]);

export const isOwnColumn = (name: string): boolean => OWN.has(name.trim().toLowerCase());

/** A heading that ends with both, however its cells are parted. */
const HEADING = new RegExp(`(?:^|[,;\\t|])"?${MARK_COLUMN}"?[,;\\t|]"?${PROBLEM_COLUMN}"?\\s*$`, "i");

/** Whether delimited text begins as a file for a sender does. */
export const isOwnHeading = (text: string): boolean => HEADING.test(text.split(/\r?\n/, 1)[0]!);

export const isMarkColumn = (name: string): boolean => name.trim().toLowerCase() === MARK_COLUMN;
