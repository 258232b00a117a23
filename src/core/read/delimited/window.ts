import { RAW_KEPT } from "../../kernel/block.ts";
import { unitsIn } from "../encoding/decode.ts";
import { LF, isLineEnd, type Ends } from "./marks.ts";

/**
 * The bytes of a file that are at hand, as UTF-8 or in an encoding of one byte a character: what is not yet in a block
 * stands at [pos, have), and `bytes[have]` always ends a record, so that a scan needs no other stop. Knows where in the
 * file, in its own bytes, a position is.
 */
export class Window {
  bytes = new Uint8Array(0);
  pos = 0;
  have = 0;
  /** Offset in the file of `bytes[0]` (not for UTF-16). */
  private base: number;
  /** UTF-16 only: `bytes[markAt]` stands at code unit `markUnits` of the file. */
  private markAt = 0;
  private markUnits: number;

  /** `units`: the file is UTF-16, and its bytes come decoded. `from`: the offset at which reading begins. */
  constructor(
    private readonly ends: Ends,
    private readonly units: boolean,
    from: number,
  ) {
    this.base = from;
    this.markUnits = from / 2;
  }

  /** Takes further bytes behind those that are there; the first `kept` stay, whatever became of those behind them. */
  take(bytes: Uint8Array, last: boolean, kept: number): void {
    const carry = this.have - this.pos;
    if (this.units) {
      if (kept === 0) this.offsetOf(this.pos);
      this.markAt -= this.pos - kept;
    }
    this.base += this.pos - kept;
    const need = kept + carry + bytes.length + 1;
    if (need > this.bytes.length) {
      const grown = new Uint8Array(Math.ceil(need * 1.5));
      grown.set(this.bytes.subarray(0, kept));
      grown.set(this.bytes.subarray(this.pos, this.have), kept);
      this.bytes = grown;
    } else {
      this.bytes.copyWithin(kept, this.pos, this.have);
    }
    this.bytes.set(bytes, kept + carry);
    this.pos = kept;
    this.have = kept + carry + bytes.length;
    // Line ends behind the last mark are none of the record's.
    if (last && this.ends.cr < 0) while (this.have > this.pos && isLineEnd(this.bytes[this.have - 1]!)) this.have--;
    this.bytes[this.have] = this.ends.lf;
  }

  /** Offset in the file of a position. For UTF-16, positions must not go back. */
  offsetOf(p: number): number {
    if (!this.units) return this.base + p;
    this.markUnits += unitsIn(this.bytes, this.markAt, p);
    this.markAt = p;
    return this.markUnits * 2;
  }

  /** Passes over a byte order mark; false where it can't be told yet whether one is there. */
  skipByteOrderMark(last: boolean): boolean {
    if (this.have - this.pos < 3 && !last) return false;
    const w = this.bytes;
    if (w[this.pos] === 0xef && w[this.pos + 1] === 0xbb && w[this.pos + 2] === 0xbf) this.pos += 3;
    return true;
  }

  /** Where the next line end stands, or the end of what is there. */
  nextLineEnd(from: number): number {
    const { bytes, have, ends } = this;
    let p = from;
    while (bytes[p] !== ends.lf && bytes[p] !== ends.cr) p++;
    return Math.min(p, have);
  }

  /** Where the line after the line end at `p` begins, or -1 when that can't be told yet. */
  afterLineEnd(p: number, last: boolean): number {
    const { bytes, have } = this;
    if (this.ends.cr < 0) {
      // Line ends behind a mark are part of it.
      let next = p + 1;
      while (next < have && isLineEnd(bytes[next]!)) next++;
      return next >= have && !last ? -1 : next;
    }
    if (bytes[p] === LF) return p + 1;
    if (p + 1 >= have) return last ? have : -1;
    return bytes[p + 1] === LF ? p + 2 : p + 1;
  }

  /** Where the line after the one at `p` begins, the end of the file where it is the last; -1 when that can't be told yet. */
  afterLine(p: number, last: boolean): number {
    const at = this.nextLineEnd(p);
    if (at < this.have) return this.afterLineEnd(at, last);
    return last ? this.have : -1;
  }

  /** Keeps of all that is there only the first bytes of the record at `pos`, and stands behind them. */
  keepBeginning(): void {
    const { pos, have } = this;
    this.offsetOf(have);
    this.bytes.copyWithin(0, pos, pos + RAW_KEPT);
    this.base += have - RAW_KEPT;
    this.markAt -= have - RAW_KEPT;
    this.pos = RAW_KEPT;
    this.have = RAW_KEPT;
    this.bytes[this.have] = this.ends.lf;
  }

  /** Lets go of all that is not yet in a block. */
  passOver(): void {
    this.offsetOf(this.have);
    this.base += this.have - this.pos;
    this.markAt -= this.have - this.pos;
    this.have = this.pos;
    this.bytes[this.have] = this.ends.lf;
  }
}
