import { printCheck, readCheck } from "@/core/check/identity.ts";
import {
  type Attempt,
  OF_ATTEMPT,
  asBuffer,
  inTime,
  ledgerBlocks,
  lateProblems,
  putOutcomes,
  type LedgerBlock,
} from "@/store/ledger.ts";
import { once } from "node:events";
import { from as copyFrom, type CopyStreamQuery } from "pg-copy-streams";
import { BYTE, addToBalance, assertCloses, emptyBalance, heldByte, type Balance } from "@/core/kernel/ledger.ts";
import { NO_REFERENCES, type Reference, type References } from "@/core/kernel/reference.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { addProposals, referencesOfLoad } from "@/store/references.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import type { KeptCells } from "@/core/plan/arriving.ts";
import { makeReport, type Reconciliation, type Timing } from "@/core/report/report.ts";
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
import { holdBetween, holdingBetween } from "./between.ts";
import { copyDelimiter, copyRows, moreOf } from "./copy-rows.ts";
import { Reading } from "./reading.ts";
import { referringKeys } from "../writing/existing-table.ts";
import { heldRow } from "./held-rows.ts";
import { fieldsOf, lateProblem } from "./late.ts";
import type { FromThread, HeldRow } from "../threads/messages.ts";
import { matchStaged, type Matched } from "../match/match-load.ts";
import { rerunBlock, type Rerun } from "./rerun.ts";
import { LEAVE, countKept, countUpsert, meet, needsLeave, upsertStaged, type Meeting } from "../writing/meet.ts";
import { heldMeetsRow, overtakeHeld } from "../release/overtake.ts";
import { Expected, reconcile } from "../writing/reconcile.ts";
import { dropStaging, staging, stagingHeld, stagingMet } from "./staging.ts";
import { Writing, WRITING, lockTarget } from "../writing/writing.ts";
import { pruneUndo } from "../undo/undo.ts";
import {
  TARGET,
  columnsByName,
  recordColumns,
  staged,
  stagedColumns,
  successorOf,
  tableOf,
  alterTarget,
  targetChanges,
  type Successor,
} from "../writing/target.ts";

/** Memory in which the database may sort a key's values. */
const INDEX_MEMORY = "128MB";

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
    await client.query(
      `create unlogged table ${stagingHeld(id)} (record integer not null, at text, file integer, line integer,
         byte_start bigint, byte_end bigint, raw text, cells jsonb, field_values jsonb, problems jsonb, suspect boolean)`,
    );

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
    this.successor = load.kind === "trial" ? null : await this.successorNow();
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

  private async successorNow(): Promise<Successor | null> {
    const { client, id, writing, compiled } = this;
    return await successorOf(client, compiled.plan, { load: id, writing }, staging(id));
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
      hold: (rows) => this.stageHeld(rows),
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

  private async stageHeld(rows: string, db: Pick<Client, "query"> = this.db): Promise<void> {
    const { rowCount } = await db.query(
      `with ${OF_ATTEMPT} insert into ${stagingHeld(this.id)}
       select record, at, file, line, byte_start, byte_end, raw, cells, field_values, problems, suspect
       from of_attempt, jsonb_to_recordset($3::jsonb) as x (record integer, at text, file integer, line integer, byte_start bigint,
         byte_end bigint, raw text, cells jsonb, field_values jsonb, problems jsonb, suspect boolean)`,
      [this.id, this.attempt.attempt, rows],
    );
    inTime(rowCount, this.attempt);
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
        if (apart + taken > 0) await this.writeLate(false, rerun, late);
        if (plan.load.mode === "upsert" && exists) {
          const meeting = await this.meeting(done.files);
          await meet(meeting, client);
          await countUpsert(meeting, client, id, balance);
          kept = await countKept(meeting, client, id);
        }
        assertCloses(balance);
        await endLoad(client, id, trial ? "tried" : "stopped", balance, report());
      } else {
        if (apart + taken > 0) await this.writeLate(true, rerun, late);
        await this.timed("target", async () => {
          if (await this.takePlace(balance, writing, expected)) return;
          await alterTarget(client, plan);
          if (plan.load.mode === "upsert") {
            kept = await this.upsert(balance, writing, expected, {
              meeting: await this.meeting(done.files),
              beside: apart + taken === 0 && !plan.match,
            });
          } else await this.addToTarget(balance, writing, expected);
        });
        reconciliation = await this.timed("reconciliation", async () =>
          reconcile(writing, staging(id), await expected.settle(client)),
        );
        await this.timed("quarantine", () => this.writeHeld(rerun, exists));
        await writing.end();
        if (plan.load.key.length > 0) await overtakeHeld(client, writing, staging(id));
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

  /**
   * Marks records in the ledger that a check between records holds, whose key was taken, or that a
   * rule of the target refuses; with `hold`, stages them for the quarantine. `late`: their problems by key.
   */
  private async writeLate(hold: boolean, rerun: Rerun, late: ReadonlyMap<string, number>): Promise<void> {
    const { client, id, compiled } = this;
    const course = new Course(compiled);
    const apart = holdingBetween(compiled);
    const others = [...late.keys()].filter((key) => ["taken", "target", "file"].includes(readCheck(key).kind));
    for await (const block of ledgerBlocks(client, id)) {
      const { rows } = await client.query<{ record: number; apart: boolean }>(
        `select record, bool_or(check_key = any($4)) as apart from sieve.late_problem
         where load = $1 and record >= $2 and record < $3
           and check_key = any($5)
         group by record order by record`,
        [id, block.firstRecord, block.firstRecord + block.outcomes.length, apart, [...apart, ...others]],
      );
      const here = rows
        .map(({ record, apart }) => ({
          r: record - block.firstRecord,
          at: apart ? ("check" as const) : ("load" as const),
        }))
        .filter(({ r }) => block.outcomes[r] === BYTE.inserted);
      if (here.length === 0) continue;
      for (const { r, at } of here) block.outcomes[r] = heldByte(at);
      await putOutcomes(client, id, block);
      if (!hold) continue;
      const sifted = await rerunBlock(client, rerun, course, block);
      const rowsHeld: HeldRow[] = here.map(({ r, at }) => ({ ...heldRow(sifted, compiled, r, at), suspect: false }));
      await this.stageHeld(JSON.stringify(rowsHeld), client);
    }
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

  /** Puts the staged table in the target's place, where that is still possible; false when it is not. */
  private async takePlace(balance: Balance, writing: Writing, expected: Expected): Promise<boolean> {
    const { client, id, compiled, successor } = this;
    if (!successor) return false;
    const now = await this.successorNow();
    if (JSON.stringify(now) !== JSON.stringify(successor)) return false;
    const { target } = compiled.plan.load;
    const { rows } = await client.query<{ n: number }>(`select count(*)::int as n from ${staging(id)}`);
    if (rows[0]!.n !== balance.outcomes.inserted) {
      throw new Error(`${rows[0]!.n} records are staged, and the ledger has ${balance.outcomes.inserted}`);
    }
    if (successor.key !== "") {
      await client.query(
        `select set_config('maintenance_work_mem', '${INDEX_MEMORY}', true)
         where pg_size_bytes(current_setting('maintenance_work_mem')) < pg_size_bytes('${INDEX_MEMORY}')`,
      );
      await client.query(`alter table ${staging(id)} add ${successor.key}`);
    }
    await client.query(
      `alter table ${staging(id)} alter column "_load" drop default, alter column ${ident(WRITING)} drop default`,
    );
    await writing.keepTable();
    await client.query(`alter table ${staging(id)} set schema ${ident(TARGET)}`);
    await client.query(`alter table ${ident(TARGET, `load ${id}`)} rename to ${ident(target)}`);
    writing.inserted += balance.outcomes.inserted;
    expected.add(`select ${expected.columns((n) => `t.${ident(n)}`)} from ${tableOf(compiled.plan)} t`);
    return true;
  }

  /** The writing that this load becomes in its closing transaction. */
  private async beginWriting(): Promise<Writing> {
    const { client, load, compiled, xids } = this;
    const about = { kind: "load", feed: load.feed, load: load.id, plan: compiled.plan, planId: load.plan } as const;
    const reason = load.letThrough ?? "";
    return await Writing.begin(client, { ...about, by: load.askedBy, reason }, { id: this.writing, xids });
  }

  /** Puts the staged records over the rows that they meet, and beside them; gives the cells that changed nothing. */
  private async upsert(
    balance: Balance,
    writing: Writing,
    expected: Expected,
    { meeting, beside }: { meeting: Meeting; beside: boolean },
  ): Promise<KeptCells[]> {
    const { id } = this;
    const have = await columnsByName(this.client, writing.table);
    expected.addUpsert(meeting, id, (n) => staged(n, have.get(n)));
    let kept: KeptCells[] = [];
    const also = async (client: Client): Promise<void> => {
      kept = await countKept(meeting, client, id);
      await expected.settle(client);
    };
    // The ledger and the staged records are as they were committed where nothing was held or merged since.
    await upsertStaged(writing, meeting, { beside: beside ? this.db : null, balance, also });
    return kept;
  }

  /** Puts the staged records beside the target's rows, or in the place of all of them. */
  private async addToTarget(balance: Balance, writing: Writing, expected: Expected): Promise<void> {
    const { client, id, compiled } = this;
    const { plan } = compiled;
    const target = tableOf(plan);
    if (plan.load.mode === "replace") {
      await writing.keepAll();
      await this.emptyTarget(target);
    }
    const key = await this.setKeyAside(target, balance.outcomes.inserted);
    await writing.insertStaged(`${staging(id)} s`, balance.outcomes.inserted);
    if (key) await client.query(`alter table ${target} add constraint ${ident(key.name)} ${key.definition}`);
    const have = await columnsByName(client, target);
    const own = (n: string): string =>
      n === "_load" ? `${id}` : n === "_record" ? `s."_record"` : staged(n, have.get(n));
    expected.add(`select ${expected.columns(own)} from ${staging(id)} s`);
  }

  /** Takes all rows out of the target, which nothing may hang on. */
  private async emptyTarget(target: string): Promise<void> {
    const tables = [...new Set((await referringKeys(this.client, target)).map((k) => k.child))];
    if (tables.length > 0) {
      throw new SieveError(
        "rows-referred-to",
        `All rows of the target would be replaced, and ${listed(tables)} may refer to them.`,
        {
          detail: "A row that others refer to can't be taken away and put back without touching theirs.",
          hint: "Let the plan upsert by its key instead of replacing all rows.",
        },
      );
    }
    await this.client.query(`truncate ${target}`);
  }

  private async meeting(files: readonly FileFacts[]): Promise<Meeting> {
    const { id, client, compiled, leaves } = this;
    const absent = await absentFields(client, id, files);
    return { plan: compiled.plan, staging: staging(id), met: stagingMet(id), absent, leaves };
  }

  /**
   * Where more records come than are there, making the key's index anew is twice as fast as adding
   * to it record by record. Readers see none of it: it is all in the closing transaction.
   */
  private async setKeyAside(target: string, incoming: number): Promise<{ name: string; definition: string } | null> {
    const { client } = this;
    if (this.compiled.plan.load.schema !== undefined) return null;
    const { rows: there } = await client.query<{ n: number }>(
      `select count(*)::int as n from (select from ${target} limit $1) t`,
      [incoming],
    );
    if (incoming < 10_000 || there[0]!.n >= incoming) return null;
    const { rows } = await client.query<{ name: string; definition: string }>(
      `select conname as name, pg_get_constraintdef(oid) as definition from pg_constraint c
       where conrelid = to_regclass($1) and contype = 'p'
         and not exists (select from pg_constraint f where f.confrelid = c.conrelid and f.contype = 'f')`,
      [target],
    );
    const key = rows[0];
    if (!key) return null;
    await client.query(`alter table ${target} drop constraint ${ident(key.name)}`);
    return key;
  }

  /** Moves held records from staging into the quarantine, with the problems that were found late. */
  private async writeHeld(rerun: Rerun, targetExists: boolean): Promise<void> {
    const { client, id, load } = this;
    const held = stagingHeld(id);
    await client.query(`create temp table late_words (record integer, problems jsonb) on commit drop`);
    // The words of late problems need the values; only records that have such problems are touched.
    await client.query(
      `declare late_held no scroll cursor for select h.record, h.field_values as "values" from ${held} h
       where exists (select from sieve.late_problem l where l.load = ${id} and l.record = h.record) order by h.record`,
    );
    for (;;) {
      const { rows } = await client.query<{ record: number; values: string[] }>("fetch 5000 from late_held");
      if (rows.length === 0) break;
      const words: { record: number; problems: unknown[] }[] = [];
      const found = await lateProblems(client, id, rows[0]!.record, rows.at(-1)!.record + 1);
      const values = new Map(rows.map((r) => [r.record, r.values]));
      for (const l of found) {
        const own = values.get(l.record);
        if (!own) continue;
        const problem = lateProblem(
          rerun,
          l,
          fieldsOf(rerun, l.check).map((f) => own[f]!),
          (name) => own[rerun.compiled.fields.findIndex((f) => f.name === name)] ?? null,
        );
        const last = words.at(-1);
        if (last?.record === l.record) last.problems.push(problem);
        else words.push({ record: l.record, problems: [problem] });
      }
      await client.query(
        "insert into late_words select record, problems from jsonb_to_recordset($1::jsonb) as x (record integer, problems jsonb)",
        [JSON.stringify(words)],
      );
    }
    await client.query("close late_held");
    await client.query(
      `insert into sieve.held (load, record, feed, at, file, line, byte_start, byte_end, raw, cells, field_values, problems, checks, found)
       select $1, h.record, $2, h.at, h.file, h.line, h.byte_start, h.byte_end, decode(h.raw, 'base64'), h.cells,
         h.field_values, h.problems, h.checks, ${targetExists ? this.foundSql() : "null"}
       from (select h.record, h.at, h.file, h.line, h.byte_start, h.byte_end, h.raw, h.cells, h.field_values, p.problems,
           array(select distinct x->>'check' from jsonb_array_elements(p.problems) x) as checks, null::jsonb as mended
         from ${held} h left join late_words w on w.record = h.record
           cross join lateral (select h.problems || coalesce(w.problems, '[]') as problems) p) h`,
      [id, load.feed],
    );
  }

  /** The version of the target's row that a held record `h` meets by its key, where its key can be told. */
  private foundSql(): string {
    const { plan, fields } = this.compiled;
    const meets = plan.load.mode === "upsert" ? heldMeetsRow(plan, fields) : null;
    return meets === null ? "null" : `(select t.xmin::text from ${tableOf(plan)} t where ${meets} limit 1)`;
  }
}
