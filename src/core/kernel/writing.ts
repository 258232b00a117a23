/** What becomes of rows of a target and of held records, as the store and the API have it. */

/** What undoing does to one row of the target. */
export const UNDO_DOES = ["remove", "put back", "bring back"] as const;
export type UndoDoes = (typeof UNDO_DOES)[number];

/**
 * Why a row is left as it is. A person may say of the first three that it is undone all the same; the
 * others would take something from another table or break a rule of the target.
 */
export const LEFT_BECAUSE = ["changed", "gone", "another", "undone", "referred", "rule"] as const;
export type LeftBecause = (typeof LEFT_BECAUSE)[number];

/** What a held record is by now. */
export const HELD_STATES = ["held", "released", "discarded", "overtaken", "closed"] as const;
export type HeldState = (typeof HELD_STATES)[number];
