import { joined } from "../../kernel/lists.ts";
import { numbersFrom } from "../../kernel/random.ts";
import { MISSING } from "../model/density.ts";
import type { RecordPairs } from "./record-pairs.ts";

/**
 * Pairs that were drawn from all pairs of some records with those of one side, each with a weight: how
 * many of all pairs it stands for. Pairs of one record stand together.
 */
export interface Pool {
  /** How many records were drawn, and for how many they stand. */
  readonly records: number;
  readonly all: number;
  /** With how many others each may be paired. */
  readonly others: number;
  readonly count: number;
  /** The numbers of the drawn records. */
  readonly drawn: Int32Array;
  /** By pair: which of the drawn records it is of, and the number of the other record. */
  readonly owner: Int32Array;
  readonly other: Int32Array;
  readonly weight: Float32Array;
  /** By pair and field: the likeness as a byte, its level, and what is added for values that are rare or common. */
  readonly alike: Uint8Array;
  readonly levels: Uint8Array;
  readonly rarity: Float32Array;
  /** By pair: 1 for a candidate, which is there whenever its record was drawn. */
  readonly candidate: Uint8Array;
}

/** Of a record: pairs with any other, and by field pairs with others that have the same value. */
const ANY = 8;
const EQUAL_VALUE = 2;

/** Pairs that are put in one after the other. */
class PoolList {
  private count = 0;
  private readonly owner: Int32Array;
  private readonly other: Int32Array;
  private readonly weight: Float32Array;
  private readonly candidate: Uint8Array;
  private readonly alike: Uint8Array;
  private readonly levels: Uint8Array;
  private readonly rarity: Float32Array;
  private readonly width: number;

  /** @param room how many there are at most */
  constructor(
    private readonly pairs: RecordPairs,
    room: number,
  ) {
    this.width = pairs.values.length;
    this.owner = new Int32Array(room);
    this.other = new Int32Array(room);
    this.weight = new Float32Array(room);
    this.candidate = new Uint8Array(room);
    this.alike = new Uint8Array(room * this.width);
    this.levels = new Uint8Array(room * this.width);
    this.rarity = new Float32Array(room * this.width);
  }

  /** Compares two records and puts their pair in; `i`: which of the drawn records the one is. */
  put(i: number, a: number, b: number, weight: number, isCandidate: number): void {
    const { pairs, width } = this;
    const p = this.count++;
    this.owner[p] = i;
    this.other[p] = b;
    this.weight[p] = weight;
    this.candidate[p] = isCandidate;
    pairs.compare(a, b);
    for (let f = 0; f < width; f++) {
      this.alike[p * width + f] = pairs.alike[f]!;
      const level = (this.levels[p * width + f] = pairs.level[f]!);
      this.rarity[p * width + f] = level === MISSING ? 0 : pairs.rarity(f, level, a, b);
    }
  }

  pool(of: Pick<Pool, "records" | "all" | "others" | "drawn">): Pool {
    const { count, width } = this;
    return {
      ...of,
      count,
      owner: this.owner.slice(0, count),
      other: this.other.slice(0, count),
      weight: this.weight.slice(0, count),
      candidate: this.candidate.slice(0, count),
      alike: this.alike.slice(0, count * width),
      levels: this.levels.slice(0, count * width),
      rarity: this.rarity.slice(0, count * width),
    };
  }
}

/** The first record of the one side with the first of the other, the second with the second, and so on. */
export function pairsInOrder(pairs: RecordPairs): Pool {
  const { from, to } = pairs.left;
  const list = new PoolList(pairs, to - from);
  for (let r = from; r < to; r++) list.put(r - from, r, r, 1, 1);
  const drawn = Int32Array.from({ length: to - from }, (_, i) => from + i);
  return list.pool({ records: to - from, all: to - from, others: 1, drawn });
}

/** Finds the candidates of a record of the left side among those of the right one; `found` has them. */
export interface Finder {
  find(a: number): number;
  readonly found: Int32Array;
}

/** Which of so many shares of the drawn records: what several threads draw is what one draws. */
export interface Share {
  readonly part: number;
  readonly of: number;
}

const WHOLE: Share = { part: 0, of: 1 };

/** The pairs of all shares, in their order. */
export function joinPools(pools: readonly Pool[]): Pool {
  if (pools.length === 1) return pools[0]!;
  const { records, all, others, drawn } = pools[0]!;
  const ints = (of: (p: Pool) => Int32Array): Int32Array => joined(pools.map(of), (n) => new Int32Array(n));
  const floats = (of: (p: Pool) => Float32Array): Float32Array => joined(pools.map(of), (n) => new Float32Array(n));
  const bytes = (of: (p: Pool) => Uint8Array): Uint8Array => joined(pools.map(of), (n) => new Uint8Array(n));
  return {
    records,
    all,
    others,
    drawn,
    count: pools.reduce((n, p) => n + p.count, 0),
    owner: ints((p) => p.owner),
    other: ints((p) => p.other),
    weight: floats((p) => p.weight),
    alike: bytes((p) => p.alike),
    levels: bytes((p) => p.levels),
    rarity: floats((p) => p.rarity),
    candidate: bytes((p) => p.candidate),
  };
}

/**
 * Draws pairs for estimating what pairs are like: of some records all candidates, pairs taken at random,
 * and pairs of equal values, which random ones hardly ever are. A pair's weight is one over how often
 * all ways together would draw it (the balance heuristic, Veach and Guibas 1995), so that sums over the
 * pool estimate sums over all pairs. `alone`: no other pairs than candidates are wanted; `share`: of which
 * of the drawn records.
 */
export function drawPairs(
  pairs: RecordPairs,
  finder: Finder,
  most: number,
  candidates: number,
  {
    seed = 3,
    alone = false,
    share = WHOLE,
  }: { readonly seed?: number; readonly alone?: boolean; readonly share?: Share } = {},
): Pool {
  const { left, right, within } = pairs;
  const width = pairs.values.length;
  const all = left.to - left.from;
  const others = right.to - right.from - (within ? 1 : 0);
  const step = Math.max(1, all / most);
  const placeIn = numbersFrom(seed);
  // Taken at different places of each stretch, so that no pattern in the order is met.
  const drawn =
    others <= 0
      ? []
      : Array.from(
          { length: Math.floor(all / step) },
          (_, i) => left.from + Math.min(all - 1, Math.floor(i * step) + placeIn(Math.max(1, Math.floor(step)))),
        );
  const from = Math.floor((drawn.length * share.part) / share.of);
  const past = Math.floor((drawn.length * (share.part + 1)) / share.of);
  const room = (past - from) * (candidates + (alone ? 0 : ANY + EQUAL_VALUE * width));
  const list = new PoolList(pairs, room);
  const values = alone ? [] : pairs.byValue();
  const leftColumns = pairs.values.map((_, f) => left.table.column(f));
  const rightColumns = pairs.values.map((_, f) => right.table.column(f));
  const put = list.put.bind(list);
  for (let i = from; i < past; i++) {
    const a = drawn[i]!;
    const found = finder.find(a);
    const taken = new Set<number>();
    for (let k = 0; k < found; k++) {
      const b = finder.found[k]!;
      if (within && a === b) continue;
      taken.add(b);
      put(i, a, b, 1, 1);
    }
    if (alone) continue;
    // Of its own for each record, so that they can be shared out.
    const below = numbersFrom(Math.imul(i + 1, 0x9e3779b1) ^ Math.imul(seed, 0x85ebca77));
    const draw = (b: number): void => {
      if (taken.has(b) || (within && a === b)) return;
      let times = ANY / others;
      for (let f = 0; f < width; f++) {
        const v = leftColumns[f]![a]!;
        if (v === 0 || v !== rightColumns[f]![b]!) continue;
        const { starts } = values[f]!;
        times += EQUAL_VALUE / (starts[v + 1]! - starts[v]!);
      }
      put(i, a, b, 1 / times, 0);
    };
    for (let k = 0; k < ANY; k++) draw(right.from + below(right.to - right.from));
    for (let f = 0; f < width; f++) {
      const v = leftColumns[f]![a]!;
      if (v === 0) continue;
      const { starts, list } = values[f]!;
      const [start, end] = [starts[v]!, starts[v + 1]!];
      if (end > start) for (let k = 0; k < EQUAL_VALUE; k++) draw(list[start + below(end - start)]!);
    }
  }
  return list.pool({ records: drawn.length, all, others: Math.max(0, others), drawn: Int32Array.from(drawn) });
}
