/** Longest span that is remembered: values that come again and again are short. */
const MOST_BYTES = 32;
/** Places, a power of two; a new value takes the place of the one that stood there. */
const PLACES = 1024;

/**
 * Remembers what was made of spans of bytes, so that a value which many records have is decoded and
 * worked on once. Of fixed size: two values of one place push each other out.
 */
export class ByteMemo<T> {
  private readonly bytes = new Uint8Array(PLACES * MOST_BYTES);
  /** Length of the span at each place plus one; 0 for none. */
  private readonly lengths = new Uint8Array(PLACES);
  private readonly values: T[] = [];

  /** The place of a span, or -1 for one that is too long. */
  place(bytes: Uint8Array, start: number, end: number): number {
    if (end - start > MOST_BYTES) return -1;
    let hash = end - start;
    for (let p = start; p < end; p++) hash = (Math.imul(hash, 31) + bytes[p]!) | 0;
    return (hash ^ (hash >>> 15)) & (PLACES - 1);
  }

  /** Whether the span is what stands at its place. */
  has(place: number, bytes: Uint8Array, start: number, end: number): boolean {
    if (this.lengths[place] !== end - start + 1) return false;
    for (let p = start, q = place * MOST_BYTES; p < end; p++, q++) if (bytes[p] !== this.bytes[q]) return false;
    return true;
  }

  get(place: number): T {
    return this.values[place]!;
  }

  put(place: number, bytes: Uint8Array, start: number, end: number, value: T): void {
    this.lengths[place] = end - start + 1;
    for (let p = start, q = place * MOST_BYTES; p < end; p++, q++) this.bytes[q] = bytes[p]!;
    this.values[place] = value;
  }
}
