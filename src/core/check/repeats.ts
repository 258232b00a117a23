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
/** Words of 32 bits kept for each value: two of hash, record, line, file. */
const WORDS = 5;
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
    buffer[at + 4] = file;
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

  /** Every record whose value an earlier one had, a partition at a time, in no stated order. */
  *resolve(): Generator<Repeat[]> {
    for (let part = 0; part < PARTITIONS; part++) {
      this.flush(part);
      const firsts = new Map<number, number[]>();
      const found: Repeat[] = [];
      for (const piece of this.spilled[part]!) {
        const bytes = this.spill.read(piece.offset, piece.bytes);
        const words = new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);
        for (let i = 0; i < words.length; i += WORDS) {
          // 53 of the 64 bits make the map's key; the list beneath tells the rest apart.
          const key = (words[i]! & 0x1fffff) * 2 ** 32 + words[i + 1]!;
          const known = firsts.get(key);
          if (!known) {
            firsts.set(key, [words[i]!, words[i + 2]!, words[i + 3]!, words[i + 4]!]);
            continue;
          }
          let at = 0;
          while (at < known.length && known[at] !== words[i]) at += 4;
          if (at === known.length) known.push(words[i]!, words[i + 2]!, words[i + 3]!, words[i + 4]!);
          else found.push({ record: words[i + 2]!, first: known[at + 1]!, line: known[at + 2]!, file: known[at + 3]! });
        }
      }
      if (found.length > 0) yield found;
    }
  }
}
