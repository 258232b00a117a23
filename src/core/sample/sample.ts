import { newCellShape, scanShape } from "../profile/shape.ts";
import { arrivedCells } from "../course/of-record.ts";
import type { Sifted } from "../course/sifted.ts";
import { VERDICT } from "../kernel/verdict.ts";

/** Why a record is in a sample. */
export const SAMPLED = ["first", "problem", "rare shape", "random"] as const;
export type Sampled = (typeof SAMPLED)[number];

/** Records of a delivery, chosen to be telling, as they came. */
export interface Sample {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly string[])[];
  /** Where each stands: its file and line. */
  readonly files: readonly string[];
  readonly lines: readonly number[];
  readonly why: readonly Sampled[];
  /** Records that it was chosen from, and whether those are all of the delivery. */
  readonly of: number;
  readonly whole: boolean;
}

/** Shares of a sample for the first records, those with problems and those of rare shapes; the rest is random. */
const SHARE: Record<Exclude<Sampled, "random">, number> = { first: 0.1, problem: 0.35, "rare shape": 0.2 };
/** Different shapes of a field that are told apart. */
const MOST_SHAPES = 256;
/** A shape that comes more often than this is not rare. */
const RARE = 3;

interface Kept {
  readonly record: number;
  readonly file: string;
  readonly line: number;
  readonly cells: readonly string[];
  /** Columns of its file, shared by all its records. */
  readonly columns: readonly string[];
}

/**
 * Chooses records while a delivery goes by: the first ones; some of each check that holds them or is
 * told of them, and of those that are left out or change their outcome; those with a shape of value
 * that hardly another record has; and others at random (reservoir sampling, Jeffrey S. Vitter, 1985).
 * The same delivery gives the same sample.
 */
export class SampleChoice {
  private readonly first: Kept[] = [];
  /** By check, and by outcome: a reservoir of records. */
  private readonly byProblem = new Map<string, { seen: number; kept: Kept[] }>();
  /** By field: shapes with how often they came and who had them first. */
  private readonly shapes: Map<number, { count: number; kept: Kept }>[] = [];
  private readonly random: Kept[] = [];
  private seen = 0;
  private state = 1;
  private readonly shape = newCellShape();

  /**
   * @param size how many records at most
   * @param following only the first ones, so that each stands after the one before it in its file
   */
  constructor(
    private readonly size: number,
    private readonly following = false,
  ) {}

  /** Takes a block that was read, cleansed and checked; `columns` and `file` are those of the file that it is of. */
  add(sifted: Sifted, columns: readonly string[], file: string): void {
    const { block, verdict, problemRecord, problemCheck } = sifted;
    const kept: (Kept | undefined)[] = [];
    const keep = (r: number): Kept =>
      (kept[r] ??= {
        record: sifted.first + r,
        file,
        line: block.origin.line[r]!,
        cells: arrivedCells(block, r),
        columns,
      });
    for (let i = 0; i < problemRecord.length; i++) {
      if (verdict[problemRecord[i]!] !== VERDICT.unreadable)
        this.addProblem(`${problemCheck[i]}`, () => keep(problemRecord[i]!));
    }
    for (let r = 0; r < block.count; r++) {
      if (verdict[r] === VERDICT.unreadable) continue;
      if (verdict[r] === VERDICT.leftOut) this.addProblem("left out", () => keep(r));
      if (verdict[r] === VERDICT.suspect) this.addProblem("suspect", () => keep(r));
      if (this.first.length < this.size * (this.following ? 1 : SHARE.first)) this.first.push(keep(r));
      const at = this.random.length < this.size ? this.random.length : this.below(this.seen + 1);
      if (at < this.size) this.random[at] = keep(r);
      this.seen++;
    }
    for (let f = 0; f < block.width; f++) this.addShapes(sifted, f, keep);
  }

  private addProblem(what: string, kept: () => Kept): void {
    let reservoir = this.byProblem.get(what);
    if (!reservoir) this.byProblem.set(what, (reservoir = { seen: 0, kept: [] }));
    const most = Math.max(8, Math.ceil(this.size * SHARE.problem * 0.25));
    const at = reservoir.kept.length < most ? reservoir.kept.length : this.below(reservoir.seen + 1);
    if (at < most) reservoir.kept[at] = kept();
    reservoir.seen++;
  }

  private addShapes({ block, verdict }: Sifted, column: number, keep: (r: number) => Kept): void {
    const shapes = (this.shapes[column] ??= new Map());
    const { start, end, width, heap } = block;
    for (let r = 0, i = column; r < block.count; r++, i += width) {
      if (verdict[r] === VERDICT.unreadable) continue;
      scanShape(heap.bytes, start[i]!, end[i]!, this.shape);
      const known = shapes.get(this.shape.hash);
      if (known) known.count++;
      else if (shapes.size < MOST_SHAPES) shapes.set(this.shape.hash, { count: 1, kept: keep(r) });
    }
  }

  /** A whole number from 0 to below `n` (xorshift, George Marsaglia, 2003). */
  private below(n: number): number {
    this.state ^= this.state << 13;
    this.state ^= this.state >>> 17;
    this.state ^= this.state << 5;
    return (this.state >>> 0) % n;
  }

  /** `whole`: nothing of the delivery was left unread. */
  finish(whole: boolean): Sample {
    const chosen = new Map<number, { kept: Kept; why: Sampled }>();
    const take = (list: readonly Kept[], why: Sampled, most: number): void => {
      let n = 0;
      for (const kept of list) {
        if (n >= most || chosen.size >= this.size) return;
        if (chosen.has(kept.record)) continue;
        chosen.set(kept.record, { kept, why });
        n++;
      }
    };
    take(this.first, "first", this.size);
    // Of each problem in turn, so that a common one leaves room for the others.
    const turns: Kept[] = [];
    const reservoirs = [...this.byProblem.values()].map((p) => p.kept);
    for (let i = 0; reservoirs.some((list) => i < list.length); i++) {
      for (const list of reservoirs) if (i < list.length) turns.push(list[i]!);
    }
    take(turns, "problem", this.size * SHARE.problem);
    const rare = this.shapes.flatMap((shapes) => [...shapes.values()].filter((s) => s.count <= RARE));
    take(
      rare.sort((a, b) => a.count - b.count || a.kept.record - b.kept.record).map((s) => s.kept),
      "rare shape",
      this.size * SHARE["rare shape"],
    );
    take(this.random, "random", this.size);
    const list = [...chosen.values()].sort((a, b) => a.kept.record - b.kept.record);
    const columns = [...new Set(list.flatMap(({ kept }) => kept.columns))];
    const place = new Map<readonly string[], number[]>();
    return {
      columns,
      rows: list.map(({ kept }) => {
        let at = place.get(kept.columns);
        if (!at) place.set(kept.columns, (at = columns.map((c) => kept.columns.indexOf(c))));
        return at.map((i) => kept.cells[i] ?? "");
      }),
      files: list.map(({ kept }) => kept.file),
      lines: list.map(({ kept }) => kept.line),
      why: list.map(({ why }) => why),
      of: this.seen,
      whole,
    };
  }
}
