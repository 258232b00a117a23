/** Loads that are held against, and how many there must be to know what is usual. */
export const HISTORY_LOADS = 12;
export const LEAST_HISTORY = 3;

export function medianOf(list: readonly number[]): number {
  const sorted = [...list].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2;
}

/** Whether a share is past a limit; what only the last binary digits make of it does not count. */
export function isOver(share: number, limit: number): boolean {
  return share - limit > 1e-9;
}

/** A share as people write it: “2.4 %”. */
export function percent(share: number): string {
  const digits = share > 0 && share < 0.001 ? 3 : 1;
  return `${(share * 100).toFixed(digits).replace(/\.0+$/, "")} %`;
}
