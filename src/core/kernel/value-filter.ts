import { utf8 } from "./bytes.ts";
import { finishHash, hashSpan, startHash, type Hash } from "./hash.ts";

/** Bits for each different value: one in four hundred values that are not there seems to be. */
const BITS = 16;
const PROBES = 4;

/**
 * Which values are among some, without keeping them: a Bloom filter (Burton H. Bloom, 1970), whose places are drawn from two
 * hashes (Kirsch and Mitzenmacher, 2006). It never misses one that is there.
 */
export class ValueFilter {
  /** The two hashes of each different value, side by side; both are 0 where there is none. Open addressing. */
  private table = new Uint32Array(2 * 1024);
  private count = 0;
  private readonly hash: Hash = { a: 0, b: 0 };

  /** Takes a value, UTF-8 in a span. */
  add(bytes: Uint8Array, start: number, end: number): void {
    const { hash } = this;
    startHash(hash);
    hashSpan(bytes, start, end, hash);
    finishHash(hash);
    this.put(hash.a, hash.b);
    if (this.count * 4 > this.table.length) this.grow();
  }

  private put(a: number, b: number): void {
    const { table } = this;
    const mask = table.length - 1;
    let at = (a << 1) & mask;
    while (table[at] !== 0 || table[at + 1] !== 0) {
      if (table[at] === a && table[at + 1] === b) return;
      at = (at + 2) & mask;
    }
    table[at] = a;
    table[at + 1] = b;
    this.count++;
  }

  private grow(): void {
    const before = this.table;
    this.table = new Uint32Array(before.length * 4);
    this.count = 0;
    for (let i = 0; i < before.length; i += 2) {
      if (before[i] !== 0 || before[i + 1] !== 0) this.put(before[i]!, before[i + 1]!);
    }
  }

  /** The filter, a power of two of bits of which the first is the least of the first byte; null for no values. */
  bytes(): Uint8Array<ArrayBuffer> | null {
    const { table, count } = this;
    if (count === 0) return null;
    const bits = 2 ** Math.max(6, Math.ceil(Math.log2(count * BITS)));
    const bytes = new Uint8Array(bits / 8);
    for (let i = 0; i < table.length; i += 2) {
      const [a, b] = [table[i]!, table[i + 1]!];
      if (a === 0 && b === 0) continue;
      for (let k = 0; k < PROBES; k++) {
        const place = (a + k * b) % bits;
        bytes[place >>> 3]! |= 1 << (place & 7);
      }
    }
    return bytes;
  }
}

/** The numbers whose remainders by the bits of a filter are the places that a value sets. */
export function probesOf(value: string): number[] {
  const bytes = utf8(value);
  const hash: Hash = { a: 0, b: 0 };
  startHash(hash);
  hashSpan(bytes, 0, bytes.length, hash);
  finishHash(hash);
  return Array.from({ length: PROBES }, (_, k) => hash.a + k * hash.b);
}
