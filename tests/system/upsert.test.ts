import { describe, expect, it } from "vitest";
import { BYTE, emptyBalance } from "@/core/kernel/ledger.ts";
import { newTally } from "@/core/course/tally.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { planInForce } from "@/store/feeds.ts";
import { addBlock } from "@/store/ledger.ts";
import { getLoad } from "@/store/loads.ts";
import { transaction } from "@/store/db.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { meet } from "@/engine/writing/meet.ts";
import { upsertStaged } from "@/engine/writing/upsert.ts";
import { Writing } from "@/engine/writing/writing.ts";
import { asOthers, loadNow, newFeed, rows, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer" },
];

/** A load that is at its closing: its ledger has so many records, all of them to be inserted. */
async function openLoad(first: number, count: number): Promise<number> {
  const { db } = system;
  const feed = `opened_${first}_${count}_${made++}`;
  await newFeed(db, feed, FIELDS);
  const { id } = await loadNow(db, feed, "id,n\na,1\n");
  // Only a load that has not ended has a ledger that can be written.
  await asOthers(system, "alter table sieve.ledger_block disable trigger ledger_is_kept");
  await db.query("delete from sieve.ledger_block where load = $1", [id]);
  const block = {
    block: 0,
    file: 0,
    firstRecord: first,
    firstInFile: first,
    line: 2,
    byteStart: 0,
    byteEnd: 1,
    carry: "",
  };
  const tally = newTally(compilePlan((await planInForce(db, feed)).document));
  const { attempts } = await getLoad(db, id);
  await addBlock(
    db,
    { load: id, attempt: attempts },
    { ...block, outcomes: new Uint8Array(count).fill(BYTE.inserted), tally, packed: null, left: null },
  );
  return id;
}
let made = 0;

/** A target of `old` rows and staged records, half of which are new, and a third of the rest as they were. */
async function staged(name: string, old: number) {
  const { db } = system;
  const load = await openLoad(Math.floor(old / 2), old);
  const plan = parsePlan({
    format: "good-sieve/plan@1",
    feed: name,
    contract: { fields: FIELDS },
    load: { target: name, key: ["id"], mode: "upsert" },
  });
  await db.query(
    `create table target.${name} (id text primary key, n bigint, _load integer not null, _record integer not null, _writing integer)`,
  );
  await db.query(`insert into target.${name} select 'k' || i, i, 0, i, 0 from generate_series(0, $1::int - 1) i`, [
    old,
  ]);
  await db.query(`create unlogged table staging.${name} (_record integer not null, id text, n bigint)`);
  await db.query(
    `insert into staging.${name} select i, 'k' || i, i + (i % 3 > 0)::int from generate_series($1::int / 2, $1::int * 3 / 2 - 1) i`,
    [old],
  );
  const about = { kind: "load", feed: name, load, plan, planId: 1, by: "t" } as const;
  return { about, meeting: { plan, staging: `staging.${name}`, met: `staging.${name}_met` } };
}

describe("an upsert", () => {
  it("writes and keeps the same, alone and through a connection beside it", async () => {
    const { db } = system;
    const ways: unknown[] = [];
    for (const [i, beside] of [db, null].entries()) {
      const name = `way_${i}`;
      const balance = emptyBalance();
      const { about, meeting } = await staged(name, 3000);
      let number = 0;
      await transaction(db, async (client) => {
        await client.query(`lock table target.${name} in share row exclusive mode`);
        const writing = await Writing.begin(client, about);
        number = writing.id;
        await upsertStaged(writing, meeting, { beside, balance });
      });
      const sum = `count(*)::int as rows, sum(n)::int as n, sum(_record)::int as records, count(*) filter (where _load > 0)::int as ours`;
      const { rows: now } = await db.query(`select ${sum} from target.${name}`);
      const { rows: kept } = await db.query(`select ${sum} from undo."writing ${number}"`);
      const { rows: ledger } = await db.query(
        "select encode(outcomes, 'hex') as outcomes from sieve.ledger_block where load = $1",
        [about.load],
      );
      ways.push([now[0], kept[0], ledger, balance]);
      expect(balance.outcomes).toMatchObject({ inserted: 1500, updated: 1000, unchanged: 500 });
      expect(now[0]).toMatchObject({ rows: 4500, ours: 2500 });
      // Of 1,500 that are met, 1,000 differ.
      expect(kept[0]).toMatchObject({ rows: 1000, ours: 0 });
    }
    expect(ways[0]).toEqual(ways[1]);
  });

  it("does without the other connection while somebody waits for the whole table", async () => {
    const { db } = system;
    const { about, meeting } = await staged("wanted", 30);
    const waiting = await db.connect();
    let dropped: Promise<unknown> = Promise.resolve();
    await transaction(db, async (client) => {
      await client.query("lock table target.wanted in share row exclusive mode");
      dropped = waiting.query("drop table target.wanted");
      for (let there = false; !there;) {
        const { rows: locks } = await client.query("select from pg_locks where not granted");
        there = locks.length > 0;
      }
      const writing = await Writing.begin(client, about);
      await upsertStaged(writing, meeting, { beside: db, balance: emptyBalance() });
      const { rows: kept } = await client.query(`select count(*)::int as n from undo."writing ${writing.id}"`);
      expect(kept[0]).toEqual({ n: 10 });
    });
    await dropped;
    waiting.release();
  });

  it("says so when the target itself keeps rows from being written, and writes nothing", async () => {
    const { db } = system;
    for (const mode of ["upsert", "append"]) {
      const feed = `dropping_${mode}`;
      await newFeed(db, feed, FIELDS, { key: ["id"], mode }, { gates: [] });
      expect(await loadNow(db, feed, "id,n\na,1\n")).toMatchObject({ state: "loaded" });
      await asOthers(
        system,
        `create or replace function public.drops() returns trigger language plpgsql as $$
           begin if new.n > 5 then return null; end if; return new; end $$;
         create trigger drops before insert or update on target.${feed} for each row execute function public.drops()`,
      );
      const failed = await loadNow(db, feed, `id,n\n${mode === "upsert" ? "a,7" : "b,7"}\nc,3\n`);
      expect(failed.state).toBe("failed");
      expect(failed.error?.message).toMatch(
        /^The target took [01] of the [12] records that were to be (updat|insert)ed\.$/,
      );
      expect(failed.error?.hint).toMatch(/trigger/);
      expect(await rows(db, feed)).toMatchObject([{ id: "a", n: 1 }]);
    }
  });

  it("finds the same where the staged records are many and where they are few", async () => {
    const { db } = system;
    const { meeting } = await staged("sizes", 60);
    const found = async (): Promise<unknown> =>
      await transaction(db, async (client) => {
        await meet(meeting, client);
        const { rows: met } = await client.query(
          `select _record, "_ differs" as differs from ${meeting.met} order by 1`,
        );
        await client.query(`drop table ${meeting.met}`);
        return met;
      });
    const many = await found();
    await db.query("insert into target.sizes select 'z' || i, i, 0, i, 0 from generate_series(1, 50000) i");
    expect(await found()).toEqual(many);
  });

  it("into a table in parts changes the rows of the right part, and is undone", async () => {
    const { db } = system;
    await asOthers(
      system,
      `create table public.halves (id text primary key, n bigint, _load integer, _record integer) partition by range (id);
       create table public.halves_a partition of public.halves for values from ('a') to ('m');
       create table public.halves_m partition of public.halves for values from ('m') to ('z')`,
    );
    await newFeed(db, "halves", FIELDS, { schema: "public", key: ["id"], mode: "upsert" }, { gates: [] });
    const one = await loadNow(db, "halves", "id,n\na,1\nb,2\nm,3\nn,4\n");
    const two = await loadNow(db, "halves", "id,n\na,10\nm,3\nn,40\no,5\n");
    expect(two).toMatchObject({ inserted: 1, updated: 2, unchanged: 1 });
    const all = async () =>
      (await db.query<{ r: string }>("select id || n || '/' || _load as r from halves order by id")).rows.map(
        (r) => r.r,
      );
    expect(await all()).toEqual([`a10/${two.id}`, `b2/${one.id}`, `m3/${one.id}`, `n40/${two.id}`, `o5/${two.id}`]);
    await undoLoad(db, two.id, "x", "t");
    expect(await all()).toEqual([`a1/${one.id}`, `b2/${one.id}`, `m3/${one.id}`, `n4/${one.id}`]);
  });

  it("starts anew over what an attempt kept that came to no end", async () => {
    const { db } = system;
    await newFeed(db, "again", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const one = await loadNow(db, "again", "id,n\na,1\nb,2\n");
    await db.query(
      `create table undo."writing ${one.writing! + 1}" as select 'b' as id, 99::bigint as n, 0 as _load, 0 as _record`,
    );
    const two = await loadNow(db, "again", "id,n\na,5\n");
    expect(two.writing).toBe(one.writing! + 1);
    await undoLoad(db, two.id, "x", "t");
    expect((await rows(db, "again", "id")).map((r) => r["n"])).toEqual([1, 2]);
  });
});
