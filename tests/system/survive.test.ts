import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import type { ChildProcess } from "node:child_process";
import { type Load, getLoad } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { cancelLoad } from "@/engine/load/abandon.ts";
import { isStoreAway, openDb, type Db } from "@/store/db.ts";
import { readiness } from "@/store/ready.ts";
import { startCluster } from "../../scripts/lib/cluster.mjs";
import { freePort } from "../../scripts/lib/machine.mjs";
import { deliver, newFeed, newSystem, waitFor, type System } from "../support/system.ts";

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "t", type: "text", length: 12 },
];
const RECORDS = 30_000;
const BYTES = new TextEncoder().encode(
  `id,t\n${Array.from({ length: RECORDS }, (_, i) => (i % 100 === 7 ? "x,bad" : i % 500 === 3 ? `${i - 1},again` : `${i},value ${i}`)).join("\n")}\n`,
);
const CLEAN = {
  state: "loaded",
  read: RECORDS,
  inserted: RECORDS - RECORDS / 100 - RECORDS / 500,
  held: RECORDS / 100 + RECORDS / 500,
};

async function expectClean(db: Db, load: Load, table: string): Promise<void> {
  expect(load).toMatchObject(CLEAN);
  const { rows } = await db.query<{ n: number; ids: number }>(
    `select count(*)::int as n, count(distinct id)::int as ids from target.${table}`,
  );
  expect(rows).toEqual([{ n: CLEAN.inserted, ids: CLEAN.inserted }]);
  const held = await db.query<{ n: number }>("select count(*)::int as n from sieve.held where load = $1", [load.id]);
  expect(held.rows).toEqual([{ n: CLEAN.held }]);
  expect((await db.query("select 1 from pg_tables where schemaname = 'staging'")).rows).toEqual([]);
}

describe("a worker that is killed", () => {
  let system: System;
  let worker: ChildProcess;
  beforeEach(async () => {
    system = await newSystem();
    await newFeed(system.db, "kill", FIELDS, { key: ["id"] });
    worker = await system.startWorker();
  });
  afterEach(async () => await system.end());

  /** Kills the worker at a moment, lets another run the load again, and compares with a clean run. */
  async function killAndGoOn(moment: (db: Db, id: number) => Promise<() => Promise<void>>): Promise<void> {
    const { db } = system;
    const id = await askForLoad(db, await deliver(db, "kill", BYTES));
    const after = await moment(db, id);
    const gone = new Promise((resolve) => worker.once("exit", resolve));
    worker.kill("SIGKILL");
    await gone;
    await after();
    const { rows } = await db.query<{ t: string | null }>("select to_regclass('target.kill')::text as t");
    expect(rows[0]!.t).toBeNull();
    await system.startWorker();
    const load = await waitFor(db, id);
    expect(load.attempts).toBe(2);
    await expectClean(db, load, "kill");
  }

  it("while reading: the load is run again and comes to the same", async () => {
    await killAndGoOn(async (db, id) => {
      await waitFor(db, id, (l) => l.stage === "reading");
      return async () => {};
    });
  });

  it("while staging: nothing is there twice", async () => {
    await killAndGoOn(async (db, id) => {
      await waitFor(db, id, (l) => l.recordsSoFar > 0);
      return async () => {};
    });
  });

  it("just before the closing transaction ends: nothing of it is there", async () => {
    await killAndGoOn(async (db, id) => {
      // The quarantine is written last: a lock on it holds the closing transaction back there.
      const blocker = await db.connect();
      await blocker.query("begin");
      await waitFor(db, id, (l) => l.recordsSoFar > 0);
      await blocker.query("lock table sieve.held in exclusive mode");
      for (;;) {
        const { rows } = await db.query(
          "select 1 from pg_locks where relation = 'sieve.held'::regclass and not granted",
        );
        if (rows.length > 0) break;
        await new Promise((resolve) => setTimeout(resolve, 30));
      }
      return async () => {
        await blocker.query("rollback");
        blocker.release();
      };
    });
  });
});

describe("a load that can't be done", () => {
  let system: System;
  let worker: ChildProcess;
  const kill = async (): Promise<void> => {
    const gone = new Promise((resolve) => worker.once("exit", resolve));
    worker.kill("SIGKILL");
    await gone;
  };
  beforeEach(async () => {
    system = await newSystem();
    await newFeed(system.db, "kill", FIELDS, { key: ["id"] });
    worker = await system.startWorker();
  });
  afterEach(async () => await system.end());

  it("fails in words after it has ended the worker three times; nothing of it stays, and its bytes may come again", async () => {
    const { db } = system;
    const id = await askForLoad(db, await deliver(db, "kill", BYTES));
    for (let times = 1; times <= 3; times++) {
      await waitFor(db, id, (l) => l.attempts === times && l.recordsSoFar > 0);
      await kill();
      worker = await system.startWorker();
    }
    const load = await waitFor(db, id);
    expect(load).toMatchObject({ state: "failed", deaths: 3, writing: expect.any(Number) });
    expect(load.error!.message).toMatch(
      /^The load ended the worker three times while reading, last with 0\.\d GB in use\.$/,
    );
    expect((await db.query("select from pg_tables where schemaname in ('staging', 'undo', 'target')")).rows).toEqual(
      [],
    );
    const again = await waitFor(db, await askForLoad(db, await deliver(db, "kill", BYTES)));
    await expectClean(db, again, "kill");
  });

  it("is cancelled when no worker runs it any more, and when it is in the midst of its closing transaction", async () => {
    const { db } = system;
    const one = await askForLoad(db, await deliver(db, "kill", BYTES));
    await waitFor(db, one, (l) => l.recordsSoFar > 0);
    await kill();
    for (let free = false; !free; await new Promise((resolve) => setTimeout(resolve, 30))) {
      const { rows } = await db.query("select from pg_locks where locktype = 'advisory' and classid = 7301");
      free = rows.length === 0;
    }
    await cancelLoad(db, one);
    expect((await getLoad(db, one)).state).toBe("cancelled");
    expect((await db.query("select from pg_tables where schemaname = 'staging'")).rows).toEqual([]);
    await expect(cancelLoad(db, one)).rejects.toMatchObject({ code: "wrong-state" });
    await system.startWorker();
    // Asked at whatever moment: in the midst of a statement, or between two.
    for (const after of [0, 300, 900]) {
      const id = await askForLoad(db, await deliver(db, "kill", BYTES));
      const blocker = await db.connect();
      try {
        await blocker.query("begin");
        await waitFor(db, id, (l) => l.recordsSoFar > 0);
        await blocker.query("lock table sieve.held in exclusive mode");
        await waitFor(db, id, (l) => l.stage === "closing");
        await new Promise((resolve) => setTimeout(resolve, after));
        await cancelLoad(db, id);
        expect((await waitFor(db, id)).state).toBe("cancelled");
      } finally {
        blocker.release(true);
      }
      expect((await db.query("select from pg_tables where schemaname in ('staging', 'target')")).rows).toEqual([]);
    }
  });
});

describe("a database that has no room left", () => {
  let system: System;
  beforeEach(async () => {
    system = await newSystem();
    await newFeed(system.db, "room", FIELDS, { key: ["id"] });
    await system.startWorker();
  });
  afterEach(async () => await system.end());

  /** From now on the database says that its disk is full where it writes the ledger, as it does when it is. */
  async function fill(): Promise<void> {
    await system.admin.query(
      `create function public.full_disk() returns trigger language plpgsql as $$ begin
         raise exception using errcode = '53100', message = 'could not extend file "base/1/2": No space left on device'; end $$;
       create trigger full_disk before insert on sieve.ledger_block for each row execute function public.full_disk()`,
    );
  }

  it("has a load tried again, which goes on where room was made meanwhile", async () => {
    const { db, admin } = system;
    await fill();
    const id = await askForLoad(db, await deliver(db, "room", BYTES));
    await waitFor(db, id, (l) => l.attempts >= 2);
    await admin.query("drop trigger full_disk on sieve.ledger_block");
    await expectClean(db, await waitFor(db, id), "room");
  });

  it("fails a load in words where none is made; nothing of it stays, and its bytes may come again", async () => {
    const { db, admin } = system;
    await fill();
    const id = await askForLoad(db, await deliver(db, "room", "id,t\n1,a\n"));
    // Each try waits longer than the one before; here none of them does.
    const hurry = setInterval(
      () => void admin.query("update graphile_worker._private_jobs set run_at = now()").catch(() => {}),
      100,
    );
    const load = await waitFor(db, id).finally(() => clearInterval(hurry));
    expect(load).toMatchObject({ state: "failed", attempts: 5 });
    expect(load.error).toMatchObject({ message: "The database has no room left on its disk." });
    expect(load.error!.detail).toContain("No space left on device");
    expect((await db.query("select from pg_tables where schemaname in ('staging', 'undo', 'target')")).rows).toEqual(
      [],
    );
    await admin.query("drop trigger full_disk on sieve.ledger_block");
    expect(await waitFor(db, await askForLoad(db, load.delivery))).toMatchObject({ state: "loaded", inserted: 1 });
  });
});

describe("a database server", () => {
  let cluster: Awaited<ReturnType<typeof startCluster>>;
  let system: System;
  beforeAll(async () => {
    // Of its own, as others would have no connections either.
    const settings = { fsync: "off", max_connections: "60" };
    cluster = await startCluster("test-restart", await freePort(), { settings, quiet: true });
  });
  beforeEach(async () => {
    system = await newSystem(cluster);
  });
  afterEach(async () => await system.end());
  afterAll(async () => await cluster.stop());

  it("without a connection left has who asks told that the store is away, and goes on when there are some again", async () => {
    const { db, url } = system;
    await newFeed(db, "full", FIELDS, { key: ["id"] });
    await system.startWorker();
    const id = await askForLoad(db, await deliver(db, "full", BYTES));
    const all: Db[] = [];
    for (;;) {
      const one = openDb(url, 1);
      all.push(one);
      const full = await one.query("select 1").then(
        () => null,
        (e: unknown) => e,
      );
      if (full === null) continue;
      expect(isStoreAway(full)).toBe(true);
      expect(await readiness(one)).toMatchObject({ ready: false, store: "away" });
      break;
    }
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await Promise.all(all.map((d) => d.end()));
    await expectClean(db, await waitFor(db, id), "full");
  });

  it("that is restarted under a running load ends up with the same counts as a clean run", async () => {
    await newFeed(system.db, "again", FIELDS, { key: ["id"] });
    await system.startWorker();
    const id = await askForLoad(system.db, await deliver(system.db, "again", BYTES));
    const db = openDb(system.url, 4);
    // As often as a load may end its worker, which it has not done here.
    for (let times = 1; times <= 3; times++) {
      await waitFor(db, id, (l) => l.attempts === times && l.recordsSoFar > 0);
      await cluster.restart();
    }
    const load = await waitFor(db, id);
    expect(load.deaths).toBe(0);
    await expectClean(db, load, "again");
    await db.end();
  });
});
