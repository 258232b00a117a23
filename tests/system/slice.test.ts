import { describe, expect, it } from "vitest";
import { verifyLoad } from "@/engine/look/verify.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { planInForce } from "@/store/feeds.ts";
import { askForTrial } from "@/store/load-requests.ts";
import type { Load } from "@/store/loads.ts";
import { asOthers, deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

/** Replacing the slices of a target that came. */

const system = useSystem();

const FIELDS = [
  { name: "garden", type: "text", length: 10 },
  { name: "day", type: "date" },
  { name: "n", type: "integer" },
];
const HEAD = "garden,day,n\n";
const feed = (name: string, load: object, more: object = {}) =>
  newFeed(system.db, name, FIELDS, { mode: "replace", ...load }, { gates: [], ...more });
const load = (name: string, ...lines: string[]): Promise<Load> =>
  loadNow(system.db, name, HEAD + lines.map((l) => `${l}\n`).join(""));
const all = async (name: string): Promise<string[]> =>
  (
    await system.db.query<{ t: string }>(
      `select concat_ws(',', garden, to_char(day, 'MM-DD'), n) as t from target.${name} order by 1`,
    )
  ).rows.map((r) => r.t);

describe("a slice", () => {
  it("is replaced by what came of it, counted first by a trial; an undo brings it back", async () => {
    const { db } = system;
    await feed("monthly", { slice: "garden,day:month" });
    await load("monthly", "A,2026-01-03,1", "A,2026-02-03,2", "B,2026-01-09,3", ",2026-01-01,4");
    const text = `${HEAD}A,2026-01-20,5\nA,2026-01-21,6\n,2026-01-30,7\nC,2026-01-01,8\n`;
    const delivery = await deliver(db, "monthly", text);
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "monthly")).id));
    // A in January, and the one without a garden; C is new.
    expect(trial.report!.replaced).toEqual({ rows: 2, slices: 3 });
    expect(await all("monthly")).toHaveLength(4);
    const done = await loadNow(db, "monthly", `${text}\n`);
    expect(done.report!.replaced).toEqual(trial.report!.replaced);
    expect(await all("monthly")).toEqual(["01-30,7", "A,01-20,5", "A,01-21,6", "A,02-03,2", "B,01-09,3", "C,01-01,8"]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
    await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    expect(await all("monthly")).toEqual(["01-01,4", "A,01-03,1", "A,02-03,2", "B,01-09,3"]);
  });

  it("may come before the target is there, with another table beside it", async () => {
    const { db } = system;
    const further = [{ target: "begun_days", key: ["day"], rows: "key", fields: [{ name: "day" }] }];
    await feed("begun", { slice: "garden", further });
    const first = await load("begun", "A,2026-01-03,1", "B,2026-02-03,2");
    expect(first).toMatchObject({ state: "loaded", inserted: 2 });
    await load("begun", "A,2026-01-04,3");
    expect(await all("begun")).toEqual(["A,01-04,3", "B,02-03,2"]);
    // What came before can still be undone: the slices that were not replaced are its own.
    await undoWriting(db, first.writing!, { reason: "looked at", by: "test" });
    expect(await all("begun")).toEqual(["A,01-04,3"]);
  });

  it("that has lost its last record stays, and with it the keys of its rows", async () => {
    const { db } = system;
    await feed("chained", { slice: "garden", key: ["n"] });
    await load("chained", "A,2026-01-01,1", "B,2026-01-02,2", "C,2026-01-03,3");
    // The first is held, as A's row has its key; so B is not replaced, nor is C for want of the second.
    const done = await load("chained", "B,2026-02-01,1", "C,2026-02-02,2", "D,2026-02-03,3");
    expect(done).toMatchObject({ state: "loaded", inserted: 0, held: 3 });
    expect(await all("chained")).toEqual(["A,01-01,1", "B,01-02,2", "C,01-03,3"]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
  });

  it("stays where all of its records are held, and is not emptied by records of others", async () => {
    await feed("stays", { slice: "garden", key: ["n"] });
    await load("stays", "A,2026-01-03,1", "B,2026-01-03,2");
    await load("stays", "A,2026-01-04,x", "B,2026-01-05,3");
    expect(await all("stays")).toEqual(["A,01-03,1", "B,01-05,3"]);
    await feed("stays_too", { slice: "garden", key: ["n"], target: "stays" });
    // Rows of another feed's loads are no part of the slice.
    const other = await load("stays_too", "B,2026-02-01,7");
    expect(other.report!.replaced).toEqual({ rows: 0, slices: 1 });
    expect(await all("stays")).toEqual(["A,01-03,1", "B,01-05,3", "B,02-01,7"]);
  });

  it("takes a key that is in it, and holds one that another slice has", async () => {
    await feed("keyed", { slice: "garden", key: ["n"] });
    await load("keyed", "A,2026-01-03,1", "B,2026-01-03,2");
    const done = await load("keyed", "A,2026-01-04,1", "A,2026-01-05,2");
    expect(done).toMatchObject({ state: "loaded", inserted: 1, held: 1 });
    expect(done.report!.checks.find((c) => c.key === "target:taken")).toMatchObject({ problems: 1 });
    expect(await all("keyed")).toEqual(["A,01-04,1", "B,01-03,2"]);
  });

  it("is undone but for a record that another program has deleted since, unless that is asked for", async () => {
    const { db } = system;
    await feed("deleted", { slice: "garden", key: ["n"] });
    await load("deleted", "A,2026-01-03,1", "A,2026-01-03,2", "A,2026-01-03,3");
    const done = await load("deleted", "A,2026-01-04,1", "A,2026-01-04,2");
    await db.query("delete from target.deleted where n = 1");
    const undo = await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    // The third had gone with the load, not by anybody else.
    expect(await all("deleted")).toEqual(["A,01-03,2", "A,01-03,3"]);
    expect(undo.left).toBe(1);
    await undoWriting(db, done.writing!, { reason: "all of it", by: "test", over: "all" });
    expect(await all("deleted")).toEqual(["A,01-03,1", "A,01-03,2", "A,01-03,3"]);
  });

  it.each([
    ["whose table takes the other's place", ""],
    ["on which a view hangs", "create view target.seen_whole as select * from target.whole_1"],
  ])("nor does such a record come back to a target that was replaced as a whole, %s", async (_, sql) => {
    const { db } = system;
    const name = `whole_${sql === "" ? 0 : 1}`;
    await feed(name, { key: ["n"] });
    await load(name, "A,2026-01-03,1", "A,2026-01-03,2", "A,2026-01-03,3", "A,2026-01-03,4");
    if (sql !== "") await db.query(sql);
    await db.query(`delete from target.${name} where n = 4`);
    const done = await load(name, "A,2026-01-04,1", "A,2026-01-04,2", "A,2026-01-04,5");
    await db.query(`delete from target.${name} where n = 1`);
    const undo = await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    expect(await all(name)).toEqual(["A,01-03,2", "A,01-03,3"]);
    expect(undo).toMatchObject({ left: 1, removed: 1, restored: 2 });
    // The undo of that undo has the load's rows again, but for the one that somebody has deleted.
    const back = await undoWriting(db, undo.writing, { reason: "after all", by: "test" });
    expect(await all(name)).toEqual(["A,01-04,2", "A,01-04,5"]);
    expect(back.left).toBe(0);
    await undoWriting(db, done.writing!, { reason: "all of it", by: "test", over: "all" });
    expect(await all(name)).toEqual(["A,01-03,1", "A,01-03,2", "A,01-03,3"]);
  });

  it("is told from what came later where a held record is released", async () => {
    const { db } = system;
    await feed("released", { slice: "garden" });
    const first = await load("released", "A,2026-01-03,1", "A,2026-01-03,x", "B,2026-01-03,y");
    await load("released", "A,2026-01-04,5");
    const mend = (record: number, n: string) => ({ load: first.id, record, values: { n } });
    const result = await releaseRecords(db, [mend(1, "7"), mend(2, "8")], "Ines");
    expect(result.map((r) => r.released)).toEqual([false, true]);
    expect(await all("released")).toEqual(["A,01-04,5", "B,01-03,8"]);
  });

  it("of a table that was there before is replaced without touching rows of others", async () => {
    await asOthers(
      system,
      `create schema outside; create table outside.harvest (garden text, day date, n bigint);
       insert into outside.harvest values ('A', '2026-01-01', 100); grant usage, create on schema outside to public; grant all on outside.harvest to public`,
    );
    await feed("harvest", { slice: "garden", schema: "outside", target: "harvest" });
    for (const line of ["A,2026-01-03,1", "A,2026-01-04,2"]) {
      const done = await load("harvest", line);
      expect([done.state, done.error]).toEqual(["loaded", null]);
    }
    const { rows: now } = await system.db.query("select garden, n from outside.harvest order by n");
    expect(now).toEqual([
      { garden: "A", n: 2 },
      { garden: "A", n: 100 },
    ]);
  });

  it("that stays is held against by the table's other rules as well", async () => {
    await asOthers(
      system,
      `create schema ruled; create table ruled.harvest (garden text, day date, n bigint unique check (n <> 5));
       grant usage, create on schema ruled to public; grant all on ruled.harvest to public`,
    );
    await feed("ruled", { slice: "garden", schema: "ruled", target: "harvest" });
    await load("ruled", "A,2026-01-03,1", "B,2026-01-03,2");
    // The table refuses the first, so that A's row stays, which has the number of the second.
    const done = await load("ruled", "A,2026-01-04,5", "B,2026-01-04,1", "C,2026-01-04,3");
    expect(done).toMatchObject({ state: "loaded", error: null, inserted: 1, held: 2 });
    const { rows: now } = await system.db.query("select garden, n::int from ruled.harvest order by n");
    expect(now).toEqual([
      { garden: "A", n: 1 },
      { garden: "B", n: 2 },
      { garden: "C", n: 3 },
    ]);
  });

  it("where all is replaced, says how many rows make room, whether or not they are kept", async () => {
    for (const [name, more] of [
      ["whole", {}],
      ["whole_gone", { undo: false }],
    ] as const) {
      await feed(name, more);
      await load(name, "A,2026-01-03,1", "B,2026-01-03,2");
      const done = await load(name, "A,2026-01-04,5");
      expect(done.report!.replaced).toEqual({ rows: 2, slices: null });
      expect((await rows(system.db, name)).length).toBe(1);
    }
  });
});
