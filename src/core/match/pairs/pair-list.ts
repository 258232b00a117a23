import { grown, joined } from "../../kernel/lists.ts";

/** Pairs that may be one, each with its evidence. `a` is a record of the incoming table, `b` of the known one. */
export interface Pairs {
  readonly count: number;
  readonly a: Int32Array;
  readonly b: Int32Array;
  readonly bits: Float32Array;
  /** Per pair and field: bits of evidence for (more than 0) and against. */
  readonly shares: Float32Array;
}

/** Pairs of several searches, one after the other; `width`: how many fields are compared. */
export function concatPairs(parts: readonly Pairs[], width: number): Pairs {
  const floats = (n: number): Float32Array => new Float32Array(n);
  const records = (of: (p: Pairs) => Int32Array): Int32Array =>
    joined(
      parts.map((p) => of(p).subarray(0, p.count)),
      (n) => new Int32Array(n),
    );
  return {
    count: parts.reduce((n, p) => n + p.count, 0),
    a: records((p) => p.a),
    b: records((p) => p.b),
    bits: joined(
      parts.map((p) => p.bits.subarray(0, p.count)),
      floats,
    ),
    shares: joined(
      parts.map((p) => p.shares.subarray(0, p.count * width)),
      floats,
    ),
  };
}

export class PairList {
  count = 0;
  a = new Int32Array(1024);
  b = new Int32Array(1024);
  bits = new Float32Array(1024);
  shares: Float32Array;

  constructor(private readonly fields: number) {
    this.shares = new Float32Array(1024 * fields);
  }

  add(a: number, b: number, bits: number, shares: Float32Array): void {
    if (this.count === this.a.length) this.grow();
    const i = this.count++;
    this.a[i] = a;
    this.b[i] = b;
    this.bits[i] = bits;
    this.shares.set(shares, i * this.fields);
  }

  private grow(): void {
    const twice = <T extends Int32Array | Float32Array>(list: T): T => grown(list, list.length * 2);
    this.a = twice(this.a);
    this.b = twice(this.b);
    this.bits = twice(this.bits);
    this.shares = twice(this.shares);
  }
}
