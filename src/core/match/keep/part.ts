/** A record of a cluster: its values by field, "" where it has none, and what it is ranked by. */
export interface Member {
  readonly values: readonly string[];
  /** Its value in the field that says which record is the more recent, "" where it has none. */
  readonly recent?: string | undefined;
  /** How much it is trusted, and how it is ranked: the more, the better. */
  readonly trust?: number | undefined;
  readonly rank?: number | undefined;
}

/** The same with how many of its values are filled, which is counted once for all fields. */
export interface CountedMember extends Member {
  readonly filled: number;
}

/** A rule by which the kept record of a cluster has its value in a field. */
export interface SurvivorshipPart<Id extends string = string> {
  readonly id: Id;
  /** Whose value it keeps, as a person chooses it. */
  readonly words: string;
  /** What of a plan's match section must be said for it. */
  readonly needs?: "trust" | "rank";
  /**
   * The member whose value is kept, by its number. `having`: numbers of the members that have a value in the field
   * `f`, in their order, at least one.
   */
  choose(having: readonly number[], members: readonly CountedMember[], f: number): number;
}

/** The earliest of the members that are best by an order. */
export function best(having: readonly number[], by: (a: number, b: number) => number): number {
  return having.reduce((kept, i) => (by(i, kept) > 0 ? i : kept));
}

/** Numbers by their size, all else by letters; "" before everything. */
export function compareValues(a: string, b: string): number {
  if (a === b) return 0;
  if (a === "" || b === "") return a === "" ? -1 : 1;
  const [x, y] = [Number(a), Number(b)];
  if (Number.isFinite(x) && Number.isFinite(y)) return x - y;
  return a < b ? -1 : 1;
}
