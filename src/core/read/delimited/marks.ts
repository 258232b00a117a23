import { SieveError } from "../../kernel/problem.ts";
import type { DelimitedOptions } from "../options.ts";

export const LF = 10;
export const CR = 13;
/** The last byte that is a whole character by itself in every encoding that is read. */
const LAST_ASCII = 127;

/** The byte of a character, -1 for none. */
export const byteOf = (text: string): number => (text === "" ? -1 : text.charCodeAt(0));

/** Throws SieveError where cells can't be told apart by these options. */
export function refuseUnfit({ delimiter, quote, escape, row }: DelimitedOptions): void {
  const oneByte = (text: string): boolean => text.length === 1 && byteOf(text) <= LAST_ASCII;
  const ends = row === undefined ? "\r\n" : row;
  const faults: readonly [boolean, string][] = [
    [delimiter === "", "The delimiter is empty."],
    [quote !== "" && !oneByte(quote), "The quote must be one ASCII character, or none."],
    [escape !== "" && !oneByte(escape), "The escape must be one ASCII character, or none."],
    [
      ends.includes(delimiter.charAt(0)) || (quote !== "" && delimiter.startsWith(quote)),
      "The delimiter can't begin with what ends a record, or with the quote.",
    ],
    [
      row !== undefined && (!oneByte(row) || row === quote),
      "What ends a record must be one ASCII character, and not the quote.",
    ],
  ];
  const unfit = faults.find(([is]) => is);
  if (unfit) throw new SieveError("read-options", unfit[1], { hint: "Change the plan's read section." });
}

/** Whether bytes stand at `p`. */
export function startsWith(w: Uint8Array, p: number, what: Uint8Array): boolean {
  for (let i = 0; i < what.length; i++) if (w[p + i] !== what[i]) return false;
  return true;
}

/** The bytes that end records; `cr` is -1 where there is one mark alone. */
export interface Ends {
  readonly lf: number;
  readonly cr: number;
}

/** A line feed or a carriage return. */
export const isLineEnd = (byte: number): boolean => byte === LF || byte === CR;

/** How many line ends stand in [from, to). */
export function lineEndsIn(w: Uint8Array, from: number, to: number, { lf, cr }: Ends): number {
  let n = 0;
  for (let p = from; p < to; p++) if (w[p] === lf || (w[p] === cr && w[p + 1] !== lf)) n++;
  return n;
}

/** Where the last `n` lines begin, of at least one; a line end at the very end begins no line. */
export function lastLines(bytes: Uint8Array, n: number, ends: Ends): number {
  let p = beforeLineEnd(bytes, bytes.length, ends);
  for (let i = 0; i < n; i++) {
    if (i > 0) p = beforeLineEnd(bytes, p, ends);
    while (p > 0 && bytes[p - 1] !== ends.lf && bytes[p - 1] !== ends.cr) p--;
    if (p === 0) return 0;
  }
  return p;
}

/** Where the line end that stops at `p` begins; `p` where none does. */
function beforeLineEnd(bytes: Uint8Array, from: number, { lf, cr }: Ends): number {
  let p = from;
  // Behind a mark of its own line ends are part of it.
  if (cr < 0) while (p > 0 && isLineEnd(bytes[p - 1]!)) p--;
  if (p > 1 && bytes[p - 1] === lf && bytes[p - 2] === cr) return p - 2;
  return p > 0 && (bytes[p - 1] === lf || bytes[p - 1] === cr) ? p - 1 : p;
}
