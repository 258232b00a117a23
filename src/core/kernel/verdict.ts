/** How a record of a block stands after the checks. */
export const VERDICT = { passes: 0, unreadable: 1, held: 2, suspect: 3, leftOut: 4, unmatched: 5 } as const;

/** A record that no check looks at: it can't be read, or was left out. */
export function isPassedOver(verdict: number): boolean {
  return verdict === VERDICT.unreadable || verdict === VERDICT.leftOut;
}

/** Why a cell is not sound: it is not of its type (and has no canonical value), or another check. */
export const NOT_OF_TYPE = 1;
export const OTHER_FAULT = 2;
