/** The middle one of some numbers, the upper one of two. */
export function median(list: readonly number[]): number {
  return [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)]!;
}
