import { sharedNumbers } from "./table.ts";

/** Candidates are found ahead of so many records, the first ones. */
const MOST_AHEAD = 20_000;

/**
 * Candidates of the first records that arrive, which hang on no model, so that a thread finds them while another one
 * estimates it: by record how many, -1 where nobody looked, and which. They lie in memory that both read.
 */
export interface FoundAhead {
  readonly counts: Int32Array;
  readonly list: Int32Array;
  /** 1 once it is enough. */
  readonly enough: Int32Array;
}

/** @param most candidates of a record */
export function aheadOf(records: number, most: number): FoundAhead {
  const counts = sharedNumbers(Math.min(MOST_AHEAD, records)).fill(-1);
  return { counts, list: sharedNumbers(counts.length * most), enough: sharedNumbers(1) };
}

/**
 * Finds candidates of one record after the other whose are not there yet, until it is enough.
 * @param find finds those of a record, gives how many, and leaves them in `found`, which has room for as many as a record has at most
 */
export function findAhead(ahead: FoundAhead, find: (a: number) => number, found: Int32Array): void {
  const { counts, enough } = ahead;
  for (let a = 0; a < counts.length && Atomics.load(enough, 0) === 0; a++) {
    if (counts[a]! < 0) putAhead(ahead, a, find(a), found);
  }
}

/** Puts down what was found of a record, if there is a place for it. */
export function putAhead({ counts, list }: FoundAhead, a: number, count: number, found: Int32Array): void {
  if (a >= counts.length) return;
  for (let i = 0; i < count; i++) list[a * found.length + i] = found[i]!;
  counts[a] = count;
}

/** Puts what was found ahead of a record into `found`; gives how many, -1 where nobody looked. */
export function takeAhead({ counts, list }: FoundAhead, a: number, found: Int32Array): number {
  const count = counts[a] ?? -1;
  for (let i = 0; i < count; i++) found[i] = list[a * found.length + i]!;
  return count;
}
