import { aheadOf, findAhead, putAhead, takeAhead, type FoundAhead } from "./pairs/ahead.ts";
import { CandidateIndex } from "./pairs/candidates.ts";
import type { IndexRows } from "./pairs/index-rows.ts";
import type { Wanted } from "./model/best-limit.ts";
import { choose, type Choice } from "./model/choose.ts";
import { drawPairs, pairsInOrder, type Finder, type Pool, type Share } from "./pairs/draw.ts";
import { fitsOf, type FitTask, type Labelled } from "./model/estimate.ts";
import type { Fit, Source } from "./model/kinds.ts";
import { fieldFacts } from "./model/fields.ts";
import { otherNumbersIn } from "./model/other-numbers.ts";
import { Likeness, levelsOf } from "./pairs/likeness.ts";
import { summaryOf, type MatchModel, type PairModel } from "./model/model.ts";
import { PairList, type Pairs } from "./pairs/pair-list.ts";
import { RecordPairs, frequenciesOf, type Frequencies, type Stretch } from "./pairs/record-pairs.ts";
import { weighRivals } from "./model/rivals.ts";
import { bitsOf } from "./model/score.ts";
import { startsFor } from "./model/starts.ts";
import type { MatchField } from "./schema.ts";
import { Weigher } from "./weigher.ts";
import { MatchTable, Values, type SharedNumbers, type SharedValues } from "./pairs/table.ts";

export { concatPairs, type Pairs } from "./pairs/pair-list.ts";

/** How many of a record's candidates are compared field by field; by few fields they are chosen with more care. */
const candidatesFor = (fields: number): number => (fields > 2 ? 16 : 10);
/** The model is estimated from the pairs of so many records of each side; of one file, of more. */
const SAMPLED = { side: 1_500, alone: 2_000 };
/** And where little is joined the look-alikes of so many are looked at. */
const SAMPLED_MORE = 6_000;
/** Pairs that score less are of no use to anybody, and not kept. */
const LEAST_SCORE = 20;
/** One of the ways in which the records of a match meet. */
export interface Meeting extends Omit<Source, "pool"> {
  readonly pairs: RecordPairs;
  readonly index: () => CandidateIndex;
  /** Whether the candidates of its drawn records are those that pairs are looked for among: they are kept. */
  readonly ahead: boolean;
}

/** What was estimated, and the limits that follow. */
export interface Estimate {
  readonly model: PairModel;
  readonly choice: Choice;
  readonly summary: MatchModel;
}

/** What is looked for, beside pairs across. */
export interface Looking {
  /** Records from this one on arrive; those before are known. */
  readonly start?: number;
  /** Whether what arrives is compared with one another as well. */
  readonly delivery?: boolean;
  /** Whether what is known are rows and entries of a list together, of which one may be the same as the other. */
  readonly mixed?: boolean;
  readonly wanted?: Wanted;
  /** What people have decided before. */
  readonly labels?: readonly Label[];
}

/** Two records as they are compared, by field, and whether they are the same. */
export interface Label {
  readonly a: readonly string[];
  readonly b: readonly string[];
  readonly same: boolean;
}

/**
 * Compares records: those of a delivery with one another, or with known ones. Records are added
 * first; then the model is estimated, unless one is given; then pairs are found.
 */
export class Matcher {
  readonly values: readonly Values[];
  readonly incoming: MatchTable;
  /** The same table as `incoming` where records are compared with one another. */
  readonly known: MatchTable;
  private index: CandidateIndex | null = null;
  private readonly likeness: readonly Likeness[];
  /** By field and likeness: its level. */
  private readonly levels: readonly Uint8Array[];
  private weigher: Weigher | null = null;
  model: PairModel | null = null;
  private frequencies: Frequencies | null = null;
  private pairsAt: RecordPairs | null = null;
  private ahead: FoundAhead | null = null;

  constructor(
    readonly fields: readonly MatchField[],
    options: { among: boolean },
  ) {
    this.values = fields.map((f, i) => new Values(f, i));
    this.incoming = new MatchTable(this.values);
    this.known = options.among ? this.incoming : new MatchTable(this.values);
    this.likeness = this.values.map((v) => new Likeness(v));
    this.levels = this.values.map(levelsOf);
  }

  /** Whether records are compared with one another. */
  get among(): boolean {
    return this.known === this.incoming;
  }

  /** Shares the records, once all are added: their numbers lie in memory that threads share from now on. */
  shareRecords(): SharedRecords {
    return {
      values: this.values.map((v) => v.share()),
      incoming: this.incoming.share(),
      known: this.among ? null : this.known.share(),
    };
  }

  /** Takes the records of another thread's matcher in place of its own. None can be added to them. */
  takeRecords({ values, incoming, known }: SharedRecords): void {
    this.values.forEach((v, f) => v.take(values[f]!));
    this.incoming.take(incoming);
    if (known) this.known.take(known);
  }

  private pairsOf(left: Stretch, right: Stretch, frequencies: Frequencies): RecordPairs {
    return new RecordPairs(this.values, this.likeness, this.levels, left, right, frequencies);
  }

  /** Counts the known values and indexes the known records, unless an index is given. To be called when all records are there. */
  prepare(made?: IndexRows): void {
    const known = { table: this.known, from: 0, to: this.known.length };
    this.frequencies = frequenciesOf(known, this.values);
    this.pairsAt = this.pairsOf({ table: this.incoming, from: 0, to: this.incoming.length }, known, this.frequencies);
    this.index = new CandidateIndex(this.known, candidatesFor(this.values.length), made);
    this.ahead = null;
    if (this.model) this.use(this.model);
  }

  /** Makes room for candidates that are found before pairs are looked for, in memory that threads share, or takes what another thread made. */
  keepAhead(made?: FoundAhead): FoundAhead {
    return (this.ahead = made ?? aheadOf(this.incoming.length, candidatesFor(this.values.length)));
  }

  /** Finds candidates ahead until it is enough. */
  findAhead(): void {
    findAhead(this.ahead!, (a) => this.look(a, this.known.length), this.index!.found);
  }

  /** Finds the candidates of a record among the known ones before one, itself left out. */
  private look(a: number, before: number): number {
    return this.index!.find(this.incoming, a, this.among ? Math.min(a, before) : before);
  }

  /** The candidates of a record, looked for or found before; `found` of the index has them. */
  private candidatesOf(a: number, before: number): number {
    const ahead = before === this.known.length && this.ahead ? takeAhead(this.ahead, a, this.index!.found) : -1;
    return ahead < 0 ? this.look(a, before) : ahead;
  }

  /**
   * The ways in which the records meet. The first is where the limits are looked for: known and arriving
   * ones, or all with one another. In the others it is seen what pairs are like that are not the same.
   * Another thread with the same records has the same ones.
   */
  meetings({ start = 0, delivery = true, mixed = false }: Looking): Meeting[] {
    const { incoming, known, among } = this;
    const all = this.frequencies!;
    const index = (): CandidateIndex => this.index!;
    if (among && start === 0) {
      return [{ side: "across", pairs: this.pairsAt!, index, sought: true, single: false, ahead: false }];
    }
    const arriving = { table: incoming, from: among ? start : 0, to: incoming.length };
    const there = { table: known, from: 0, to: among ? start : known.length };
    const own = among ? all : frequenciesOf(arriving, this.values);
    let indexed: CandidateIndex | null = null;
    const ownIndex = (): CandidateIndex =>
      (indexed ??= new CandidateIndex(incoming, candidatesFor(this.values.length)));
    const seeks = among && delivery;
    return [
      {
        side: "across",
        pairs: this.pairsOf(arriving, there, all),
        index,
        sought: true,
        single: !seeks && !mixed,
        ahead: !among,
      },
      {
        side: "incoming",
        pairs: this.pairsOf(arriving, arriving, own),
        index: among ? index : ownIndex,
        sought: seeks,
        single: false,
        ahead: false,
      },
      { side: "known", pairs: this.pairsOf(there, there, all), index, sought: mixed, single: false, ahead: false },
    ];
  }

  /** Finds candidates among the records of a meeting's right side, and keeps them where they are asked for again. */
  private finderOf({ pairs, index, ahead: kept }: Meeting): Finder {
    const at = index();
    const { left, right } = pairs;
    const find = (a: number): number => at.find(left.table, a, right.to, right.from);
    const { ahead } = this;
    if (!kept || !ahead) return { find, found: at.found };
    const findAndKeep = (a: number): number => {
      const there = takeAhead(ahead, a, at.found);
      if (there >= 0) return there;
      const count = find(a);
      putAhead(ahead, a, count, at.found);
      return count;
    };
    return { find: findAndKeep, found: at.found };
  }

  /** Draws the pairs from which the model is estimated, of one of the ways in which records meet, or a share of them. */
  draw(meetings: readonly Meeting[], m: number, share?: Share): Pool {
    const meeting = meetings[m]!;
    const most = meetings.length === 1 ? SAMPLED.alone : SAMPLED.side;
    return drawPairs(
      meeting.pairs,
      this.finderOf(meeting),
      most,
      candidatesFor(this.values.length),
      share ? { share } : {},
    );
  }

  /** Estimates the model and the limits from these very records, without anyone's labels; they are used from now on. */
  estimate(looking: Looking = {}): Estimate {
    const meetings = this.meetings(looking);
    if (!this.among) this.keepAhead();
    const drawn = meetings.map((_, m) => this.draw(meetings, m));
    const { task, conclude } = this.fitting(looking, meetings, drawn);
    return conclude(fitsOf(task));
  }

  /**
   * What is to be fitted to the pairs that were drawn, which can be done by several threads, each some of the starts;
   * and what concludes from the fits, in the order of the task's starts.
   * @param drawn by meeting
   */
  fitting(
    looking: Looking,
    meetings: readonly Meeting[],
    drawn: readonly Pool[],
  ): { task: FitTask; conclude: (fits: readonly Fit[]) => Estimate } {
    const sources = meetings.map(({ side, sought, single }, m): Source => ({
      side,
      sought,
      single,
      pool: drawn[m]!,
    }));
    const pools = sources.map((s) => s.pool);
    const facts = fieldFacts(this.values, pools, [pools[0]!], this.frequencies!.equal);
    const task: FitTask = {
      sources,
      facts,
      otherNumbers: drawn.map((pool, m) => otherNumbersIn(pool, meetings[m]!.pairs, facts)),
      starts: startsFor(this.fields, facts, sources.length === 1),
      labels: this.labelled(looking.labels ?? []),
    };
    return { task, conclude: (fits) => this.concluded(looking, meetings, task, fits) };
  }

  private concluded(
    looking: Looking,
    meetings: readonly Meeting[],
    { sources, facts, labels }: FitTask,
    fits: readonly Fit[],
  ): Estimate {
    const choice = choose({
      values: this.values,
      facts,
      fits,
      sources,
      wanted: looking.wanted ?? {},
      labels,
      more: (s) => {
        const { records, all } = sources[s]!.pool;
        // All there are have been drawn.
        if (records === all) return sources[s]!;
        const pool = drawPairs(
          meetings[s]!.pairs,
          this.finderOf({ ...meetings[s]!, ahead: false }),
          SAMPLED_MORE,
          candidatesFor(this.values.length),
          {
            seed: 5,
            alone: true,
          },
        );
        return { ...sources[s]!, pool };
      },
    });
    const model: PairModel = {
      kinds: choice.fit.kinds,
      rest: choice.fit.rest,
      start: this.among ? (looking.start ?? 0) : 0,
      rivals: choice.rivals,
    };
    this.use(model);
    return { model, choice, summary: summaryOf(choice, facts) };
  }

  /** Decided pairs, compared. */
  private labelled(labels: readonly Label[]): Labelled | null {
    if (labels.length === 0) return null;
    const [left, right] = [new MatchTable(this.values), new MatchTable(this.values)];
    for (const { a, b } of labels) {
      left.add(a);
      right.add(b);
    }
    const all = (table: MatchTable): Stretch => ({ table, from: 0, to: table.length });
    const pairs = this.pairsOf(all(left), all(right), this.frequencies!);
    return { pool: pairsInOrder(pairs), same: Uint8Array.from(labels, ({ same }) => Number(same)) };
  }

  /** Takes a model that was estimated before, or elsewhere. */
  use(model: PairModel): void {
    this.model = model;
    this.weigher = new Weigher(this.values, this.pairsAt!, model);
  }

  /** The evidence of one pair, its rivals left out. */
  explain(a: number, b: number): { bits: number; levels: number[]; shares: number[] } {
    return this.weigher!.explain(a, b);
  }

  /**
   * Every pair from `leastScore` on, by incoming record; `best`: only so many of each record's best.
   * `from` and `to` say which incoming records, `before` which of the known ones.
   */
  pairs(options: { leastScore?: number; best?: number; from?: number; to?: number; before?: number } = {}): Pairs {
    const { leastScore = LEAST_SCORE, best = Infinity, from = 0, to = this.incoming.length } = options;
    const { before = this.known.length } = options;
    const { index, weigher } = this;
    if (!index || !weigher) throw new Error("pairs are found after prepare() and estimate()");
    const least = bitsOf(leastScore);
    const list = new PairList(this.values.length);
    const scores: { b: number; bits: number }[] = [];
    const put = (a: number, b: number, bits: number): void => {
      list.add(a, b, bits, weigher.shares());
    };
    for (let a = from; a < to; a++) {
      const found = this.candidatesOf(a, before);
      if (best === Infinity) {
        for (let i = 0; i < found; i++) {
          const b = index.found[i]!;
          const bits = weigher.weigh(a, b, least);
          if (bits >= least) put(a, b, bits);
        }
        continue;
      }
      scores.length = 0;
      // Whoever has no chance any more to be among the best is not looked at to the end.
      let needed = least;
      for (let i = 0; i < found; i++) {
        const b = index.found[i]!;
        const bits = weigher.weigh(a, b, needed);
        if (bits < needed) continue;
        scores.push({ b, bits });
        scores.sort((x, y) => y.bits - x.bits || x.b - y.b);
        if (scores.length > best) scores.length = best;
        if (scores.length === best) needed = Math.max(least, scores.at(-1)!.bits);
      }
      for (const { b } of scores) put(a, b, weigher.weigh(a, b));
    }
    return list;
  }

  /** Weighs the candidates of each record against each other, where it has one same one at most; to be called once all pairs are found. */
  weighRivals(pairs: Pairs): void {
    const { rivals, start } = this.model!;
    // Pairs of what arrives with one another are no rivals of anybody.
    const b = start > 0 ? Int32Array.from(pairs.b.subarray(0, pairs.count), (n) => (n < start ? n : -1)) : pairs.b;
    weighRivals(pairs.bits, pairs.a, b, pairs.count, rivals);
  }
}

/** Records for a matcher of another thread, in memory that both read: all but the texts of their values. */
export interface SharedRecords {
  readonly values: readonly SharedValues[];
  readonly incoming: readonly SharedNumbers[];
  /** Null where records are compared with one another. */
  readonly known: readonly SharedNumbers[] | null;
}
