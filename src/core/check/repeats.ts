/** Bytes that are kept for a while and read again: memory, or a temporary file of the worker's. */
export interface Spill {
  /** Appends and returns the offset. The bytes are copied. */
  append(bytes: Uint8Array): number;
  read(offset: number, length: number): Uint8Array;
}

export class MemorySpill implements Spill {
  private readonly parts: Uint8Array[] = [];
  append(bytes: Uint8Array): number {
    this.parts.push(bytes.slice());
    return this.parts.length - 1;
  }
  read(offset: number): Uint8Array {
    return this.parts[offset]!;
  }
}

/** A record that gives a value which an earlier record of the load has given. */
export interface Repeat {
  readonly record: number;
  /** The first record with the value, and where it stands. */
  readonly first: number;
  readonly file: number;
  readonly line: number;
}

const PARTITIONS = 64;
/** Words of 32 bits kept for each value: two of hash, record, line, file with the mark of a suspect. */
const WORDS = 5;
const SUSPECT = 1;
const BUFFERED = 512;

/**
 * Finds values that are given more than once, in memory that does not grow with the load.
 *
 * A Bloom filter (Burton H. Bloom, 1970; in blocks of a cache line, Putze, Sanders and Singler, 2007) says at once whether a value may have been given before;
 * only those records are set aside. All hashes go to partitions on a spill, each small enough to be
 * sorted out exactly at the end. Values are told apart by 64 bits of hash: among ten million
 * different values the chance that any two are taken for one is about 3 in a million.
 */
export class Repeats {
  private readonly bits: Uint32Array;
  private readonly mask: number;
  private readonly buffers: Uint32Array[] = [];
  private readonly fill = new Int32Array(PARTITIONS);
  private readonly suspects = new Int32Array(PARTITIONS);
  private readonly spilled: { offset: number; bytes: number }[][] = [];

  /**
   * @param expected how many values are expected at most; more only means more false suspicions
   */
  constructor(
    expected: number,
    private readonly spill: Spill,
  ) {
    // 24 bits a value: 1 suspicion in 10,000 is false. 2^27 bits (16 MB) for all that is not small.
    const log = expected > 50_000 ? 27 : Math.max(13, Math.ceil(Math.log2(Math.max(1, expected) * 24)));
    this.bits = new Uint32Array(2 ** (log - 5));
    this.mask = 2 ** log - 1;
    for (let i = 0; i < PARTITIONS; i++) {
      this.buffers.push(new Uint32Array(BUFFERED * WORDS));
      this.spilled.push([]);
    }
  }

  /** Takes the value of the next record; true when it may have been given before. */
  add(a: number, b: number, record: number, file: number, line: number): boolean {
    // All four bits of a value lie in one run of 16 words: one miss of the processor's cache, not four.
    const run = (((a & this.mask) >>> 5) << 4) & (this.bits.length - 1);
    let seen = true;
    for (let k = 0; k < 4; k++) {
      const pick = (b >>> (k * 8)) ^ (a >>> (24 - k * 5));
      const word = run + (pick & 15);
      const flag = 1 << ((Math.imul(pick, 0x9e37) + (b >>> (k * 7))) & 31);
      if ((this.bits[word]! & flag) === 0) {
        seen = false;
        this.bits[word]! |= flag;
      }
    }
    const part = b & (PARTITIONS - 1);
    const buffer = this.buffers[part]!;
    const at = this.fill[part]! * WORDS;
    buffer[at] = a;
    buffer[at + 1] = b;
    buffer[at + 2] = record;
    buffer[at + 3] = line;
    buffer[at + 4] = file * 2 + (seen ? SUSPECT : 0);
    if (seen) this.suspects[part]!++;
    if (++this.fill[part]! === BUFFERED) this.flush(part);
    return seen;
  }

  private flush(part: number): void {
    const words = this.fill[part]! * WORDS;
    if (words === 0) return;
    const bytes = new Uint8Array(this.buffers[part]!.buffer, 0, words * 4);
    this.spilled[part]!.push({ offset: this.spill.append(bytes), bytes: bytes.length });
    this.fill[part] = 0;
  }

  /**
   * Every record whose value an earlier one had, a partition at a time, in no stated order. Only the
   * values of suspects are gathered, then all records are held against them.
   */
  *resolve(): Generator<Repeat[]> {
    let table = new Int32Array(0);
    for (let part = 0; part < PARTITIONS; part++) {
      this.flush(part);
      if (this.suspects[part] === 0) continue;
      const words = this.partition(part);
      // Open addressing: each place has the row, plus one, of the first record with a value.
      const size = 2 ** Math.ceil(Math.log2(this.suspects[part]! * 2 + 1));
      if (table.length < size) table = new Int32Array(size);
      else table.fill(0, 0, size);
      const placeOf = (row: number): number => {
        let at = (words[row]! ^ (words[row + 1]! >>> 6)) & (size - 1);
        for (; table[at] !== 0; at = (at + 1) & (size - 1)) {
          const other = table[at]! - 1;
          if (words[other] === words[row] && words[other + 1] === words[row + 1]) break;
        }
        return at;
      };
      for (let row = 0; row < words.length; row += WORDS) {
        if ((words[row + 4]! & SUSPECT) !== 0) table[placeOf(row)] = row + 1;
      }
      const found: Repeat[] = [];
      for (let row = 0; row < words.length; row += WORDS) {
        const at = placeOf(row);
        if (table[at] === 0) continue;
        const first = table[at]! - 1;
        // The record that a value led to so far may be a later one than this.
        if (words[row + 2]! <= words[first + 2]!) table[at] = row + 1;
        else {
          found.push({
            record: words[row + 2]!,
            first: words[first + 2]!,
            line: words[first + 3]!,
            file: words[first + 4]! >>> 1,
          });
        }
      }
      if (found.length > 0) yield found;
    }
  }

  /** All values of a partition, in the order in which they came. */
  private partition(part: number): Uint32Array {
    const pieces = this.spilled[part]!;
    const bytes = new Uint8Array(pieces.reduce((n, p) => n + p.bytes, 0));
    let at = 0;
    for (const piece of pieces) {
      bytes.set(this.spill.read(piece.offset, piece.bytes), at);
      at += piece.bytes;
    }
    return new Uint32Array(bytes.buffer);
  }
}
