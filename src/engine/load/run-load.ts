import { printCheck } from "@/core/check/identity.ts";
import { type Attempt, asBuffer, ledgerBlocks, putOutcomes, type LedgerBlock } from "@/store/ledger.ts";
import { makeStagedHeld, stageHeld, Holding } from "./quarantine.ts";
import { IntoTarget } from "./into-target.ts";
import { once } from "node:events";
import { from as copyFrom, type CopyStreamQuery } from "pg-copy-streams";
import { BYTE, addToBalance, assertCloses, emptyBalance, type Balance } from "@/core/kernel/ledger.ts";
import { NO_REFERENCES, type Reference, type References } from "@/core/kernel/reference.ts";
import type { Plan } from "@/core/plan/document.ts";
import { addProposals, referencesOfLoad } from "@/store/references.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import type { KeptCells } from "@/core/plan/arriving.ts";
import { makeReport, type Reconciliation, type ReturnedCounts, type Timing } from "@/core/report/report.ts";
import type { MatchMetrics } from "@/core/match/metrics.ts";
import { Course } from "@/core/course/course.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { ident, inWords, type Client, type Db } from "@/store/db.ts";
import { getDelivery, type Delivery } from "@/store/deliveries.ts";
import { getPlan } from "@/store/feeds.ts";
import { nextWriting, transactionNumber } from "@/store/writings.ts";
import { columnsBefore, historyBefore, endLoad, getLoad, inputsOf, type Load } from "@/store/loads.ts";
import { absentFields, findBroken, findLoadedBefore, findTaken, holdFiles } from "./staged.ts";
import { abandonLoad, dropLeft } from "./abandon.ts";
import { LOAD_LOCK } from "@/store/locks.ts";
import { apart, profileLimits } from "../apart/apart.ts";
import { holdBetween } from "./between.ts";
import { copyDelimiter, copyRows, moreOf } from "./copy-rows.ts";
import { Reading } from "./reading.ts";
import type { FromThread } from "../threads/messages.ts";
import { matchStaged, type Matched } from "../match/match-load.ts";
import { rerunBlock, type Rerun } from "./rerun.ts";
import { LEAVE, countKept, countUpsert, meet, needsLeave, type Meeting } from "../writing/meet.ts";
import { closeReturned } from "../release/returned.ts";
import { overtakeHeld } from "../release/overtake.ts";
import { Expected, reconcile } from "../writing/reconcile.ts";
import { dropStaging, staging, stagingHeld, stagingMet } from "./staging.ts";
import { Writing, lockTarget } from "../writing/writing.ts";
import { pruneUndo } from "../undo/kept.ts";
import {
  recordColumns,
  stagedColumns,
  successorOf,
  alterTarget,
  targetChanges,
  type Successor,
} from "../writing/target.ts";

/** How often it is asked whether somebody wants the load to end. */
const HEED_MS = 500;

class Cancelled extends Error {}

export interface RunOptions {
  /** The bundled course-thread. */
  readonly thread: URL;
  /** The bundled pairs-thread. */
  readonly pairsThread: URL;
  readonly signal?: AbortSignal;
}

/**
 * Runs a load or a trial from its inputs to its end. Until the closing transaction commits, nothing
 * but staging tables and the unfinished ledger has been written, and running it again begins anew.
 * Faults of the delivery or the plan end the load; anything else is thrown, to be tried again.
 */
export async function runLoad(db: Db, id: number, options: RunOptions): Promise<void> {
  const client = await db.connect();
  let broken: Error | undefined;
  const lost = (error: Error): void => {
    broken = error;
  };
  client.on("error", lost);
  try {
    const { rows } = await client.query<{ ok: boolean }>("select pg_try_advisory_lock($1, $2) as ok", [LOAD_LOCK, id]);
    if (!rows[0]!.ok) throw new Error(`load ${id} is being run by another worker`);
    const load = await getLoad(client, id);
    if (load.state !== "queued" && load.state !== "running") return;
    const run = new LoadRun(db, client, load, options);
    let heeding = Promise.resolve();
    const watch = setInterval(() => (heeding = heeding.then(() => run.heed()).catch(() => {})), HEED_MS);
    try {
      await run.run();
    } catch (thrown) {
      const error = inWords(thrown);
      if (error instanceof Cancelled || run.cancelled) await abandonLoad(db, id, "cancelled");
      // Room may be made while it is tried again.
      else if (error instanceof SieveError && error.code !== "no-room") await abandonLoad(db, id, "failed", error);
      else throw thrown;
    } finally {
      clearInterval(watch);
      // What it would still break off must not be what the connection does for another.
      await heeding;
    }
  } catch (error) {
    broken ??= error instanceof SieveError ? undefined : (error as Error);
    throw error;
  } finally {
    client.off("error", lost);
    if (!broken) await client.query("select pg_advisory_unlock($1, $2)", [LOAD_LOCK, id]).catch(lost);
    client.release(broken);
  }
}

class LoadRun {
  private readonly id: number;
  private attempt!: Attempt;
  private compiled!: Compiled;
  private references: References = NO_REFERENCES;
  private delivery!: Delivery;
  private records = 0;
  private bytes = 0;
  private stage = "";
  private told = 0;
  /** How the staging table was made, where it may take the target's place. */
  private successor: Successor | null = null;
  /** The target's own rules that the records were held against, by name. */
  private readonly rules = new Map<string, TableRule>();
  private readonly timing: Timing[] = [];
  /** The number of the writing that it is going to be. */
  private writing = 0;
  /** Transactions that have put staged records there. */
  private readonly xids: string[] = [];
  /** Somebody has asked it to end, and what it was doing was broken off for that. */
  cancelled = false;
  /** Breaks off the reading, while that goes on. */
  private breakOff: ((error: unknown) => void) | null = null;
  /** The database's process that works for it. */
  private process = 0;

  constructor(
    private readonly db: Db,
    private readonly client: Client,
    private readonly load: Load,
    private readonly options: RunOptions,
  ) {
    this.id = load.id;
  }

  async run(): Promise<void> {
    const { client, id } = this;
    // What an earlier attempt left: it reached no further than this.
    await dropLeft(client, id);
    this.writing = this.load.kind === "trial" ? 0 : (this.load.writing ?? (await nextWriting(client)));
    const { rows: begun } = await client.query<{ attempts: number }>(
      `update sieve.load set state = 'running', attempts = attempts + 1, started_at = clock_timestamp(), error = null,
         records_so_far = 0, bytes_so_far = 0, stage = 'reading', writing = nullif($2, 0) where id = $1 returning attempts`,
      [id, this.writing],
    );
    this.attempt = { load: id, attempt: begun[0]!.attempts };
    this.stage = "reading";
    const { rows } = await client.query<{ pid: number }>("select pg_backend_pid() as pid");
    this.process = rows[0]!.pid;
    await client.query("delete from sieve.ledger_block where load = $1", [id]);
    await client.query("delete from sieve.late_problem where load = $1", [id]);
    await client.query("delete from sieve.held where load = $1", [id]);

    const { document } = await getPlan(client, this.load.plan);
    this.delivery = await getDelivery(client, this.load.delivery);
    this.references = new Map([
      ...(await referencesOfLoad(client, id, document, true)),
      ...(await this.deliveryLists(document)),
    ]);
    this.compiled = compilePlan(document, this.references, inputsOf(this.load));
    await targetChanges(client, this.compiled.plan);
    await this.makeStaging();
    await makeStagedHeld(client, id);

    const done = await this.timed("reading to checking", () => this.stageRecords());
    this.stage = "closing";
    await this.progress(true);
    await this.close(done);
  }

  /** Breaks off what the load is doing when somebody has asked it to end, also in the midst of a long statement. */
  async heed(): Promise<void> {
    const { rows } = await this.db.query<{ asked: boolean }>(
      "select cancel_asked as asked from sieve.load where id = $1",
      [this.id],
    );
    if (!rows[0]?.asked) return;
    this.cancelled = true;
    if (this.breakOff) this.breakOff(new Cancelled());
    // Between two statements there is none to break off: the next time breaks off the next one.
    else if (this.process) await this.db.query("select pg_cancel_backend($1)", [this.process]);
  }

  private async makeStaging(): Promise<void> {
    const { client, id, load } = this;
    const { plan } = this.compiled;
    const writing = { load: id, writing: this.writing };
    this.successor = load.kind === "trial" ? null : await successorOf(client, plan, writing, staging(id));
    if (this.successor) {
      for (const statement of this.successor.make) await client.query(statement);
      return;
    }
    const columns = stagedColumns(plan);
    if (this.leaves) columns.push({ name: LEAVE, type: "integer[]" });
    await client.query(
      `create unlogged table ${staging(id)} (_record integer not null, ${columns.map((c) => `${ident(c.name)} ${c.type}`).join(", ")})`,
    );
  }

  /** Staged records say which cells are to leave what the target has; rows of a table that takes the target's place meet none. */
  private get leaves(): boolean {
    return this.successor === null && needsLeave(this.compiled.plan);
  }

  private async timed<T>(part: string, work: () => Promise<T>): Promise<T> {
    if (this.cancelled) throw new Cancelled();
    const began = performance.now();
    const result = await work();
    this.timing.push({ part, ms: Math.round(performance.now() - began) });
    return result;
  }

  /** Reads the delivery through the course into the staging tables. */
  private async stageRecords(): Promise<Extract<FromThread, { type: "done" }>> {
    const { client, compiled } = this;
    // Packed files are larger than they look.
    const expected = Math.max(50_001, this.delivery.files.reduce((n, f) => n + f.bytes, 0) / 40);
    await client.query("begin");
    this.xids.push(await transactionNumber(client));
    const reading = new Reading({
      db: this.db,
      client,
      attempt: this.attempt,
      files: this.delivery.files,
      start: {
        plan: compiled.plan,
        references: [...this.references.values()],
        inputs: inputsOf(this.load),
        leave: this.leaves,
        expected,
      },
      copy: this.copyStatement(),
      thread: this.options.thread,
      signal: this.options.signal,
      hold: (rows) => stageHeld(this.db, this.attempt, rows),
      progress: async (records, bytesRead) => {
        this.records += records;
        this.bytes = bytesRead;
        await this.progress();
      },
    });
    this.breakOff = reading.giveUp;
    try {
      const done = await reading.run();
      await client.query("commit");
      return done;
    } catch (error) {
      await client.query("rollback").catch(() => {});
      throw error;
    } finally {
      this.breakOff = null;
    }
  }

  private copyStatement(): string {
    const delimiter = copyDelimiter(this.compiled.plan.read.delimiter);
    const columns = ["_record", ...recordColumns(this.compiled.plan), ...(this.leaves ? [LEAVE] : [])]
      .map((c) => ident(c))
      .join(", ");
    return `copy ${staging(this.id)} (${columns}) from stdin (delimiter '${delimiter}', null '')`;
  }

  /** Tells how far the load is, a few times a second, and ends it when somebody has asked for that. */
  private async progress(now = false): Promise<void> {
    if (!now && Date.now() - this.told < 250) return;
    this.told = Date.now();
    const { rows } = await this.db.query<{ cancel_asked: boolean }>(
      `update sieve.load set stage = $2, records_so_far = $3, bytes_so_far = $4, memory_so_far = $5
       where id = $1 returning cancel_asked`,
      [this.id, this.stage, this.records, this.bytes, process.memoryUsage.rss()],
    );
    if (rows[0]?.cancel_asked) throw new Cancelled();
  }

  /** The closing transaction: all of it happens, or nothing. */
  private async close(done: Extract<FromThread, { type: "done" }>): Promise<void> {
    const { client, id, compiled, load } = this;
    const { plan } = compiled;
    const rerun: Rerun = { compiled, files: this.delivery.files, facts: done.files, rules: this.rules };
    const holding = new Holding(client, this.attempt, rerun);
    const trial = load.kind === "trial";
    await this.timed("repeats", () => this.absolveSuspects(rerun));
    await client.query("begin");
    try {
      // Compiling statements takes longer here than it saves.
      await client.query("set local jit = off");
      const exists = await lockTarget(client, load.feed, plan, trial ? "the feed" : undefined);

      const apart = await this.timed("checks between records", () =>
        holdBetween(client, { id, compiled, staging: staging(id), stagingHeld: stagingHeld(id), targetExists: exists }),
      );
      const stagedLoad = { client, id, compiled, staging: staging(id) };
      const meets = exists && plan.load.mode === "append" && plan.load.key.length > 0;
      let taken = meets ? await this.timed("keys of the target", () => findTaken(stagedLoad)) : 0;
      const loadedBefore = exists
        ? await this.timed("what the target has already", () => findLoadedBefore(stagedLoad, taken))
        : null;
      if (exists) {
        const found = await this.timed("rules of the target", () => findBroken(stagedLoad));
        taken += found.broken;
        for (const [name, rule] of found.rules) this.rules.set(name, rule);
      }
      const before = await columnsBefore(client, load, this.delivery.sender);
      const history = await historyBefore(client, load, this.delivery.sender);
      const balance = await this.timed("balance", () => this.provisionalBalance());
      let late = await this.countLate();
      let heldAsFiles = 0;
      let matches: MatchMetrics | null = null;
      let kept: KeptCells[] = [];
      let reconciliation: Reconciliation | null = null;
      let returned: ReturnedCounts | null = null;
      const report = (): ReturnType<typeof makeReport> =>
        makeReport({
          compiled,
          tally: done.tally,
          files: done.files,
          balance,
          distinct: done.distinct,
          late,
          rules: [...this.rules.keys()].map((name) => printCheck({ kind: "target", rule: name })),
          timing: this.timing,
          extras: done.extras,
          codes: done.codes,
          lookUps: done.lookUps,
          figures: done.figures,
          controls: done.controls,
          received: this.delivery.receivedAt,
          heldAsFiles,
          before,
          history,
          matches,
          loadedBefore,
          kept,
          reconciliation,
          returned,
        });
      const hold = (records: number, at: "check" | "load"): void => {
        balance.outcomes.inserted -= records;
        balance.outcomes.held += records;
        balance.heldAt[at] += records;
      };
      hold(apart, "check");
      hold(taken, "load");
      heldAsFiles = await holdFiles(stagedLoad, report().drift, done.files);
      if (heldAsFiles > 0) {
        hold(heldAsFiles, "load");
        taken += heldAsFiles;
        late = await this.countLate();
      }
      const closedGates = report().gates.some((g) => !g.passed) && load.letThrough === null;
      const writing = trial || closedGates ? null : await this.beginWriting();
      const expected = new Expected(plan);
      if (plan.match) {
        const matched = await this.timed("matching", () => this.match(exists, writing, expected));
        balance.outcomes.inserted -= matched.merged.length + matched.waiting.length;
        balance.outcomes.merged += matched.merged.length;
        balance.outcomes.waiting += matched.waiting.length;
        matches = matched.metrics;
      }
      if (!writing) {
        if (apart + taken > 0) await holding.markLate(late, false);
        if (plan.load.mode === "upsert" && exists) {
          const meeting = await this.meeting(done.files);
          await meet(meeting, client);
          await countUpsert(meeting, client, id, balance);
          kept = await countKept(meeting, client, id);
        }
        assertCloses(balance);
        await endLoad(client, id, trial ? "tried" : "stopped", balance, report());
      } else {
        if (apart + taken > 0) await holding.markLate(late, true);
        await this.timed("target", async () => {
          const into = new IntoTarget({ client, id, plan, balance, writing, expected });
          if (await into.takePlace(this.successor)) return;
          await alterTarget(client, plan);
          if (plan.load.mode === "upsert") {
            // The ledger and the staged records are as they were committed where nothing was held or merged since.
            const asCommitted = apart + taken === 0 && !plan.match;
            kept = await into.upsert(await this.meeting(done.files), asCommitted ? this.db : null);
          } else await into.add();
        });
        reconciliation = await this.timed("reconciliation", async () =>
          reconcile(writing, staging(id), await expected.settle(client)),
        );
        await this.timed("quarantine", () => holding.write(load.feed, exists));
        await writing.end();
        if (plan.load.key.length > 0) await overtakeHeld(client, writing, staging(id));
        const back = await this.timed("what came back", () => closeReturned(client, writing, done.returned));
        if (back.accepted + back.again > 0) returned = back;
        await addProposals(client, id, done.lookUps);
        await pruneUndo(client, plan);
        assertCloses(balance);
        await endLoad(client, id, "loaded", balance, report());
      }
      await dropStaging(client, id);
      // The last moment at which a cancel counts.
      const { rows } = await client.query<{ cancel_asked: boolean }>(
        "select cancel_asked from sieve.load where id = $1",
        [id],
      );
      if (rows[0]!.cancel_asked) throw new Cancelled();
      await client.query("commit");
    } catch (error) {
      await client.query("rollback").catch(() => {});
      throw error;
    }
  }

  /** Finds records that are one, and says in the ledger which were put to another and which wait for a decision. */
  private async match(targetExists: boolean, writing: Writing | null, expected: Expected): Promise<Matched> {
    const { client, id, compiled, load } = this;
    this.stage = "matching";
    await this.progress(true);
    const matched = await matchStaged({
      client,
      id,
      feed: load.feed,
      compiled,
      staging: staging(id),
      targetExists,
      lists: this.references,
      pairsThread: this.options.pairsThread,
      writing,
      expected,
      progress: () => this.progress(),
    });
    const merged = new Set(matched.merged);
    const waiting = new Set(matched.waiting);
    if (merged.size + waiting.size > 0) {
      for await (const block of ledgerBlocks(client, id)) {
        let changed = false;
        for (let r = 0; r < block.outcomes.length; r++) {
          if (block.outcomes[r] !== BYTE.inserted) continue;
          const record = block.firstRecord + r;
          const byte = merged.has(record) ? BYTE.merged : waiting.has(record) ? BYTE.waiting : BYTE.inserted;
          if (byte === BYTE.inserted) continue;
          block.outcomes[r] = byte;
          changed = true;
        }
        if (changed) await putOutcomes(client, id, block);
      }
    }
    this.stage = "closing";
    return matched;
  }

  /** Suspects that repeat nothing after all (the filter errs one time in thousands) go with the good ones. */
  private async absolveSuspects(rerun: Rerun): Promise<void> {
    const { client, id } = this;
    const holding = this.compiled.checks.filter((c) => c.kind === "unique" && c.onFailure !== "note").map((c) => c.key);
    const { rows } = await client.query<{ record: number }>(
      `delete from ${stagingHeld(id)} h where suspect and not exists (select from sieve.late_problem l
         where l.load = $1 and l.record = h.record and l.check_key = any($2)) returning record`,
      [id, holding],
    );
    if (rows.length === 0) return;
    const innocent = new Set(rows.map((r) => r.record));
    await client.query("begin");
    this.xids.push(await transactionNumber(client));
    const copy = client.query(copyFrom(this.copyStatement())) as unknown as CopyStreamQuery;
    await this.rerunFor(innocent, rerun, async (block, sifted, course) => {
      copy.write(
        asBuffer(
          copyRows(sifted, copyDelimiter(this.compiled.plan.read.delimiter), {
            only: innocent,
            more: moreOf(course, sifted, this.leaves),
          }),
        ),
      );
      for (let r = 0; r < block.outcomes.length; r++) {
        if (innocent.has(block.firstRecord + r)) block.outcomes[r] = BYTE.inserted;
      }
      await putOutcomes(this.db, id, block);
    });
    copy.end();
    await once(copy, "finish");
    await client.query("commit");
  }

  /** Computes again the blocks that have any of the records. Reads through another client: this one may be busy. */
  private async rerunFor(
    records: ReadonlySet<number>,
    rerun: Rerun,
    use: (block: LedgerBlock, sifted: Sifted, course: Course) => Promise<void>,
  ): Promise<void> {
    const course = new Course(this.compiled);
    for await (const block of ledgerBlocks(this.db, this.id)) {
      let any = false;
      for (let r = 0; r < block.outcomes.length && !any; r++) any = records.has(block.firstRecord + r);
      if (any) await use(block, await rerunBlock(this.db, rerun, course, block), course);
    }
  }

  private async countLate(): Promise<Map<string, number>> {
    const { rows } = await this.client.query<{ check: string; n: number }>(
      "select check_key as check, count(*)::int as n from sieve.late_problem where load = $1 group by 1",
      [this.id],
    );
    return new Map(rows.map((r) => [r.check, r.n]));
  }

  private async provisionalBalance(): Promise<Balance> {
    const balance = emptyBalance();
    for await (const block of ledgerBlocks(this.client, this.id)) addToBalance(balance, block.outcomes);
    return balance;
  }

  /** Lists that are files of the delivery: foreign bytes, which are read where that can be ended. */
  private async deliveryLists(plan: Plan): Promise<Iterable<readonly [string, Reference]>> {
    if (!plan.lookup?.some((l) => l.file !== undefined)) return [];
    const ending = new AbortController();
    const end = (): void => ending.abort();
    this.options.signal?.addEventListener("abort", end);
    this.breakOff = end;
    const input = { delivery: this.delivery.id, plan: this.load.plan };
    try {
      return await apart("lists of a delivery", input, { ...profileLimits(), signal: ending.signal });
    } catch (error) {
      // The worker's own end leaves the load to the next one.
      if (this.options.signal?.aborted) throw new Error("the worker is ending", { cause: error });
      throw error;
    } finally {
      this.breakOff = null;
      this.options.signal?.removeEventListener("abort", end);
    }
  }

  /** The writing that this load becomes in its closing transaction. */
  private async beginWriting(): Promise<Writing> {
    const { client, load, compiled, xids } = this;
    const about = { kind: "load", feed: load.feed, load: load.id, plan: compiled.plan, planId: load.plan } as const;
    const reason = load.letThrough ?? "";
    return await Writing.begin(client, { ...about, by: load.askedBy, reason }, { id: this.writing, xids });
  }

  private async meeting(files: readonly FileFacts[]): Promise<Meeting> {
    const { id, client, compiled, leaves } = this;
    const absent = await absentFields(client, id, files);
    return { plan: compiled.plan, staging: staging(id), met: stagingMet(id), absent, leaves };
  }
}
