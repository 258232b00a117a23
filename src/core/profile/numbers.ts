import type { CountedValue } from "./counted-values.ts";
import type { NumberFacts } from "./facts.ts";

/** Values that the quantiles rest on, where there are too many to keep all. */
const SAMPLE = 4096;
const POWERS = Float64Array.from({ length: 20 }, (_, i) => 10 ** i);
/** Values that are shown at either end. */
const EXTREMES = 5;

/** What a column's numbers in plain digits come to: their spread, their ends, their digits. */
export class NumberFold {
  /** Of those that are numbers: without a mark, with a point, with a comma. */
  integers = 0;
  decimals = 0;
  commas = 0;
  private count = 0;
  private mean = 0;
  private squares = 0;
  private smallest = Infinity;
  private largest = -Infinity;
  private whole = 0;
  private part = 0;
  private leadingZeros = 0;
  private pointThousands = 0;
  private commaThousands = 0;
  /** Most digits of a number without a mark. */
  private unmarked = 0;
  private readonly low: { n: number; first: number }[] = [];
  private readonly high: { n: number; first: number }[] = [];
  /** Numbers of values that were counted before they were measured. */
  private readonly weighed: { n: number; times: number }[] = [];
  private sample: number[] = [];
  private stride = 1;

  /**
   * Takes a cell that may be a number; false for what is no number in plain digits.
   * @param times records that have this value
   * @param all every different value is measured once, so that all of them are kept
   */
  add(bytes: Uint8Array, start: number, end: number, record: number, times: number, all: boolean): boolean {
    let s = start;
    let e = end;
    while (s < e && bytes[s]! <= 32) s++;
    while (e > s && bytes[e - 1]! <= 32) e--;
    const sign = bytes[s] === 45 || bytes[s] === 43 ? 1 : 0;
    const from = s + sign;
    let point = -1;
    let comma = -1;
    for (let p = from; p < e; p++) {
      const b = bytes[p]!;
      if (b === 46) {
        if (point >= 0 || comma >= 0) return false;
        point = p;
      } else if (b === 44) {
        if (comma >= 0 || point >= 0) return false;
        comma = p;
      } else if (b < 48 || b > 57) return false;
    }
    const mark = point >= 0 ? point : comma;
    const whole = (mark >= 0 ? mark : e) - from;
    const part = mark >= 0 ? e - mark - 1 : 0;
    if (whole === 0 && part === 0) return false;
    if (part === 3 && whole >= 1 && whole <= 3 && bytes[from] !== 48) {
      if (point >= 0) this.pointThousands += times;
      else this.commaThousands += times;
    }
    if (whole > 1 && bytes[from] === 48) this.leadingZeros += times;
    if (whole > this.whole) this.whole = whole;
    if (part > this.part) this.part = part;
    if (comma >= 0) this.commas += times;
    else if (point >= 0) this.decimals += times;
    else {
      this.integers += times;
      if (whole > this.unmarked) this.unmarked = whole;
    }
    let n = 0;
    for (let p = from; p < e; p++) if (p !== mark) n = n * 10 + bytes[p]! - 48;
    n /= part < POWERS.length ? POWERS[part]! : 10 ** part;
    if (sign === 1 && bytes[s] === 45) n = 0 - n;
    // Mean and spread in one pass (West, 1979).
    this.count += times;
    const delta = n - this.mean;
    this.mean += (delta * times) / this.count;
    this.squares += times * delta * (n - this.mean);
    if (n < this.smallest) this.smallest = n;
    if (n > this.largest) this.largest = n;
    keepExtreme(this.low, n, record, -1);
    keepExtreme(this.high, n, record, 1);
    if (all) {
      this.weighed.push({ n, times });
      return true;
    }
    // One record in so many: every one is as likely as any other, without randomness.
    if (mixed(record) % this.stride !== 0) return true;
    this.sample.push(n);
    if (this.sample.length < SAMPLE * 2) return true;
    this.sample = this.sample.filter((_, i) => i % 2 === 0);
    this.stride *= 2;
    return true;
  }

  finish(): NumberFacts | null {
    if (this.count === 0) return null;
    // A sampled record stands for as many as the stride passed over.
    const sorted = [...this.weighed, ...this.sample.map((n) => ({ n, times: this.stride }))].sort((a, b) => a.n - b.n);
    const weight = sorted.reduce((sum, s) => sum + s.times, 0);
    const at = (share: number): number => {
      let before = 0;
      for (const { n, times } of sorted) {
        before += times;
        if (before >= share * weight) return n;
      }
      return sorted.at(-1)!.n;
    };
    const quantiles = [0, 0.05, 0.25, 0.5, 0.75, 0.95, 1].map(at);
    quantiles[0] = this.smallest;
    quantiles[6] = this.largest;
    const [, , q1, , q3] = quantiles as [number, number, number, number, number];
    const far = 3 * (q3 - q1);
    const bands = new Array<number>(24).fill(0);
    const width = (this.largest - this.smallest) / bands.length || 1;
    for (const { n, times } of sorted) {
      bands[Math.min(bands.length - 1, Math.floor((n - this.smallest) / width))]! += times;
    }
    const shown = (list: { n: number; first: number }[]): CountedValue[] =>
      list.map(({ n, first }) => ({ value: String(n), count: 1, first }));
    return {
      count: this.count,
      least: this.smallest,
      most: this.largest,
      mean: this.mean,
      spread: this.count > 1 ? Math.sqrt(this.squares / (this.count - 1)) : 0,
      quantiles,
      sampled: this.stride === 1 ? this.count : this.sample.length,
      bands,
      outliers:
        far > 0 ? sorted.filter(({ n }) => n < q1 - far || n > q3 + far).reduce((sum, s) => sum + s.times, 0) : 0,
      ...(far > 0 ? { fences: [q1 - far, q3 + far] as const } : {}),
      extremes: { low: shown(this.low), high: shown(this.high) },
      whole: this.whole,
      part: this.part,
      leadingZeros: this.leadingZeros,
      unmarked: this.unmarked,
      pointThousands: this.pointThousands,
      commaThousands: this.commaThousands,
    };
  }
}

function keepExtreme(list: { n: number; first: number }[], n: number, first: number, sign: number): void {
  if (list.length === EXTREMES && (n - list[EXTREMES - 1]!.n) * sign <= 0) return;
  if (list.some((e) => e.n === n)) return;
  list.push({ n, first });
  list.sort((a, b) => (b.n - a.n) * sign);
  if (list.length > EXTREMES) list.pop();
}

function mixed(n: number): number {
  let h = Math.imul(n ^ 0x9e3779b9, 0x85ebca6b);
  h ^= h >>> 13;
  h = Math.imul(h, 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}
