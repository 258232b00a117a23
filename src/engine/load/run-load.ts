import { compilePlan } from "@/core/course/compile.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import type { Plan } from "@/core/plan/document.ts";
import { hasFilters } from "@/core/plan/further.ts";
import { ident, inWords, type Client, type Db } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { getPlan } from "@/store/feeds.ts";
import { getLoad, inputsOf, type Load } from "@/store/loads.ts";
import { LOAD_LOCK } from "@/store/locks.ts";
import { referencesOfLoad } from "@/store/references.ts";
import { nextWriting, transactionNumber } from "@/store/writings.ts";
import { apart, profileLimits } from "../apart/apart.ts";
import { beginCopies } from "../copies/outlook.ts";
import { askListsOf } from "../look/ask-list.ts";
import { INTO } from "../writing/further-rows.ts";
import { LEAVE, needsLeave } from "../writing/meet.ts";
import { stagedColumns } from "../writing/target.ts";
import { successorOf, type Successor } from "../writing/successor.ts";
import { needTargets } from "../writing/alterations.ts";
import { abandonLoad, dropLeft } from "./abandon.ts";
import { Cancelled, Clock, copyStatement, type Attempted } from "./attempted.ts";
import { Closing, type ReadThrough } from "./closing.ts";
import { makeStagedHeld, stageHeld } from "./quarantine.ts";
import { Reading } from "./reading.ts";
import { staging } from "./staging.ts";

/** Faults that may be gone when the load is tried again: room is made, another database is back. */
const PASSING: ReadonlySet<string> = new Set(["no-room", "copy-away", "list-away"]);

/** How often it is asked whether somebody wants the load to end. */
const HEED_MS = 500;
/** How often at most it is told how far a load is. */
const TELL_MS = 250;

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
      else if (error instanceof SieveError && !PASSING.has(error.code)) await abandonLoad(db, id, "failed", error);
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

/** One attempt at a load, from its inputs to its end. */
class LoadRun {
  private records = 0;
  private bytes = 0;
  private stage = "reading";
  private told = 0;
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
  ) {}

  async run(): Promise<void> {
    const attempted = await this.begin();
    const done = await attempted.clock.timed("reading to checking", () => this.stageRecords(attempted));
    await this.tell("closing");
    const tell = (stage?: string): Promise<void> => this.tell(stage);
    await new Closing(attempted, done, { pairsThread: this.options.pairsThread, tell }).close();
  }

  /** Begins anew: what an earlier attempt left goes, the inputs are looked up, and staging is made. */
  private async begin(): Promise<Attempted> {
    const { db, client, load } = this;
    const { id } = load;
    // What an earlier attempt left: it reached no further than this.
    await dropLeft(client, id);
    const writing = load.kind === "trial" ? 0 : (load.writing ?? (await nextWriting(client)));
    const { rows: begun } = await client.query<{ attempts: number }>(
      `update sieve.load set state = 'running', attempts = attempts + 1, started_at = clock_timestamp(), error = null,
         records_so_far = 0, bytes_so_far = 0, stage = 'reading', writing = nullif($2, 0) where id = $1 returning attempts`,
      [id, writing],
    );
    const { rows } = await client.query<{ pid: number }>("select pg_backend_pid() as pid");
    this.process = rows[0]!.pid;
    await client.query("delete from sieve.ledger_block where load = $1", [id]);
    await client.query("delete from sieve.late_problem where load = $1", [id]);
    await client.query("delete from sieve.held where load = $1", [id]);

    const { document } = await getPlan(client, load.plan);
    const delivery = await getDelivery(client, load.delivery);
    await askListsOf(db, document, id);
    const references = new Map([
      ...(await referencesOfLoad(client, id, document, true)),
      ...(await this.deliveryLists(document)),
    ]);
    const compiled = compilePlan(document, references, inputsOf(load));
    await needTargets(client, compiled.plan);
    if (load.kind === "load") await beginCopies(client, compiled.plan);
    const successor =
      load.kind === "trial" ? null : await successorOf(client, compiled.plan, { load: id, writing }, staging(id));
    const leaves = successor === null && needsLeave(compiled.plan);
    await makeStaging(client, id, { plan: compiled.plan, successor, leaves });
    await makeStagedHeld(client, id);
    const attempt = { load: id, attempt: begun[0]!.attempts };
    const clock = new Clock(() => this.cancelled);
    const own = { db, client, id, load, attempt, clock, xids: [] };
    return { ...own, compiled, references, delivery, writing, successor, leaves };
  }

  /** Breaks off what the load is doing when somebody has asked it to end, also in the midst of a long statement. */
  async heed(): Promise<void> {
    const { rows } = await this.db.query<{ asked: boolean }>(
      "select cancel_asked as asked from sieve.load where id = $1",
      [this.load.id],
    );
    if (!rows[0]?.asked) return;
    this.cancelled = true;
    if (this.breakOff) this.breakOff(new Cancelled());
    // Between two statements there is none to break off: the next time breaks off the next one.
    else if (this.process) await this.db.query("select pg_cancel_backend($1)", [this.process]);
  }

  /** Reads the delivery through the course into the staging tables. */
  private async stageRecords(of: Attempted): Promise<ReadThrough> {
    const { db, client, attempt, compiled, delivery } = of;
    // Packed files are larger than they look.
    const expected = Math.max(50_001, delivery.files.reduce((n, f) => n + f.bytes, 0) / 40);
    await client.query("begin");
    of.xids.push(await transactionNumber(client));
    const reading = new Reading({
      db,
      client,
      attempt,
      files: delivery.files,
      start: {
        plan: compiled.plan,
        references: [...of.references.values()],
        inputs: inputsOf(this.load),
        leave: of.leaves,
        expected,
      },
      copy: copyStatement(of),
      thread: this.options.thread,
      signal: this.options.signal,
      hold: (rows) => stageHeld(db, attempt, rows),
      progress: async (records, bytesRead) => {
        this.records += records;
        this.bytes = bytesRead;
        await this.tell();
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

  /** Tells how far the load is, a few times a second and at each new stage, and ends it when somebody has asked for that. */
  private async tell(stage?: string): Promise<void> {
    if (stage === undefined && Date.now() - this.told < TELL_MS) return;
    this.stage = stage ?? this.stage;
    this.told = Date.now();
    const { rows } = await this.db.query<{ cancel_asked: boolean }>(
      `update sieve.load set stage = $2, records_so_far = $3, bytes_so_far = $4, memory_so_far = $5
       where id = $1 returning cancel_asked`,
      [this.load.id, this.stage, this.records, this.bytes, process.memoryUsage.rss()],
    );
    if (rows[0]?.cancel_asked) throw new Cancelled();
  }

  /** Lists that are files of the delivery: foreign bytes, which are read where that can be ended. */
  private async deliveryLists(plan: Plan): Promise<Iterable<readonly [string, Reference]>> {
    if (!plan.lookup?.some((l) => l.file !== undefined)) return [];
    const ending = new AbortController();
    const end = (): void => ending.abort();
    this.options.signal?.addEventListener("abort", end);
    this.breakOff = end;
    const input = { delivery: this.load.delivery, plan: this.load.plan };
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
}

/** Makes the table in which a load's records stand until it closes. */
async function makeStaging(
  client: Client,
  id: number,
  { plan, successor, leaves }: { plan: Plan; successor: Successor | null; leaves: boolean },
): Promise<void> {
  if (successor) {
    for (const statement of successor.make) await client.query(statement);
    return;
  }
  const columns = [
    ...stagedColumns(plan),
    ...(leaves ? [{ name: LEAVE, type: "integer[]" }] : []),
    ...(hasFilters(plan) ? [{ name: INTO, type: "integer[]" }] : []),
  ];
  const list = columns.map((c) => `${ident(c.name)} ${c.type}`).join(", ");
  await client.query(`create unlogged table ${staging(id)} (_record integer not null, ${list})`);
}
