/**
 * Cells are kept as spans of bytes, not as strings: most cells of a load are only looked at and
 * copied on, and making twelve million strings costs more than all the checks together.
 */

/** Growable UTF-8 bytes. The block's own bytes come first; rewritten cells are appended. */
export class Heap {
  bytes: Uint8Array;
  length: number;

  constructor(bytes: Uint8Array, length = bytes.length) {
    this.bytes = bytes;
    this.length = length;
  }

  /** Makes room for `n` more bytes and gives the offset where they begin. Replaces `bytes` when it grows. */
  reserve(n: number): number {
    const need = this.length + n;
    if (need > this.bytes.length) {
      const grown = new Uint8Array(Math.max(need, Math.ceil(this.bytes.length * 1.5) + 1024));
      grown.set(this.bytes.subarray(0, this.length));
      this.bytes = grown;
    }
    return this.length;
  }

  /** Appends text; the span is from the returned offset to `length`. */
  append(text: string): number {
    const at = this.reserve(text.length * 3);
    const { bytes } = this;
    if (text.length > SHORT) {
      this.length = at + writeUtf8(text, bytes, at);
      return at;
    }
    let p = at;
    for (let i = 0; i < text.length; i++) {
      const c = text.charCodeAt(i);
      if (c > 127) {
        p += encoder.encodeInto(text.slice(i), bytes.subarray(p)).written;
        break;
      }
      bytes[p++] = c;
    }
    this.length = p;
    return at;
  }

  /**
   * Appends texts, those at `from` to before `to` of a list, one right after the other, and puts where
   * they begin and end into every `step`-th place from `at` of `start` and `end`. Half the time of one
   * by one, as they are written in one go. None may have half a surrogate pair.
   */
  appendTexts(
    texts: ArrayLike<string>,
    from: number,
    to: number,
    start: Int32Array,
    end: Int32Array,
    at: number,
    step: number,
  ): void {
    let all = "";
    for (let i = from; i < to; i++) all += texts[i]!;
    let p = this.reserve(all.length * 3);
    const { bytes } = this;
    const written = writeUtf8(all, bytes, p);
    const ascii = written === all.length;
    for (let i = from, cell = at; i < to; i++, cell += step) {
      const { length } = texts[i]!;
      start[cell] = p;
      p = ascii ? p + length : afterUnits(bytes, p, length);
      end[cell] = p;
    }
    this.length += written;
  }

  /** Appends a number as `String` writes it, most of them without making a text of it; the span as of `append`. */
  appendNumber(n: number): number {
    let whole = Math.abs(n);
    let part = 0;
    if (!Number.isInteger(n)) {
      // A double of at most 15 digits is written with just those: no other decimal so short is the same double.
      const scaled = Math.round(whole * SCALE);
      if (!(scaled < 1e15) || scaled / SCALE !== whole) return this.append(String(n));
      whole = Math.floor(scaled / SCALE);
      part = scaled - whole * SCALE;
    } else if (whole >= 1e15) return this.append(String(n));
    const at = this.reserve(24);
    const { bytes } = this;
    let p = at;
    if (n < 0) bytes[p++] = 45;
    p = writeDigits(bytes, p, whole);
    if (part > 0) {
      bytes[p++] = 46;
      // Below a millionth there are no digits, and those that end in noughts are not written.
      for (let place = SCALE / 10; part > 0; place /= 10) {
        const digit = Math.floor(part / place);
        bytes[p++] = 48 + digit;
        part -= digit * place;
      }
    }
    this.length = p;
    return at;
  }

  /** Appends a span of other bytes. */
  appendSpan(from: Uint8Array, start: number, end: number): void {
    let at = this.reserve(end - start);
    const { bytes } = this;
    for (let p = start; p < end; p++) bytes[at++] = from[p]!;
    this.length = at;
  }

  /** Appends bytes; true when all of them are ASCII. */
  appendBytes(more: Uint8Array): boolean {
    const at = this.reserve(more.length);
    const { bytes } = this;
    let all = 0;
    if (more.length > SHORT * 4) {
      bytes.set(more, at);
      for (let i = 0; i < more.length; i++) all |= more[i]!;
    } else {
      for (let i = 0; i < more.length; i++) {
        const b = more[i]!;
        bytes[at + i] = b;
        all |= b;
      }
    }
    this.length = at + more.length;
    return all < 128;
  }
}

/** Six digits after the point are written without a text. */
const SCALE = 1e6;

/** Writes a whole number below 10^15, not negative; gives where it ends. */
function writeDigits(bytes: Uint8Array, at: number, n: number): number {
  let length = 1;
  for (let most = 10; n >= most; most *= 10) length++;
  for (let p = at + length - 1; p >= at; p--) {
    const rest = Math.floor(n / 10);
    bytes[p] = 48 + n - rest * 10;
    n = rest;
  }
  return at + length;
}

/** One column of a block: where each record's cell begins and ends in the heap. Equal: empty. */
export interface Cells {
  readonly start: Int32Array;
  readonly end: Int32Array;
}

export function emptyCells(count: number): Cells {
  return { start: new Int32Array(count), end: new Int32Array(count) };
}

const encoder = new TextEncoder();
const decoder = new TextDecoder("utf-8", { ignoreBOM: true });

type Slice = (this: Uint8Array, start: number, end: number) => string;
interface NodeSlices {
  Buffer?: { prototype: { utf8Slice?: Slice; utf8Write?: Write }; byteLength?: (text: string) => number };
}
type Write = (this: Uint8Array, text: string, at: number, most: number) => number;
/** Node's own decoder is ten times faster on short spans than TextDecoder; browsers do without. */
const nodeSlice = (globalThis as NodeSlices).Buffer?.prototype.utf8Slice;

const nodeWrite = (globalThis as NodeSlices).Buffer?.prototype.utf8Write;
/** Texts up to this length are written faster letter by letter. */
const SHORT = 24;

function writeUtf8(text: string, bytes: Uint8Array, at: number): number {
  if (nodeWrite) return nodeWrite.call(bytes, text, at, bytes.length - at);
  return encoder.encodeInto(text, bytes.subarray(at)).written;
}

/** Where so many UTF-16 units of UTF-8 text end that begins at `p`. */
function afterUnits(bytes: Uint8Array, p: number, units: number): number {
  for (let left = units; left > 0; left--) {
    const lead = bytes[p]!;
    if (lead < 0x80) p++;
    else if (lead < 0xe0) p += 2;
    else if (lead < 0xf0) p += 3;
    else {
      p += 4;
      left--;
    }
  }
  return p;
}

/** How many bytes a text has in UTF-8. */
export function utf8Length(text: string): number {
  return (globalThis as NodeSlices).Buffer?.byteLength?.(text) ?? encoder.encode(text).length;
}

/** The text of a span of UTF-8 bytes; bytes that are not UTF-8 become U+FFFD. */
export function textOf(bytes: Uint8Array, start: number, end: number): string {
  if (start === end) return "";
  if (nodeSlice) return nodeSlice.call(bytes, start, end);
  return decoder.decode(bytes.subarray(start, end));
}

export function cellText(heap: Heap, cells: Cells, record: number): string {
  return textOf(heap.bytes, cells.start[record]!, cells.end[record]!);
}

export function utf8(text: string): Uint8Array {
  return encoder.encode(text);
}

/** The parts one after the other, in memory of their own. */
export function concat(parts: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const all = new Uint8Array(parts.reduce((n, part) => n + part.length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}

/** True when the span holds only bytes under 128. */
export function isAscii(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) if (bytes[p]! > 127) return false;
  return true;
}

/**
 * True when the span is well-formed UTF-8: no overlong forms, no surrogates, nothing past U+10FFFF
 * (The Unicode Standard, table 3-7).
 */
export function isUtf8(bytes: Uint8Array, start: number, end: number): boolean {
  let p = start;
  while (p < end) {
    const a = bytes[p++]!;
    if (a < 0x80) continue;
    let more: number;
    let least = 0x80;
    let most = 0xbf;
    if (a >= 0xc2 && a <= 0xdf) more = 1;
    else if (a >= 0xe0 && a <= 0xef) {
      more = 2;
      if (a === 0xe0) least = 0xa0;
      if (a === 0xed) most = 0x9f;
    } else if (a >= 0xf0 && a <= 0xf4) {
      more = 3;
      if (a === 0xf0) least = 0x90;
      if (a === 0xf4) most = 0x8f;
    } else return false;
    if (p + more > end) return false;
    const b = bytes[p++]!;
    if (b < least || b > most) return false;
    for (let i = 1; i < more; i++) if ((bytes[p++]! & 0xc0) !== 0x80) return false;
  }
  return true;
}

/** Number of characters (code points) in a span of UTF-8. */
export function characters(bytes: Uint8Array, start: number, end: number): number {
  let n = 0;
  for (let p = start; p < end; p++) if ((bytes[p]! & 0xc0) !== 0x80) n++;
  return n;
}

/** Compares two spans byte by byte, which for UTF-8 is the order of code points. */
export function compareBytes(bytes: Uint8Array, start: number, end: number, other: Uint8Array): number {
  const n = Math.min(end - start, other.length);
  for (let i = 0; i < n; i++) {
    const d = bytes[start + i]! - other[i]!;
    if (d !== 0) return d;
  }
  return end - start - other.length;
}

/** True when the span holds exactly the other bytes. */
export function sameBytes(bytes: Uint8Array, start: number, end: number, other: Uint8Array): boolean {
  if (end - start !== other.length) return false;
  for (let i = 0; i < other.length; i++) if (bytes[start + i] !== other[i]) return false;
  return true;
}

/** Where `needle` stands in the span, or -1. */
export function indexOfBytes(bytes: Uint8Array, start: number, end: number, needle: Uint8Array): number {
  const first = needle[0]!;
  const last = end - needle.length;
  scan: for (let p = start; p <= last; p++) {
    if (bytes[p] !== first) continue;
    for (let i = 1; i < needle.length; i++) if (bytes[p + i] !== needle[i]) continue scan;
    return p;
  }
  return -1;
}
