import { availableParallelism } from "node:os";
import type { Worker } from "node:worker_threads";
import { IndexPart, layOut, roomFor } from "@/core/match/pairs/index-rows.ts";
import { Matcher, concatPairs, type Estimate, type Looking, type Meeting, type Pairs } from "@/core/match/match.ts";
import { fitsOf, type FitTask } from "@/core/match/model/estimate.ts";
import type { Fit } from "@/core/match/model/kinds.ts";
import type { PairModel } from "@/core/match/model/model.ts";
import { joinPools, type Pool } from "@/core/match/pairs/draw.ts";
import { TakesNumbered } from "@/core/match/pairs/numbered.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { sharedMemory, sharedNumbers, type MatchTable } from "@/core/match/pairs/table.ts";
import type { PairsCall, PairsCalls } from "./pairs-thread.ts";
import type { PairsWanted } from "./pairs-wanted.ts";
import { giveBack, takeThread } from "../threads/threads.ts";

/** Incoming records between two looks at whether anybody has cancelled. */
const STRETCH = 250;
/** With fewer records a second thread costs more than it saves. */
const WORTH_A_THREAD = 3_000;
/** Records that are made plain in one go. */
const BATCH = 1_000;
/** What the other thread is asked ahead of what it does, so that it never waits. */
const AHEAD = 2;
/** From so many starts on their fits are shared: with fewer, as by few fields, sending the pairs takes longer. */
const WORTH_FITTING = 4;
/** Into so many shares the pairs across are parted that two threads draw. */
const DRAWN_SHARES = 10;
/** Batches whose answers may lie unread, while this thread has no time to take them in. */
const MOST_UNREAD = 128;

/** The other thread, as this one calls it. */
class Helper {
  /** Who waits for the answers, in the order of the calls. */
  private readonly waiting: { resolve: (answer: never) => void; reject: (error: unknown) => void }[] = [];
  private failed: Error | null = null;

  constructor(private readonly thread: Worker) {
    thread.on("message", (answer) => this.waiting.shift()!.resolve(answer as never));
    const fail = (error: Error): void => {
      this.failed = error;
      for (const { reject } of this.waiting.splice(0)) reject(error);
    };
    thread.on("error", fail);
    thread.on("exit", () => fail(new Error("the thread that compares records has ended")));
  }

  call<K extends keyof PairsCalls>(name: K, ...args: Parameters<PairsCalls[K]>): Promise<ReturnType<PairsCalls[K]>> {
    if (this.failed) return Promise.reject(this.failed);
    const answer = new Promise<ReturnType<PairsCalls[K]>>((resolve, reject) => this.waiting.push({ resolve, reject }));
    // What fails is told where the answer is waited for, which may be later.
    answer.catch(() => {});
    this.thread.postMessage({ name, args } satisfies PairsCall);
    return answer;
  }

  async end(): Promise<void> {
    if (this.failed || this.waiting.length > 0) {
      await this.thread.terminate();
      return;
    }
    await this.call("end");
    giveBack(this.thread);
  }
}

/** Records that are left to the other thread. */
interface Batch {
  readonly table: MatchTable;
  readonly at: number;
  readonly cells: string[];
  count: number;
}

/**
 * A match by two threads, where there are processors for them and records enough: records are added,
 * then the model is estimated, then pairs are found. Both threads make records plain, index them, and
 * find pairs; the numbers of the records lie in memory that both read. The pairs and their order are
 * those of one thread.
 */
export class PairSearch {
  readonly matcher: Matcher;
  private helper: Helper | null = null;
  private batch: Batch | null = null;
  /** Records that are made plain here before the other thread is offered some again. */
  private here = WORTH_A_THREAD;
  private sent = 0;
  private taken = 0;
  /** How many batches the other thread has done, taken in or not. */
  private readonly done = sharedNumbers(1);
  private readonly takes: TakesNumbered;
  private readonly answers: Promise<void>[] = [];

  /** @param thread the bundled pairs-thread; null to do without */
  constructor(
    fields: readonly MatchField[],
    options: { among: boolean },
    private readonly thread: URL | null,
  ) {
    this.matcher = new Matcher(fields, options);
    this.takes = new TakesNumbered(this.matcher.values);
  }

  /** Adds a record to one of the matcher's tables. */
  add(table: MatchTable, cells: readonly string[]): void {
    if (this.batch && this.batch.table !== table) this.send();
    if (!this.batch && this.here <= 0) this.offer(table);
    if (!this.batch) {
      this.here--;
      table.add(cells);
      return;
    }
    table.reserve(1);
    for (const cell of cells) this.batch.cells.push(cell);
    if (++this.batch.count === BATCH) this.send();
  }

  /** Leaves the next records to the other thread, if it has time for them. */
  private offer(table: MatchTable): void {
    this.here = BATCH;
    if (!this.thread || availableParallelism() < 2) return;
    if (!this.helper) {
      this.helper = new Helper(takeThread(this.thread));
      void this.helper.call("begin", this.matcher.fields, this.matcher.among, this.done);
    }
    if (this.sent - Atomics.load(this.done, 0) >= AHEAD || this.sent - this.taken >= MOST_UNREAD) return;
    this.here = 0;
    this.batch = { table, at: table.length, cells: [], count: 0 };
  }

  private send(): void {
    const { table, at, cells } = this.batch!;
    this.batch = null;
    this.sent++;
    const answer = this.helper!.call("number", cells).then((numbered) => {
      this.takes.take(table, at, numbered);
      this.taken++;
    });
    answer.catch(() => {});
    this.answers.push(answer);
  }

  /** Indexes the records. To be called when all are added. */
  private async prepare(): Promise<void> {
    const { matcher } = this;
    if (this.batch) this.send();
    await Promise.all(this.answers.splice(0));
    const helper = this.helper;
    if (!helper) return matcher.prepare();
    void helper.call("records", matcher.shareRecords());
    const records = matcher.known.length;
    const half = records >> 1;
    const counts = sharedNumbers(roomFor(records));
    const counted = helper.call("count", half, records, counts);
    const part = new IndexPart(matcher.known, 0, half);
    const features = [...part.features(sharedMemory), ...(await counted)];
    const rows = layOut([part.counts, counts], features, sharedNumbers);
    const filled = helper.call("fill", rows.entries);
    part.fill(rows.entries);
    await filled;
    void helper.call(
      "index",
      rows,
      matcher.values.map((v) => v.texts),
    );
    matcher.prepare(rows);
  }

  /** Indexes the records, whose pairs are judged by a model that was estimated before. To be called when all are added. */
  async use(model: PairModel): Promise<void> {
    await this.prepare();
    this.matcher.use(model);
    void this.helper?.call("use", model);
  }

  /** Indexes the records and estimates the model and the limits from them. To be called when all are added. */
  async estimate(looking: Looking = {}): Promise<Estimate> {
    await this.prepare();
    const { matcher, helper } = this;
    if (!helper) return matcher.estimate(looking);
    const meetings = matcher.meetings(looking);
    const ahead = matcher.keepAhead();
    void helper.call("keep", ahead);
    const drawn = await this.drawByTwo(helper, looking, meetings);
    const { task, conclude } = matcher.fitting(looking, meetings, drawn);
    const fitByTwo = task.starts.length < WORTH_FITTING ? null : this.shareFits(task, helper);
    // Whatever is left to it, the other thread has time before the model is there.
    const found = helper.call("ahead");
    const estimate = conclude(fitByTwo ? await fitByTwo() : fitsOf(task));
    Atomics.store(ahead.enough, 0, 1);
    await found;
    void helper.call("use", estimate.model);
    return estimate;
  }

  /**
   * The pairs of each meeting: the last one, the known records with one another, is left to the other thread, as what
   * arrives has yet to be indexed here; of the first one, where the limits are looked for, each takes shares as it has time.
   */
  private async drawByTwo(helper: Helper, looking: Looking, meetings: readonly Meeting[]): Promise<Pool[]> {
    const { matcher } = this;
    const last = meetings.length - 1;
    void helper.call("meet", { ...looking, labels: [] });
    const others = last > 0 ? [helper.call("draw", last)] : [];
    const shares: Pool[] = [];
    let next = 0;
    const beside = async (): Promise<void> => {
      while (next < DRAWN_SHARES) {
        const part = next++;
        shares[part] = await helper.call("draw", 0, { part, of: DRAWN_SHARES });
      }
    };
    const besides = Promise.all(Array.from({ length: AHEAD }, beside));
    // What fails is told where it is waited for.
    besides.catch(() => {});
    const own = meetings.slice(1, last).map((_, m) => matcher.draw(meetings, m + 1));
    while (next < DRAWN_SHARES) {
      const part = next++;
      shares[part] = matcher.draw(meetings, 0, { part, of: DRAWN_SHARES });
      // So that what the other thread has done is seen.
      await new Promise((resolve) => setImmediate(resolve));
    }
    await besides;
    return [joinPools(shares), ...own, ...(await Promise.all(others))];
  }

  /** Leaves every other start to the other thread; what is given fits the others, and has the fits of all. */
  private shareFits(task: FitTask, helper: Helper): () => Promise<Fit[]> {
    const some = (rest: number): FitTask => ({ ...task, starts: task.starts.filter((_, i) => i % 2 === rest) });
    const besides = helper.call("fits", some(1));
    return async () => {
      const here = fitsOf(some(0));
      const there = await besides;
      return task.starts.map((_, i) => (i % 2 === 0 ? here : there)[i >> 1]!);
    };
  }

  /**
   * Finds pairs stretch by stretch, so that the process can tend to other things.
   * @param rest is waited for after each stretch of this thread; what it throws ends the search
   */
  async find(wanted: PairsWanted, rest: () => Promise<void> = async () => {}): Promise<Pairs> {
    const { matcher, helper } = this;
    const { from = 0, to = matcher.incoming.length } = wanted;
    const parts: Pairs[] = [];
    const stretches = Math.ceil((to - from) / STRETCH);
    let next = 0;
    const stretch = (at: number): PairsWanted => ({
      ...wanted,
      from: from + at * STRETCH,
      to: Math.min(to, from + (at + 1) * STRETCH),
    });
    const beside = async (): Promise<void> => {
      while (next < stretches) {
        const at = next++;
        parts[at] = await helper!.call("pairs", stretch(at));
      }
    };
    const here = async (): Promise<void> => {
      while (next < stretches) {
        const at = next++;
        parts[at] = matcher.pairs(stretch(at));
        // The process has other things to tend to as well.
        await new Promise((resolve) => setImmediate(resolve));
        await rest();
      }
    };
    const besides = helper ? Array.from({ length: AHEAD }, beside) : [];
    try {
      await Promise.all([...besides, here()]);
    } finally {
      // Where one of the two has failed the other need not go on.
      next = stretches;
    }
    const pairs = concatPairs(parts, matcher.fields.length);
    matcher.weighRivals(pairs);
    return pairs;
  }

  /** Lets the other thread go. The matcher stays as it is. */
  async end(): Promise<void> {
    const helper = this.helper;
    this.helper = null;
    await helper?.end();
  }
}
