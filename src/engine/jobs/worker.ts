import { fileURLToPath } from "node:url";
import { EventEmitter } from "node:events";
import { Logger, run, type Runner, type RunnerOptions, type Task } from "graphile-worker";
import { setFlagsFromString } from "node:v8";
import { SieveError, errorLines } from "@/core/kernel/problem.ts";
import { inWords, openDb, type Client, type Db } from "@/store/db.ts";
import { cronSetting, numberSetting, settingsOrEnd } from "@/store/environment.ts";
import { makeLog } from "@/store/log.ts";
import { getLoad } from "@/store/loads.ts";
import { WORKER_LOCK, LOAD_LOCK } from "@/store/locks.ts";
import { dropQueued } from "@/store/queue.ts";
import { MOST_DEATHS, abandonLoad, deathWords } from "../load/abandon.ts";
import { recoverAll } from "../copies/recover.ts";
import { runLoad } from "../load/run-load.ts";
import { apart, profileLimits } from "../apart/apart.ts";
import { endProfile } from "@/store/profiles.ts";
import { enqueueForgotten } from "@/store/after.ts";
import { runAfter } from "../after/run-after.ts";
import { outSettings } from "../out/out-settings.ts";
import { runRetention } from "./expire.ts";
import { lookAtSources, sourceSettings } from "../sources/sources.ts";

/** After this many tries a load that fails for no fault of its own is given up. */
const MOST_ATTEMPTS = 5;
const SWEEP_MS = 3000;
/** How often it is asked which sources are to be looked at. */
const LOOK_MS = 2000;
/** Loads after which something is done at a time. */
const AFTER_AT_ONCE = 2;
/** How often what was to be done after a load, and stands in no queue, is put there. */
const FORGOTTEN_MS = 30_000;
/** How often what others have prepared of writings whose process has died is ended there. */
const RECOVER_MS = 60_000;

// Left to itself the engine lets garbage lie until it is twice what is in use, so that a long load looks
// larger than a short one. Holds for the threads too, which are made later.
setFlagsFromString("--heap-growing-percent=25");
// Garbage is collected by the thread that made it. Helpers would take the processors from the database
// and from other loads, and a tenth of the whole time with them.
for (const helper of [
  "concurrent-marking",
  "concurrent-sweeping",
  "concurrent-array-buffer-sweeping",
  "parallel-scavenge",
  "parallel-compaction",
  "parallel-pointer-update",
]) {
  setFlagsFromString(`--no-${helper}`);
}

const log = makeLog("worker", "info");
/** Loads and profiles at a time; when what has expired is taken away. */
const { loads, nightly } = settingsOrEnd(() => {
  profileLimits();
  return {
    loads: numberSetting(process.env, "WORKER_LOADS", 2),
    nightly: cronSetting(process.env, "SIEVE_NIGHTLY", "03:00"),
  };
});
const after = outSettings(process.env);
const thread = new URL("./course-thread.js", import.meta.url);
// Wherever the worker is started from, its other programs lie beside it.
process.env["SIEVE_APART"] ??= fileURLToPath(new URL("./apart.js", import.meta.url));
const pairsThread = new URL("./pairs-thread.js", import.meta.url);

/**
 * Works on the queue until the connection to the store is lost or `signal` says to end. Loads of
 * workers that died are freed within seconds: each worker holds an advisory lock as long as it lives.
 */
async function serve(db: Db, signal: AbortSignal): Promise<void> {
  const own = await db.connect();
  const lost = new Promise<never>((_, reject) => own.on("error", reject));
  lost.catch(() => {});
  const ending = new AbortController();
  const runners: Runner[] = [];
  const timers: NodeJS.Timeout[] = [];
  try {
    const id = await signIn(own);
    const { registered, common } = poolsOf(db, id);
    // In places of its own, so that a receiver that is slow to answer keeps no load waiting.
    runners.push(await run({ ...common, concurrency: AFTER_AT_ONCE, taskList: { after: afterTask(db) } }));
    runners.push(
      await run({
        ...common,
        concurrency: loads,
        ...(nightly === null ? {} : { crontab: `${nightly} retention ?fill=1d` }),
        taskList: {
          profile: profileTask(db, ending.signal),
          retention: retentionTask(db, ending.signal),
          load: loadTask(db, ending.signal),
        },
      }),
    );
    await Promise.all(registered);
    log.info({ worker: id }, "worker is ready");
    process.send?.("ready");
    timers.push(
      setInterval(
        () =>
          void freeDead(own)
            .then(() => freeLost(own))
            .catch(() => {}),
        SWEEP_MS,
      ),
      setInterval(() => void enqueueForgotten(db).catch(() => {}), FORGOTTEN_MS),
      setInterval(() => void recoverAll(db).catch(() => {}), RECOVER_MS),
      setInterval(lookingAtSources(db), LOOK_MS),
    );
    await Promise.race([lost, ...runners.map((r) => r.promise), aborted(signal, ending.signal)]);
  } finally {
    timers.forEach(clearInterval);
    ending.abort();
    const stopped = Promise.all(runners.map((r) => r.stop().catch(() => {})));
    await Promise.race([stopped, new Promise((resolve) => setTimeout(resolve, 5000).unref())]);
    own.release(true);
  }
}

/** Puts the worker down, with the lock that says that it lives, and frees what dead ones had. */
async function signIn(own: Client): Promise<number> {
  const { rows } = await own.query<{ id: number }>("insert into sieve.worker (process) values ($1) returning id", [
    process.pid,
  ]);
  const { id } = rows[0]!;
  await own.query("select pg_advisory_lock($1, $2)", [WORKER_LOCK, id]);
  await freeDead(own);
  return id;
}

/** What all runners are made with; and when the names of their pools, by which jobs are locked, stand with the worker. */
function poolsOf(db: Db, id: number): { registered: Promise<unknown>[]; common: RunnerOptions } {
  const events = new EventEmitter();
  const registered: Promise<unknown>[] = [];
  events.on("pool:create", ({ workerPool }: { workerPool: { id: string } }) => {
    registered.push(
      db.query("update sieve.worker set queue_ids = queue_ids || $2::text where id = $1", [id, workerPool.id]),
    );
  });
  const common = {
    pgPool: db,
    pollInterval: 1000,
    noHandleSignals: true,
    events: events as never,
    // The queue's own lines repeat what is logged here.
    logger: new Logger(() => () => {}),
  };
  return { registered, common };
}

function afterTask(db: Db): Task {
  return async (payload) => {
    const { load } = payload as { load: number };
    log.info({ load }, "what is done after it begins");
    await runAfter(db, load, after);
  };
}

function profileTask(db: Db, signal: AbortSignal): Task {
  return async (payload) => {
    const { profile, ...about } = payload as { profile: number; request?: string };
    const line = log.child({ profile, ...about });
    line.info("profile begins");
    try {
      await apart("profile", { profile }, { ...profileLimits(), signal });
    } catch (error) {
      // At the worker's own end it is left to the next one.
      if (!(error instanceof SieveError) || error.code === "given-up") throw error;
      await endProfile(db, profile, { failed: error });
    }
    line.info("profile ended");
  };
}

function retentionTask(db: Db, signal: AbortSignal): Task {
  return async (payload) => {
    // The nightly one has no name of a person in it.
    const { by } = payload as { by?: string };
    const took = await runRetention(db, by ?? "nightly", signal);
    log.info({ took }, took ? "took away what had expired" : "another takes away what has expired");
  };
}

function loadTask(db: Db, signal: AbortSignal): Task {
  return async (payload, helpers) => {
    const { load, ...about } = payload as { load: number; feed?: string; request?: string };
    const line = log.child({ load, ...about });
    const started = Date.now();
    line.info({ attempt: helpers.job.attempts }, "load begins");
    try {
      await runLoad(db, load, { thread, pairsThread, signal });
      line.info({ ms: Date.now() - started, state: (await getLoad(db, load)).state }, "load ended");
    } catch (error) {
      line.warn({ error: errorLines(error) }, "load broke off");
      if (helpers.job.attempts < MOST_ATTEMPTS) throw error;
      await abandonLoad(db, load, "failed", inWords(error));
    }
  };
}

/** Looks at the sources, unless it still does. */
function lookingAtSources(db: Db): () => void {
  const settings = sourceSettings(process.env);
  let looking = false;
  return () => {
    if (looking) return;
    looking = true;
    lookAtSources(db, settings)
      .catch((error: unknown) => log.warn({ error: errorLines(error) }, "a source could not be looked at"))
      .finally(() => {
        looking = false;
      });
  };
}

/** When the signal aborts; `over` takes the listener away where that is no longer waited for. */
function aborted(signal: AbortSignal, over: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    if (signal.aborted) resolve();
    signal.addEventListener("abort", () => resolve(), { signal: over });
  });
}

/** Frees the jobs of workers whose lock nobody holds any more. */
async function freeDead(own: Client): Promise<void> {
  const { rows: dead } = await own.query<{ id: number }>(
    `delete from sieve.worker w where not exists (select from pg_locks l
       where l.locktype = 'advisory' and l.database = (select oid from pg_database where datname = current_database())
         and l.classid = $1 and l.objid = w.id and l.granted) and started_at < now() - interval '1 second' returning id`,
    [WORKER_LOCK],
  );
  if (dead.length > 0) log.info({ workers: dead.map((d) => d.id) }, "found dead workers");
  // A moment of grace, for a pool that has taken its first job and is not yet written down.
  const { rows } = await own.query<{ pool: string }>(
    `select distinct locked_by as pool from graphile_worker.jobs where locked_at < now() - interval '2 seconds'
       and locked_by not in (select unnest(queue_ids) from sieve.worker)`,
  );
  if (rows.length === 0) return;
  const pools = rows.map((r) => r.pool);
  const { rows: loads } = await own.query<{ id: number; deaths: number }>(
    `update sieve.load l set deaths = deaths + 1 from graphile_worker.jobs j
     where j.locked_by = any($1) and j.key = 'load ' || l.id and l.state = 'running'
       -- A worker that lost a server which went down has not been ended by its load.
       and j.locked_at > pg_postmaster_start_time() returning l.id, l.deaths`,
    [pools],
  );
  await own.query("select graphile_worker.force_unlock_workers($1::text[])", [pools]);
  log.info({ pools }, "freed what dead workers had taken");
  for (const { id, deaths } of loads) {
    if (deaths < MOST_DEATHS) continue;
    await dropQueued(own, id);
    await abandonLoad(own, id, "failed", deathWords(await getLoad(own, id)));
    log.warn({ load: id, deaths }, "gave up a load that ends its worker");
  }
}

/** Ends loads that nothing will ever run: their job is gone, or was tried as often as it may be. */
async function freeLost(own: Client): Promise<void> {
  const { rows } = await own.query<{ id: number }>(
    `select l.id from sieve.load l where l.state in ('queued', 'running') and l.asked_at < now() - interval '10 seconds'
       and not exists (select from graphile_worker.jobs j where j.key = 'load ' || l.id and (j.attempts < j.max_attempts or j.locked_at is not null))
       and not exists (select from pg_locks k where k.locktype = 'advisory' and k.classid = $1 and k.objid = l.id
         and k.database = (select oid from pg_database where datname = current_database()))`,
    [LOAD_LOCK],
  );
  for (const { id } of rows) {
    await dropQueued(own, id);
    const words = "The load has lost its place in the queue.";
    const hint = "Nothing was written to the target. Load it again; the worker's log says what was tried.";
    await abandonLoad(own, id, "failed", new SieveError("load-failed", words, { hint }));
    log.warn({ load: id }, "ended a load that had no job any more");
  }
}

async function main(): Promise<void> {
  const stop = new AbortController();
  for (const signal of ["SIGINT", "SIGTERM"] as const) process.on(signal, () => stop.abort());
  // The queue goes on trying to tell a store that was lost what became of its jobs. What becomes of
  // them is decided by whoever frees them, so this is no reason to end.
  process.on("unhandledRejection", (error) =>
    log.warn({ error: errorLines(error) }, "left over from a lost connection"),
  );
  // A worker with a parent ends with it, even when the parent is killed.
  if (process.channel) process.on("disconnect", () => process.exit(0));
  while (!stop.signal.aborted) {
    const db = openDb(undefined, 12);
    try {
      await serve(db, stop.signal);
    } catch (error) {
      log.warn({ error: errorLines(error) }, "the store was lost; trying again");
      await new Promise((resolve) => setTimeout(resolve, 1000));
    } finally {
      await Promise.race([db.end().catch(() => {}), new Promise((resolve) => setTimeout(resolve, 2000).unref())]);
    }
  }
  process.exit(0);
}

try {
  await main();
} catch (error) {
  process.stderr.write(`${errorLines(error)}\n`);
  process.exit(3);
}
