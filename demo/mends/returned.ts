import { AlikeSearch, isWhole, type Alike } from "@/core/mend/alike.ts";
import { CIRCUMSTANCES, makeSet, type Circumstance } from "../circumstances/sets.ts";
import { Random } from "../random.ts";

/** Held records that came again without their mark: those that came, the pairs that are shown, those of them that are right, and both where all that was sound is the same. */
export interface ReturnedTruth {
  readonly held: number;
  readonly came: number;
  readonly shown: number;
  readonly right: number;
  readonly whole: number;
  readonly wholeRight: number;
}

/** Kinds of records by hands that had no returned records in mind; each with the number of the record beside what says something. */
export const RETURNED_KINDS: readonly string[] = CIRCUMSTANCES.filter(
  ({ name, one }) => !one && !name.includes(","),
).map(({ name }) => name);

/**
 * Holds the records of one file for one or two wrong cells each, and looks for them among those of another, of which some
 * are the same, written anew with so many errors.
 */
export function measureReturned(
  name: string,
  {
    seed,
    ...change
  }: Pick<Circumstance, "size" | "same"> & { readonly errors: readonly [number, number]; readonly seed: number },
): ReturnedTruth {
  const { columns, a, b } = makeSet({ ...CIRCUMSTANCES.find((c) => c.name === name)!, ...change }, seed);
  const random = new Random(seed + 5);
  const held = a.rows.map((row) => {
    const wrong = row.map(() => false);
    for (let faults = random.whole(1, 2); faults > 0; faults--) wrong[random.whole(0, columns.length - 1)] = true;
    return { values: row.map((v, f) => (!wrong[f] ? v : random.chance(0.5) ? "" : `${v}?`)), wrong };
  });
  const search = new AlikeSearch(held, columns.length);
  b!.rows.forEach((row, i) => search.offer(i, row));
  const found = search.finish();
  const whole = found.filter(isWhole);
  const isRight = ({ held: h, record }: Alike): boolean => a.thing[h] === b!.thing[record];
  const came = new Set(b!.thing);
  return {
    held: held.length,
    came: a.thing.filter((thing) => came.has(thing)).length,
    shown: found.length,
    right: found.filter(isRight).length,
    whole: whole.length,
    wholeRight: whole.filter(isRight).length,
  };
}
