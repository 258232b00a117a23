import type { WrongValue } from "./part.ts";

/**
 * Of two ways to read values, such as with a point or a comma before decimals, those in which all of some loads can be
 * read: a load's values that can be read in one way only decide for it. Both where none does, or they disagree.
 * @param textOf what of a value is read
 */
export function readingsOf<Way>(
  ways: readonly [Way, Way],
  values: readonly WrongValue[],
  textOf: (value: string) => string,
  read: (text: string, way: Way) => string | null,
): (loads: readonly number[]) => readonly Way[] {
  const only = new Map<number, Set<Way>>();
  for (const { value, loads } of values) {
    const can = ways.filter((way) => read(textOf(value), way) !== null);
    if (can.length !== 1) continue;
    for (const load of loads) only.set(load, (only.get(load) ?? new Set<Way>()).add(can[0]!));
  }
  return (loads) =>
    ways.filter((way) =>
      loads.every((load) => {
        const said = only.get(load);
        return said?.size !== 1 || said.has(way);
      }),
    );
}
