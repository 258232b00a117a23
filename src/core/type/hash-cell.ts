import { hashByte, hashSpan, type Hash } from "../kernel/hash.ts";
import { newNumberSpan, scanNumber } from "./number.ts";
import type { TypeId } from "./index.ts";

const span = newNumberSpan();
/** Types whose values are numbers that can be written in several ways. */
const NUMBERS: ReadonlySet<TypeId> = new Set(["integer", "decimal"]);

/** Adds a canonical cell to a hash. Equal values have equal hashes: 1.50 and +01.5 too. */
export function hashCell(hash: Hash, type: TypeId, bytes: Uint8Array, start: number, end: number): void {
  if (NUMBERS.has(type) && scanNumber(bytes, start, end, span)) {
    const zero = span.wholeStart === span.wholeEnd && span.partStart === span.partEnd;
    if (span.negative && !zero) hashByte(45, hash);
    hashSpan(bytes, span.wholeStart, span.wholeEnd, hash);
    hashByte(46, hash);
    hashSpan(bytes, span.partStart, span.partEnd, hash);
  } else {
    hashSpan(bytes, start, end, hash);
  }
  hashByte(255, hash);
}
