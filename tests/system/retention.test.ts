import { describe, expect, it } from "vitest";
import { runRetention } from "@/engine/jobs/expire.ts";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { discardRecords } from "@/engine/release/discard.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { getHeld } from "@/store/held.ts";
import { getLoad } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import {
  askForRetention,
  expiringNow,
  FIRST_RETENTION,
  retentionHistory,
  retentionOf,
  retentionRuns,
  roomByFeed,
  setRetention,
} from "@/store/retention.ts";
import { deliver, loadNow, newFeed, tamper, useSystem } from "../support/system.ts";

const system = useSystem();
const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "n", type: "integer" },
];
const UPSERT = { key: ["id"], mode: "upsert" };
const FOR_EVER = { bytesDays: null, ledgerDays: null, settledDays: null, undoLoads: 5 };

/** Makes a load, its delivery and what was settled of it look so many days older. */
async function age(load: number, days: number): Promise<void> {
  const by = `interval '${days} days'`;
  await tamper(
    system,
    `update sieve.delivery set received_at = received_at - ${by} where id = (select delivery from sieve.load where id = ${load})`,
    `update sieve.load set ended_at = ended_at - ${by} where id = ${load}`,
    `update sieve.held set ended_at = ended_at - ${by} where load = ${load}`,
  );
}

const refused = async (sql: string): Promise<string> =>
  await system.admin.query(sql).then(
    () => "accepted",
    (e: Error) => e.message,
  );

describe("what is kept of a feed", () => {
  it("is a year and a month at first, is set by anybody with a name, and the settings before are known", async () => {
    const { db } = system;
    await newFeed(db, "first", FIELDS, UPSERT);
    expect(await retentionOf(db, "first")).toEqual(FIRST_RETENTION);
    await setRetention(db, "first", { ...FIRST_RETENTION, bytesDays: 30 }, "Ines");
    expect((await retentionHistory(db, "first")).map((r) => [r.bytesDays, r.by])).toEqual([
      [30, "Ines"],
      [400, "with the feed"],
    ]);
    expect(await refused("update sieve.retention set bytes_days = 1")).toContain("only ever added to");
  });

  it("goes when its time is over, each for itself, and what needed it says so in words", async () => {
    const { db } = system;
    await newFeed(db, "goes", FIELDS, UPSERT, { gates: [] });
    const text = "id,n\n1,1\n2,2\n3,bad\n";
    const load = await loadNow(db, "goes", text);
    await discardRecords(db, [{ load: load.id, record: 2 }], "no use", "Ines");
    const young = await loadNow(db, "goes", "id,n\n1,5\n");
    await age(load.id, 40);
    await setRetention(db, "goes", { ...FOR_EVER, bytesDays: 30 }, "Ines");
    expect(await expiringNow(db, "goes", { ...FOR_EVER, bytesDays: 30, ledgerDays: 39, settledDays: 41 })).toEqual({
      files: 1,
      bytes: text.length,
      loads: 1,
      records: 3,
      held: 0,
    });
    expect(await runRetention(db, "Ines")).toMatchObject({ files: 1, bytes: text.length, loads: 0, held: 0 });
    await expect(findRecords(db, load.id, {})).rejects.toMatchObject({ code: "bytes-expired" });
    await expect(askForLoad(db, load.delivery, { again: true })).rejects.toThrow("file-0.csv are no longer kept");
    expect(await verifyLoad(db, load.id)).toMatchObject({ differs: [], expired: ["the bytes of file-0.csv"] });
    expect((await findRecords(db, young.id, {})).records).toHaveLength(1);
    // The same bytes are still known to have been loaded.
    await expect(askForLoad(db, await deliver(db, "goes", text))).rejects.toThrow("was loaded into this feed before");

    await setRetention(db, "goes", { ...FOR_EVER, ledgerDays: 30, settledDays: 30 }, "Ines");
    expect(await runRetention(db, "Ines")).toMatchObject({ files: 0, loads: 1, records: 3, held: 1 });
    await expect(findRecords(db, load.id, {})).rejects.toMatchObject({ code: "detail-expired" });
    expect(await verifyLoad(db, load.id)).toMatchObject({ differs: [] });
    const { rows } = await db.query("select from sieve.ledger_block where load = $1", [load.id]);
    expect(rows).toHaveLength(0);
    // That it was held, when it was discarded and why, stays.
    expect(await getHeld(db, load.id, 2)).toMatchObject({
      raw: "",
      cells: null,
      values: [],
      problems: [],
      state: "discarded",
      reason: "no use",
    });
    expect(await getLoad(db, load.id)).toMatchObject({ read: 3, inserted: 2, held: 1 });
    expect((await getLoad(db, load.id)).report!.balance.read).toBe(3);
    expect(await runRetention(db, "Ines")).toMatchObject({ files: 0, loads: 0, held: 0 });
    expect((await retentionRuns(db)).slice(0, 3).map((r) => [r.by, r.took.loads, r.endedAt !== null])).toEqual([
      ["Ines", 0, true],
      ["Ines", 1, true],
      ["Ines", 0, true],
    ]);
  });

  it("stays as long as a record of it is held, and as a load is stopped", async () => {
    const { db } = system;
    await newFeed(db, "open", FIELDS, UPSERT, { gates: [{ limit: "held share", over: 0.5 }] });
    const open = await loadNow(db, "open", "id,n\n1,1\n2,bad\n");
    const stopped = await loadNow(db, "open", "id,n\n3,bad\n4,bad\n");
    expect([open.state, stopped.state]).toEqual(["loaded", "stopped"]);
    for (const { id } of [open, stopped]) await age(id, 100);
    await setRetention(db, "open", { bytesDays: 1, ledgerDays: 1, settledDays: 1, undoLoads: 1 }, "Ines");
    expect(await runRetention(db, "Ines")).toMatchObject({ files: 0, loads: 0, held: 0 });
    await discardRecords(db, [{ load: open.id, record: 1 }], "no use", "Ines");
    expect(await runRetention(db, "Ines")).toMatchObject({ files: 1, loads: 1, held: 0 });
  });

  it("can't be made to go before its time, by whatever program", async () => {
    const { db } = system;
    await newFeed(db, "early", FIELDS, UPSERT, { gates: [] });
    const { id } = await loadNow(db, "early", "id,n\n1,1\n2,bad\n");
    await discardRecords(db, [{ load: id, record: 1 }], "no use", "Ines");
    const now = "expired_at = clock_timestamp()";
    const empty = `raw = '', cells = null, field_values = '[]', problems = '[]', mended = null, ${now}`;
    expect(await refused(`update sieve.load set ${now} where id = ${id}`)).toContain("is kept longer");
    expect(await refused(`update sieve.held set ${empty} where load = ${id}`)).toContain("never changed");
    const long = "now() - interval '900 days'";
    for (const sql of [
      `update sieve.load set ended_at = ${long} where id = ${id}`,
      `update sieve.held set ended_at = ${long} where load = ${id}`,
      `update sieve.delivery set received_at = ${long} where id = (select delivery from sieve.load where id = ${id})`,
    ])
      expect(await refused(sql), sql).toContain("is never changed");
    await age(id, 500);
    expect(
      await refused(`update sieve.held set ${empty.replace("raw = ''", "raw = 'x'")} where load = ${id}`),
    ).toContain("never changed");
    expect(await refused(`update sieve.held set ${now} where load = ${id}`)).toContain("never changed");
    expect(await refused(`delete from sieve.ledger_block where load = ${id}`)).toContain("never changed");
    await setRetention(db, "early", FOR_EVER, "Ines");
    expect(await refused(`update sieve.load set ${now} where id = ${id}`)).toContain("is kept longer");
    await setRetention(db, "early", { ...FOR_EVER, ledgerDays: 499, settledDays: 499 }, "Ines");
    expect(await runRetention(db, "Ines")).toMatchObject({ loads: 1, held: 1 });
    expect(await refused(`update sieve.load set ${now} where id = ${id}`)).toContain("goes once");
    expect(await refused(`update sieve.held set state = 'held' where load = ${id}`)).toContain("has expired");
    expect(await refused(`update sieve.held set raw = 'x' where load = ${id}`)).toContain("never changed");
  });
});

describe("an undo after what was released has expired", () => {
  it("takes the row out; the record is discarded then, as there is nothing to hold, and released again by its undo", async () => {
    const { db } = system;
    await newFeed(db, "back", FIELDS, UPSERT, { gates: [] });
    const load = await loadNow(db, "back", "id,n\n1,1\n2,bad\n");
    await releaseRecords(db, [{ load: load.id, record: 1, values: { n: "2" } }], "Ines");
    const { rows: at } = await db.query<{ writing: number }>("select writing from sieve.held where load = $1", [
      load.id,
    ]);
    await age(load.id, 40);
    await setRetention(db, "back", { ...FOR_EVER, settledDays: 30 }, "Ines");
    expect(await runRetention(db, "Ines")).toMatchObject({ held: 1 });
    const ids = async (): Promise<unknown[]> =>
      (await db.query<{ id: number }>("select id from target.back order by 1")).rows.map((r) => r.id);
    const undone = await undoWriting(db, at[0]!.writing, { reason: "no", by: "Ines" });
    expect(await ids()).toEqual([1]);
    expect(await getHeld(db, load.id, 1)).toMatchObject({
      state: "discarded",
      reason: "taken back, and what was in it had expired",
      mended: null,
    });
    await undoWriting(db, undone.writing, { reason: "yes", by: "Ines" });
    expect(await ids()).toEqual([1, 2]);
    expect(await getHeld(db, load.id, 1)).toMatchObject({ state: "released", mended: null });
  });

  it("is of as many loads as the feed says", async () => {
    const { db } = system;
    await newFeed(db, "few", FIELDS, UPSERT, { gates: [] });
    await setRetention(db, "few", { ...FOR_EVER, undoLoads: 2 }, "Ines");
    const writings: number[] = [];
    for (const n of [1, 2, 3, 4]) writings.push((await loadNow(db, "few", `id,n\n1,${n}\n`)).writing!);
    const undo = async (n: number): Promise<unknown> => await undoWriting(db, writings[n]!, { reason: "x", by: "t" });
    await expect(undo(1)).rejects.toThrow(/not kept/);
    await expect(undo(1)).rejects.toMatchObject({ hint: "They are kept for the last 2 loads of a target." });
    await setRetention(db, "few", { ...FOR_EVER, undoLoads: 1 }, "Ines");
    expect((await runRetention(db, "Ines"))!.writings).toBe(1);
    await expect(undo(2)).rejects.toThrow(/not kept/);
    await undo(3);
    expect((await db.query("select n from target.few")).rows).toEqual([{ n: 3 }]);
  });
});

describe("a run", () => {
  it("takes uploads that nobody goes on with, and is done by a worker when it is asked for", async () => {
    const { db, admin } = system;
    await newFeed(db, "uploads", FIELDS);
    const { rows } = await db.query<{ id: number }>(
      `with d as (insert into sieve.delivery (feed, via) select 'uploads', 'test' from generate_series(1, 2) returning id),
         f as (insert into sieve.delivery_file (delivery, position, name) select id, 0, 'half.csv' from d returning id)
       insert into sieve.chunk (file, position, bytes) select id, 0, 'half' from f returning file as id`,
    );
    await tamper(
      system,
      `update sieve.delivery set received_at = now() - interval '25 hours' where id = (select delivery from sieve.delivery_file where id = ${rows[0]!.id})`,
    );
    const before = (await retentionRuns(db)).length;
    await askForRetention(db, "Ines");
    await expect
      .poll(async () => (await retentionRuns(db, 100)).slice(0, (await retentionRuns(db, 100)).length - before), {
        timeout: 20_000,
      })
      .toMatchObject([{ by: "Ines", took: { uploads: 1 } }]);
    const left = await db.query<{ file: number }>("select file from sieve.chunk where file = any($1)", [
      rows.map((r) => r.id),
    ]);
    expect(left.rows).toEqual([{ file: rows[1]!.id }]);
    // And each night by itself.
    const { rows: known } = await admin.query("select identifier from graphile_worker._private_known_crontabs");
    expect(known).toEqual([{ identifier: "retention" }]);
  });

  it("does nothing beside another, and leaves none that was broken off as if it went on", async () => {
    const { db, admin } = system;
    const other = await db.connect();
    await other.query("select pg_advisory_lock(7303, 0)");
    expect(await runRetention(db, "Ines")).toBeNull();
    other.release(true);
    await admin.query("insert into sieve.retention_run (asked_by) values ('killed')");
    await expect.poll(() => runRetention(db, "Ines")).not.toBeNull();
    const [, killed] = await retentionRuns(db);
    expect(killed).toMatchObject({ by: "killed", error: { message: "It was broken off." } });
  });

  it("says what takes how much room", async () => {
    const { db } = system;
    await newFeed(db, "large", FIELDS, UPSERT, { gates: [] });
    const lines = Array.from({ length: 20_000 }, (_, i) => `${i},${i % 50 === 0 ? "bad" : i}`);
    const text = `id,n\n${lines.join("\n")}\n`;
    await loadNow(db, "large", text);
    const [first] = await roomByFeed(db);
    expect(first).toMatchObject({ feed: "large", bytes: text.length, keep: FIRST_RETENTION });
    expect(first!.ledger).toBeGreaterThan(20_000);
    expect(first!.ledger).toBeLessThan(200_000);
    expect(first!.quarantine).toBeGreaterThan(400 * 100);
    expect(first!.target).toBeGreaterThan(500_000);
  });
});
