import { beforeAll, describe, expect, it } from "vitest";
import { connectFar, endFar, farFault } from "@/engine/copies/far.ts";
import { CopySession } from "@/engine/copies/session.ts";
import { compareCopies } from "@/engine/copies/compare.ts";
import { recoverAll } from "@/engine/copies/recover.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad, undoLocked, undoWriting } from "@/engine/undo/undo.ts";
import { Writing } from "@/engine/writing/writing.ts";
import { nextWriting } from "@/store/writings.ts";
import { commitAll, companionOf, rollbackAll, type Companion } from "@/store/db.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { afterOf } from "@/store/after.ts";
import { askForTrial } from "@/store/load-requests.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { copiedOfLoad } from "@/store/target-copies.ts";
import { useFar, type FarName } from "../support/far.ts";
import { sieve } from "../support/shell.ts";
import { deliver, loadNow, newFeed, useSystem, waitFor } from "../support/system.ts";

/** Copies of targets in other databases, which every writing keeps in step. */

const far = useFar();
const system = useSystem();
beforeAll(() => far.connect(system.db));

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "site", type: "text", length: 20 },
  { name: "seeds", type: "integer", least: 0 },
  { name: "day", type: "date" },
];
const HEAD = "id,site,seeds,day\n";

async function feed(name: string, load: object): Promise<void> {
  await newFeed(system.db, name, FIELDS, { key: ["id"], mode: "upsert", ...load }, { gates: [] });
}
async function change(name: string, load: object): Promise<void> {
  const { document } = await planInForce(system.db, name);
  await savePlan(system.db, name, { ...document, load: { ...document.load, ...load } }, "changed", "test");
}
async function load(name: string, ...lines: string[]): Promise<Load> {
  return await settled(await loadNow(system.db, name, HEAD + lines.map((l) => `${l}\n`).join("")));
}
/** The store commits first: the other databases a moment later. */
async function settled(load: Load): Promise<Load> {
  while ((await copiedOfLoad(system.db, load.id)).some((c) => !c.settled)) await new Promise((r) => setTimeout(r, 10));
  return load;
}

/** Rows of a copy, or of a target, a text for each. */
async function there(connection: FarName, table: string, columns = "id, site, seeds, day"): Promise<string[]> {
  const { rows } = await far
    .db(connection)
    .query<{ r: string }>(`select concat_ws(' ', ${columns}) as r from ${table} order by 1`);
  return rows.map((r) => r.r);
}
async function here(table: string): Promise<string[]> {
  const { rows } = await system.db.query<{ r: string }>(
    `select concat_ws(' ', id, site, seeds, day) as r from target.${table} order by 1`,
  );
  return rows.map((r) => r.r);
}
/** That nothing of ours is left there beside the copies. */
async function nothingLeft(connection: FarName): Promise<void> {
  const { rows } = await far
    .db(connection)
    .query(
      `select relname from pg_class where relname like 'good sieve %' union all select gid from pg_prepared_xacts where database = current_database()`,
    );
  expect(rows).toEqual([]);
}

describe.each(["prepares", "commits"] as const)("a copy on a server that %s", (connection) => {
  const how = connection === "prepares" ? "two phases" : "in order";
  const name = (n: string): string => `${n}_${connection}`;

  it("is made, changed by loads, releases and undos, and never by a trial", async () => {
    const { db } = system;
    const own = name("seeds");
    await feed(own, { copies: [{ connection }] });
    const delivery = await deliver(db, own, `${HEAD}1,Fen,5,2026-01-01\n`);
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, own)).id));
    const known = { target: `target.${own}`, connection, table: `public.${own}` };
    expect(trial.report!.copyOutlook).toEqual([{ ...known, how, exists: false, hindrance: "" }]);
    expect(trial.report!.copies).toBeUndefined();
    await expect(there(connection, own)).rejects.toThrow("does not exist");

    const first = await load(own, "1,Fen,5,2026-01-01", "2,Moor,,", "3,Fen,-4,2026-01-03");
    expect(first).toMatchObject({ state: "loaded", inserted: 2, held: 1 });
    const none = { inserted: 0, updated: 0, unchanged: 0, removed: 0, left: 0 };
    expect(first.report!.copies).toEqual([{ ...known, how, ...none, rows: 2, inserted: 2 }]);
    const one = ["1 Fen 5 2026-01-01", "2 Moor"];
    expect(await there(connection, own)).toEqual(one);

    const second = await load(own, "1,Fen,6,2026-01-01", "2,Moor,,", "4,Heath,1,");
    expect(second.report!.copies).toEqual([{ ...known, how, ...none, rows: 2, inserted: 1, updated: 1 }]);
    await releaseRecords(db, [{ load: first.id, record: 2, values: { seeds: "4" } }], "test");
    expect(await there(connection, own)).toEqual(["1 Fen 6 2026-01-01", "2 Moor", "3 Fen 4 2026-01-03", "4 Heath 1"]);
    const undone = await undoLoad(db, second.id, "wrong file", "test");
    expect(await there(connection, own)).toEqual([...one, "3 Fen 4 2026-01-03"]);
    await undoWriting(db, undone.writing, { reason: "right after all", by: "test" });
    expect(await there(connection, own)).toEqual(await here(own));
    expect(await copiedOfLoad(db, second.id)).toMatchObject([
      { inserted: 1, updated: 1, removed: 0, settled: true },
      { inserted: 0, updated: 1, removed: 1, settled: true },
      { inserted: 1, updated: 1, removed: 0, settled: true },
    ]);
    await undoLoad(db, second.id, "no", "test");
    await undoLoad(db, first.id, "no", "test");
    expect(await there(connection, own)).toEqual([]);
    await nothingLeft(connection);
  });

  it("follows a replacement, a further target and its history", async () => {
    const own = name("all");
    const { db } = system;
    await feed(own, {
      mode: "replace",
      copies: [{ connection, table: `${own}_rows` }],
      further: [
        {
          target: `${own}_sites`,
          rows: "key",
          key: ["site"],
          fields: [{ name: "site" }, { name: "seeds", takes: "sum" }],
          copies: [{ connection }],
        },
        { target: `${own}_past`, key: ["id"], mode: "history", copies: [{ connection }] },
      ],
    });
    await load(own, "1,Fen,5,2026-01-01", "2,Fen,2,", "3,Moor,1,");
    const second = await load(own, "1,Fen,5,2026-01-01", "4,Moor,9,");
    expect(await there(connection, `${own}_rows`)).toEqual(["1 Fen 5 2026-01-01", "4 Moor 9"]);
    const sites = (): Promise<string[]> => there(connection, `${own}_sites`, "site, seeds");
    expect(await sites()).toEqual(["Fen 5", "Moor 9"]);
    expect(await there(connection, `${own}_past`, "id, seeds")).toEqual(["1 5", "2 2", "3 1", "4 9"]);
    await undoLoad(db, second.id, "no", "test");
    expect(await there(connection, `${own}_rows`)).toEqual(await here(own));
    expect(await sites()).toEqual(["Fen 7", "Moor 1"]);
    expect(
      (await compareCopies(db, own, { mend: false })).map((c) => [c.same, c.otherwise + c.missing + c.more]),
    ).toEqual([
      [3, 0],
      [2, 0],
      [3, 0],
    ]);
  });

  it("gets all rows when it is added later, and new columns when the target does", async () => {
    const own = name("later");
    await feed(own, {});
    await load(own, "1,Fen,5,2026-01-01", "2,Moor,,");
    await change(own, { copies: [{ connection }] });
    const second = await load(own, "2,Moor,8,");
    expect(second.report!.copies).toMatchObject([{ rows: 2, inserted: 2 }]);
    expect(await there(connection, own)).toEqual(await here(own));
    const { document } = await planInForce(system.db, own);
    const fields = [...document.contract.fields, { name: "note", type: "text" }];
    await savePlan(system.db, own, { ...document, contract: { fields } }, "a field more", "test");
    await settled(await loadNow(system.db, own, `id,site,seeds,day,note\n2,Moor,8,,kept cool\n`));
    expect(await there(connection, own, "id, note")).toEqual(["1", "2 kept cool"]);
    await change(own, { copies: undefined });
    await load(own, "9,Fen,1,");
    expect(await there(connection, own, "id")).toEqual(["1", "2"]);
  });

  it("is refused, with nothing written, where others have changed it; or leaves what they changed", async () => {
    const own = name("others");
    const { db } = system;
    await feed(own, { copies: [{ connection }] });
    await load(own, "1,Fen,5,", "2,Moor,1,", "3,Heath,2,");
    await far
      .db(connection)
      .query(
        `update ${own} set seeds = 77 where id = 1; delete from ${own} where id = 2; insert into ${own} values (4, 'theirs')`,
      );
    const before = await there(connection, own);
    const refused = await load(own, "1,Fen,6,", "2,Moor,2,", "3,Heath,3,", "4,Fen,1,");
    expect(refused.state).toBe("failed");
    expect(refused.error!.message).toMatch(/^3 rows of .* are not as the copy left them: “[124]”/);
    expect(await here(own)).toEqual(["1 Fen 5", "2 Moor 1", "3 Heath 2"]);
    expect(await there(connection, own)).toEqual(before);
    await change(own, { copies: [{ connection, others: "leave" }] });
    const left = await load(own, "1,Fen,6,", "2,Moor,2,", "3,Heath,3,", "4,Fen,1,");
    expect(left.report!.copies).toMatchObject([{ rows: 4, updated: 1, left: 3 }]);
    expect(await there(connection, own)).toEqual(["1 Fen 77", "3 Heath 3", "4 theirs"]);
    expect(await compareCopies(db, own, { mend: false })).toMatchObject([
      { same: 1, otherwise: 2, missing: 1, more: 0, mended: false, some: { otherwise: ["1", "4"], missing: ["2"] } },
    ]);
    expect(await there(connection, own)).toEqual(["1 Fen 77", "3 Heath 3", "4 theirs"]);
    const shell = (...args: string[]) => sieve(system, "copies", own, ...args);
    const off = `public.${own} on ${connection}, of target.${own}: 1 row alike, 2 otherwise, 1 missing there`;
    expect(shell()).toMatchObject({ status: 1, stdout: `${off}\n  otherwise: 1; 4\n  missing: 2\n` });
    expect(shell("--mend").stdout).toContain(`${off}: brought into step\n`);
    expect(shell()).toMatchObject({ status: 0 });
    expect(await there(connection, own)).toEqual(await here(own));
    await nothingLeft(connection);
  });

  it("keeps to a table of others: its columns must be there, their rows stay", async () => {
    const own = name("theirs");
    await far
      .db(connection)
      .query(`create table ${own} (id bigint primary key, site varchar(5), seeds numeric, extra text default 'x')`);
    await feed(own, { copies: [{ connection }] });
    const refused = await load(own, "1,Fen,5,");
    expect(refused.error!.message).toContain("has no column day");
    await far.db(connection).query(`alter table ${own} add day date; insert into ${own} (id, site) values (50, 'old')`);
    expect((await load(own, "1,Fen,5,2026-02-03")).state).toBe("loaded");
    expect(await there(connection, own, "id, site, seeds, day, extra")).toEqual(["1 Fen 5 2026-02-03 x", "50 old x"]);
    const long = await load(own, "2,Heathland,5,");
    expect(long).toMatchObject({ state: "failed" });
    expect(long.error!.message).toContain("value too long");
    expect(await here(own)).toEqual(["1 Fen 5 2026-02-03"]);
    expect(await compareCopies(system.db, own, { mend: false })).toMatchObject([{ same: 1, more: 0 }]);
    await nothingLeft(connection);
  });

  it("ends as the store does, whenever the process dies between the two", async () => {
    const own = name("dies");
    const { db } = system;
    await feed(own, { copies: [{ connection }] });
    const done = await load(own, "1,Fen,5,", "2,Moor,1,");
    const all = await there(connection, own);
    for (const commits of [false, true]) {
      const client = await db.connect();
      await client.query("begin");
      await client.query(`lock table target.${own} in share row exclusive mode`);
      await undoLocked(client, done.writing!, { reason: "no", by: "test" });
      const session = companionOf(client, (): Companion => {
        throw new Error("nothing goes along");
      });
      await session.prepare();
      // Another that looks in the meantime leaves it alone.
      await recoverAll(db);
      const left = await far.db(connection).query("select from pg_class where relname like 'good sieve % was'");
      expect(left.rows).toHaveLength(1);
      await client.query(commits ? "commit" : "rollback");
      client.release(true);
      if (commits) expect((await copiedOfLoad(db, done.id))[0]!.settled).toBe(false);
      await recoverAll(db);
      expect(await there(connection, own)).toEqual(commits ? [] : all);
      await nothingLeft(connection);
    }
    expect((await copiedOfLoad(db, done.id)).map((c) => c.settled)).toEqual([true, true]);
    expect((await getLoad(db, done.id)).state).toBe("undone");
  });
});

describe.each(["prepares", "commits"] as const)("an attempt at a load", (connection) => {
  it(`takes the place of one that died before it on a server that ${connection}`, async () => {
    const { db } = system;
    const own = `again_${connection}`;
    await feed(own, { copies: [{ connection }] });
    const done = await load(own, "1,Fen,5,", "2,Moor,1,");
    const { id: planId, document: plan } = await planInForce(db, own);
    const number = await nextWriting(db);
    for (const site of ["Bog", "Heath"]) {
      const client = await db.connect();
      await client.query("begin");
      await client.query(`lock table target.${own} in share row exclusive mode`);
      const about = { kind: "release", feed: own, load: done.id, plan, planId, by: "test" } as const;
      const writing = await Writing.begin(client, about, { id: number });
      const staged = `select 0 as _record, 3 as id, '${site}'::text as site, 1 as seeds, null::date as day`;
      await writing.insertStaged(`(${staged}) s`, 1);
      await writing.end();
      if (site === "Bog") {
        await companionOf(client, (): Companion => {
          throw new Error("nothing goes along");
        }).prepare();
        await client.query("rollback");
        client.release(true);
      } else {
        await commitAll(client);
        client.release();
      }
    }
    expect(await there(connection, own)).toEqual(["1 Fen 5", "2 Moor 1", "3 Heath 1"]);
    expect(await here(own)).toEqual(await there(connection, own));
    await nothingLeft(connection);
  });
});

describe.each(["prepares", "commits"] as const)("a connection that is lost as it commits", (connection) => {
  it(`leaves nothing on a server that ${connection}, whether that had done it or not`, async () => {
    const { db } = system;
    const own = `torn_${connection}`;
    await feed(own, { copies: [{ connection }] });
    const done = await load(own, "1,Fen,5,", "2,Moor,1,");
    for (const committed of [false, true]) {
      const client = await db.connect();
      await client.query("begin");
      await client.query(`lock table target.${own} in share row exclusive mode`);
      await undoLocked(client, done.writing!, { reason: "no", by: "test" });
      const { within } = await CopySession.of(client).along(connection, done.writing!);
      const query = within.query.bind(within) as (sql: string) => Promise<unknown>;
      within.query = (async (sql: string) => {
        if (!/^(commit|prepare)/.test(sql)) return await query(sql);
        if (committed) await query(sql);
        throw new Error("Connection terminated unexpectedly");
      }) as never;
      await expect(commitAll(client)).rejects.toThrow("terminated");
      await rollbackAll(client);
      client.release();
      expect(await there(connection, own)).toEqual(["1 Fen 5", "2 Moor 1"]);
      expect(await here(own)).toEqual(await there(connection, own));
      await nothingLeft(connection);
    }
  });
});

describe("a statement together with the load", () => {
  const statement = (connection: FarName, sql: string): object => ({
    after: [{ do: "sql", connection, sql, within: true }],
  });
  const LOG = `insert into load_log values (current_setting('sieve.load')::int, current_setting('sieve.outcome'))`;
  const logged = async (): Promise<unknown[]> =>
    (await far.db("prepares").query("select * from load_log order by 1")).rows;

  it("is committed with it, and says so after the load; where it fails, nothing is loaded", async () => {
    const { db } = system;
    await far.db("prepares").query("create table load_log (load integer primary key, outcome text)");
    await newFeed(db, "logged", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [], ...statement("prepares", LOG) });
    const done = await load("logged", "1,Fen,5,", "2,Moor,-1,");
    while ((await logged()).length === 0) await new Promise((r) => setTimeout(r, 10));
    expect(await logged()).toEqual([{ load: done.id, outcome: "loaded with held" }]);
    expect(await afterOf(db, done.id)).toMatchObject([
      { state: "done", attempts: 1, answer: "INSERT: 1 row, committed together with the load" },
    ]);
    const { document } = await planInForce(db, "logged");
    await savePlan(db, "logged", { ...document, ...statement("prepares", `${LOG}, (1 / 0, '')`) }, "wrong", "test");
    const failed = await load("logged", "3,Fen,5,");
    expect(failed).toMatchObject({ state: "failed", error: { detail: "division by zero" } });
    expect(await here("logged")).toEqual(["1 Fen 5"]);
    expect(await logged()).toHaveLength(1);
    await nothingLeft("prepares");
  });

  it("needs a server that can promise to commit", async () => {
    await newFeed(system.db, "unsure", FIELDS, { key: ["id"] }, { gates: [], ...statement("commits", "select 1") });
    const failed = await load("unsure", "1,Fen,5,");
    expect(failed.error!.message).toContain("does not let transactions be prepared");
    const { document } = await planInForce(system.db, "unsure");
    const after = [{ ...document.after![0]!, on: ["failed"] }];
    await expect(savePlan(system.db, "unsure", { ...document, after }, "wrong", "test")).rejects.toMatchObject({
      code: "plan-invalid",
    });
  });
});

describe("a fault of the store", () => {
  it("is no fault of the other database, also where it comes as rows are sent there", async () => {
    const { db } = system;
    await feed("broken", { copies: [{ connection: "prepares" }] });
    const done = await load("broken", "1,Fen,5,");
    const client = await db.connect();
    const lost = new Promise((resolve) => client.once("error", resolve));
    await client.query("begin");
    await client.query("lock table target.broken in share row exclusive mode");
    const { rows } = await client.query<{ pid: number }>("select pg_backend_pid() as pid");
    await CopySession.of(client).along("prepares", done.writing!);
    await system.admin.query("select pg_terminate_backend($1)", [rows[0]!.pid]);
    await lost;
    const fault = await undoLocked(client, done.writing!, { reason: "no", by: "test" }).catch((e: Error) => e);
    expect(fault).toBeInstanceOf(Error);
    expect(fault).not.toHaveProperty("hint");
    await rollbackAll(client);
    client.release(true);
    expect(await there("prepares", "broken")).toEqual(["1 Fen 5"]);
    await nothingLeft("prepares");
  });

  it.each(["store", "far"] as const)("and one of the %s are told apart", async (which) => {
    await far.connect(system.db);
    const other = await connectFar(system.db, "prepares");
    try {
      const asked = which === "store" ? system.db.query("select 1 / 0") : other.query("select 1 / 0");
      const error: unknown = await asked.catch((e: unknown) => e);
      const said = farFault(error, "prepares", "Dividing");
      expect(said === error).toBe(which === "store");
      if (which === "far") expect(said).toMatchObject({ code: "copy-failed" });
    } finally {
      await endFar(other);
    }
  });
});

describe("copies on both servers", () => {
  it("are written together or not at all", async () => {
    const { db } = system;
    await feed("both", { copies: [{ connection: "prepares" }, { connection: "commits" }] });
    const first = await load("both", "1,Fen,5,", "2,Moor,1,");
    expect(first.report!.copies!.map((c) => c.how)).toEqual(["two phases", "in order"]);
    // A rule that is only looked at when it commits.
    await far.db("commits").query(
      `create table sites (name text primary key); insert into sites values ('Fen'), ('Moor');
         alter table "both" add foreign key (site) references sites deferrable initially deferred`,
    );
    const failed = await load("both", "1,Bog,5,");
    expect(failed.state).toBe("failed");
    expect(failed.error!.message).toContain("foreign key");
    const rows = ["1 Fen 5", "2 Moor 1"];
    expect(await here("both")).toEqual(rows);
    for (const c of ["prepares", "commits"] as const) {
      expect(await there(c, `"both"`)).toEqual(rows);
      await nothingLeft(c);
    }
    await undoLoad(db, first.id, "no", "test");
    for (const c of ["prepares", "commits"] as const) expect(await there(c, `"both"`)).toEqual([]);
  });

  it("keep a load from being begun where one can't be reached", async () => {
    await feed("away", { copies: [{ connection: "nowhere" }] });
    const failed = await load("away", "1,Fen,5,");
    expect(failed).toMatchObject({ state: "failed" });
    expect(failed.error!.message).toContain("There is no connection “nowhere”");
    const { rows } = await system.db.query("select to_regclass('target.away') as t");
    expect(rows[0].t).toBeNull();
  });
});
