import { describe, expect, it } from "vitest";
import { previewUndo } from "@/engine/undo/preview.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad, undoWriting } from "@/engine/undo/undo.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { planInForce } from "@/store/feeds.ts";
import { askForLoad, askForTrial } from "@/store/load-requests.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { listWritings } from "@/store/writings.ts";
import { asOthers, deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

/** Tables that a load writes beside the plan's own target. */

const system = useSystem();

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "collector", type: "text", length: 40 },
  { name: "seeds", type: "integer", least: 0 },
  { name: "day", type: "date" },
  { name: "names", type: "list", of: "text", by: ";" },
  { name: "collector_id", type: "integer" },
];
const HEAD = "id,collector,seeds,day,names\n";
const COLLECTORS = {
  target: "",
  turn: "before",
  rows: "key",
  fields: [
    { name: "name", of: "collector" },
    { name: "seeds", takes: "sum" },
    { name: "records", takes: "count" },
    { name: "since", of: "day", takes: "least" },
    { name: "latest", of: "day", takes: "most" },
    { name: "first_id", of: "id", takes: "first" },
    { name: "last_id", of: "id", takes: "last" },
  ],
  numbered: "collector_id",
  key: ["name"],
};

async function feed(name: string, further: object[], more: object = {}): Promise<void> {
  await newFeed(system.db, name, FIELDS, { key: ["id"], mode: "upsert", further, ...more }, { gates: [] });
}
const load = (name: string, ...lines: string[]): Promise<Load> =>
  loadNow(system.db, name, HEAD + lines.map((l) => `${l}\n`).join(""));

/** Columns of a table, a text for each row. */
async function table(name: string, columns: string, order = columns): Promise<string[]> {
  const { rows: found } = await system.db.query<{ row: string }>(
    `select concat_ws(' ', ${columns
      .split(", ")
      .map((c) => `coalesce(${c}::text, '-')`)
      .join(", ")}) as row from target.${name} order by ${order}`,
  );
  return found.map((r) => r.row);
}

describe("a table before the target", () => {
  it("has one row for many records, hands its number on, and goes with the load when that is undone", async () => {
    const { db } = system;
    const taken = [{ field: "collector_id", from: { target: "people", column: "collector_id" } }];
    await feed("plants", [{ ...COLLECTORS, target: "people" }], { taken_from: taken });
    const lines = ["1,Ines,10,2026-03-01,", "2,Tove,5,2026-03-02,", "3,Ines,7,2026-02-01,", "4,,1,2026-01-01,"];
    const delivery = await deliver(db, "plants", HEAD + lines.map((l) => `${l}\n`).join(""));
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "plants")).id));
    expect(trial.report!.further).toEqual([
      {
        target: "target.people",
        words: "one row for each name, upsert",
        ...{ records: 4, filtered: 0, none: 1, sent: 3, rows: 2 },
        ...{ inserted: 2, updated: 0, unchanged: 0, left: 0 },
      },
    ]);
    expect((await db.query("select to_regclass('target.people') as t")).rows[0].t).toBeNull();
    const done = await load("plants", ...lines);
    expect(done.report!.further).toEqual(trial.report!.further);
    const people = ["Ines 17 2 2026-02-01 2026-03-01 1 3", "Tove 5 1 2026-03-02 2026-03-02 2 2"];
    const columns = "name, seeds, records, since, latest, first_id, last_id";
    expect(await table("people", columns)).toEqual(people);
    const own = "p.id, q.name";
    const joined = await db.query(
      `select p.id, q.name from target.plants p left join target.people q using (collector_id) order by 1`,
    );
    expect(
      joined.rows.map((r) => r.name),
      own,
    ).toEqual(["Ines", "Tove", "Ines", null]);
    expect(done.report!.drift).toEqual([]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
    // Numbers stay when rows come again.
    const numbers = await table("people", "name, collector_id");
    const again = await load("plants", "1,Ines,11,2026-03-01,", "5,Ines,1,2026-04-01,");
    expect(again.report!.further).toMatchObject([{ sent: 2, rows: 1, updated: 1 }]);
    expect(await table("people", "name, collector_id")).toEqual(numbers);
    expect((await table("people", columns))[0]).toBe("Ines 12 2 2026-03-01 2026-04-01 1 5");

    const looked = await previewUndo(db, again.writing!, {});
    expect(looked.along.map((w) => w.target)).toEqual(['"target"."people"']);
    expect(looked.rows.map((r) => `${r.target} ${r.does}`).sort()).toEqual([
      "people put back",
      "plants put back",
      "plants remove",
    ]);
    const undone = await undoLoad(db, again.id, "wrong file", "test");
    expect(await table("people", columns)).toEqual(people);
    expect(await table("plants", "id, seeds")).toEqual(["1 10", "2 5", "3 7", "4 1"]);
    await undoWriting(db, undone.writing, { reason: "it was right", by: "test" });
    expect((await table("people", columns))[0]).toBe("Ines 12 2 2026-03-01 2026-04-01 1 5");
    expect((await getLoad(db, again.id)).state).toBe("loaded");
    await undoLoad(db, again.id, "after all", "test");
    await undoLoad(db, done.id, "all of it", "test");
    expect(await table("people", "name")).toEqual([]);
    expect(await table("plants", "id")).toEqual([]);
    expect((await getLoad(db, done.id)).state).toBe("undone");
  });

  it("takes in a record that is released, and lets it go again", async () => {
    const { db } = system;
    await feed("later", [{ ...COLLECTORS, target: "later_people" }]);
    const done = await load("later", "1,Ines,10,2026-03-01,", "2,Ines,-5,2026-01-05,", "3,Tove,-1,2026-01-01,");
    expect(done).toMatchObject({ inserted: 1, held: 2 });
    const columns = "name, seeds, records, since, latest, first_id, last_id";
    const released = await releaseRecords(
      db,
      [
        { load: done.id, record: 1, values: { seeds: "5" } },
        { load: done.id, record: 2, values: { seeds: "1" } },
      ],
      "test",
    );
    expect(released.map((r) => r.released)).toEqual([true, true]);
    expect(await table("later_people", columns)).toEqual([
      "Ines 15 2 2026-01-05 2026-03-01 1 1",
      "Tove 1 1 2026-01-01 2026-01-01 3 3",
    ]);
    const [, own] = await listWritings(db, { load: done.id });
    expect(own!.kind).toBe("release");
    await undoWriting(db, own!.id, { reason: "x", by: "t" });
    expect(await table("later_people", columns)).toEqual(["Ines 10 1 2026-03-01 2026-03-01 1 1"]);
    expect(await table("later", "id")).toEqual(["1"]);
    const states = await db.query("select state from sieve.held where load = $1", [done.id]);
    expect(states.rows).toEqual([{ state: "held" }, { state: "held" }]);
  });
});

describe("tables after the target", () => {
  it("get what a filter lets through, released records too", async () => {
    const { db } = system;
    const some = { fields: [{ name: "number", of: "id" }, { name: "seeds" }], key: ["number"] };
    await feed("split", [
      { target: "split_many", where: "seeds >= 100", ...some },
      { target: "split_few", where: "seeds < 100", ...some },
    ]);
    const done = await load("split", "1,A,100,,", "2,B,99,,", "3,C,,,", "4,D,-1,,");
    expect(done.report!.further).toMatchObject([
      { target: "target.split_many", records: 3, filtered: 2, none: 0, sent: 1, inserted: 1 },
      { target: "target.split_few", records: 3, filtered: 2, none: 0, sent: 1, inserted: 1 },
    ]);
    await releaseRecords(db, [{ load: done.id, record: 3, values: { seeds: "500" } }], "test");
    expect(await table("split_many", "number, seeds")).toEqual(["1 100", "4 500"]);
    expect(await table("split_few", "number, seeds")).toEqual(["2 99"]);
    expect(await table("split", "id")).toEqual(["1", "2", "3", "4"]);
  });

  it("get nothing by a run that is told to do without them, and their rows by the next", async () => {
    const { db } = system;
    const some = { fields: [{ name: "number", of: "id" }, { name: "seeds" }], key: ["number"] };
    const names = { target: "spared_name", fields: [{ name: "name", of: "collector" }], numbered: "no", rows: "key" };
    await feed("spared", [
      { target: "spared_a", ...some },
      { target: "spared_b", ...some },
      { ...names, key: ["name"] },
      {
        target: "spared_link",
        fields: [{ name: "id" }, { name: "no", handed: { target: "spared_name", column: "no" } }],
        key: ["id"],
      },
    ]);
    const delivery = await deliver(db, "spared", `${HEAD}1,A,100,,\n2,B,99,,\n3,C,-1,,\n`);
    const without = (...targets: string[]) => ({ without: { targets, reason: "it is being moved" } });
    await expect(askForLoad(db, delivery, without("spared"))).rejects.toMatchObject({ code: "no-further-target" });
    const needed = askForLoad(db, delivery, without("spared_name"));
    await expect(needed).rejects.toMatchObject({ code: "target-needed" });
    await expect(needed).rejects.toThrow("A run can't do without spared_name.");
    const { id: plan } = await planInForce(db, "spared");
    const trial = await waitFor(db, await askForTrial(db, delivery, plan, without("spared_b")));
    const tried = trial.report!.further!.map((f) => f.target.replace("target.spared_", ""));
    expect(tried).toEqual(["a", "name", "link"]);
    const done = await waitFor(db, await askForLoad(db, delivery, without("spared_b", "spared_name", "spared_link")));
    expect(done.report!.further).toMatchObject([{ target: "target.spared_a", rows: 2, inserted: 2 }]);
    expect(done.report!.run!.targets).toContainEqual({ name: "spared_b", reason: "it is being moved" });
    expect(done.report!.run!.targets).toHaveLength(3);
    expect(await table("spared_a", "number")).toEqual(["1", "2"]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
    // It was so for the load alone: what it held goes to all of them.
    await releaseRecords(db, [{ load: done.id, record: 2, values: { seeds: "5" } }], "test");
    expect(await table("spared_b", "number, seeds")).toEqual(["3 5"]);
    expect(await table("spared_link", "id")).toEqual(["3"]);
    const again = await waitFor(db, await askForLoad(db, delivery, { again: true }));
    const counts = again.report!.further!.map((f) => [f.inserted, f.unchanged]);
    expect(counts).toEqual([[0, 2], ...Array<number[]>(3).fill([2, 0])]);
    await undoLoad(db, again.id, "x", "t");
    await undoLoad(db, done.id, "x", "t");
    for (const name of ["spared", "spared_a", "spared_b"]) expect(await table(name, "1")).toEqual([]);
  });

  it("get a row for each value of a list, with the numbers of another table", async () => {
    const { db } = system;
    const each = "names";
    await feed("lists", [
      {
        target: "lists_name",
        each,
        rows: "key",
        fields: [
          { name: "name", of: each },
          { name: "first_id", of: "id", takes: "first" },
          { name: "last_id", of: "id", takes: "last" },
        ],
        key: ["name"],
        numbered: "name_id",
      },
      {
        target: "lists_link",
        each,
        fields: [{ name: "id" }, { name: "name_id", handed: { target: "lists_name", column: "name_id" } }],
        key: ["id", "name_id"],
      },
    ]);
    const done = await load("lists", "1,,1,,oak;elm", "2,,1,,elm; ash", "3,,1,,");
    expect(done.report!.further).toMatchObject([
      { target: "target.lists_name", none: 1, sent: 2, rows: 3, inserted: 3 },
      { target: "target.lists_link", none: 1, sent: 2, rows: 4, inserted: 4 },
    ]);
    const links = async (): Promise<string[]> =>
      (
        await db.query(
          "select id || ' ' || name as row from target.lists_link join target.lists_name using (name_id) order by 1",
        )
      ).rows.map((r) => r.row);
    expect(await links()).toEqual(["1 elm", "1 oak", "2 ash", "2 elm"]);
    expect(await table("lists_name", "name, first_id, last_id")).toEqual(["ash 2 2", "elm 1 2", "oak 1 1"]);
    const again = await load("lists", "2,,1,,elm;fir");
    expect(again.report!.further).toMatchObject([
      { rows: 2, inserted: 1, updated: 1 },
      { rows: 2, inserted: 1, unchanged: 1 },
    ]);
    await undoLoad(db, again.id, "x", "t");
    expect(await links()).toEqual(["1 elm", "1 oak", "2 ash", "2 elm"]);
    expect(await table("lists_name", "name")).toEqual(["ash", "elm", "oak"]);
  });

  it("are written as each says: appended, replaced, only new rows, only those that are there", async () => {
    const { db } = system;
    const of = (mode: string, key: string[]): object => ({
      target: `modes_${mode.split(" ").join("_")}`,
      mode,
      fields: [{ name: "id" }, { name: "seeds" }],
      key,
    });
    await feed("modes", [
      of("append", []),
      of("replace", ["id"]),
      of("insert only", ["id"]),
      of("update only", ["id"]),
    ]);
    const one = await load("modes", "1,,1,,", "2,,2,,");
    expect(one.report!.further).toMatchObject([
      { inserted: 2 },
      { inserted: 2 },
      { inserted: 2 },
      { left: 2, inserted: 0 },
    ]);
    await db.query(`insert into target.modes_update_only (id, seeds, _load, _record) values (2, 0, 0, 0)`);
    const two = await load("modes", "2,,3,,", "3,,4,,");
    expect(two.report!.further).toMatchObject([
      { inserted: 2, left: 0 },
      { inserted: 2, left: 0 },
      { inserted: 1, updated: 0, left: 1 },
      { inserted: 0, updated: 1, left: 1 },
    ]);
    const now = async (): Promise<string[][]> =>
      await Promise.all(
        ["append", "replace", "insert_only", "update_only"].map((m) => table(`modes_${m}`, "id, seeds")),
      );
    expect(await now()).toEqual([["1 1", "2 2", "2 3", "3 4"], ["2 3", "3 4"], ["1 1", "2 2", "3 4"], ["2 3"]]);
    await undoLoad(db, two.id, "x", "t");
    expect(await now()).toEqual([["1 1", "2 2"], ["1 1", "2 2"], ["1 1", "2 2"], ["2 0"]]);
  });

  it("hold a record that their own rules would refuse, and say which table's", async () => {
    const { db } = system;
    await asOthers(
      system,
      "create schema app; create table app.stock (id bigint primary key, seeds bigint check (seeds < 50))",
    );
    await feed("ruled", [{ target: "stock", schema: "app", fields: [{ name: "id" }, { name: "seeds" }], key: ["id"] }]);
    const done = await load("ruled", "1,,10,,", "2,,70,,");
    expect(done).toMatchObject({ inserted: 1, held: 1 });
    const { rows: held } = await db.query("select problems from sieve.held where load = $1", [done.id]);
    expect(JSON.stringify(held)).toContain("stock.stock_seeds_check");
    expect((await db.query("select id from app.stock")).rows).toEqual([{ id: 1 }]);
    const [stays] = await releaseRecords(db, [{ load: done.id, record: 1 }], "test");
    expect(stays).toMatchObject({
      released: false,
      problems: [{ check: expect.stringContaining("stock.stock_seeds_check") }],
    });
    const [goes] = await releaseRecords(db, [{ load: done.id, record: 1, values: { seeds: "20" } }], "test");
    expect(goes!.released).toBe(true);
    expect((await db.query("select id, seeds from app.stock order by id")).rows).toEqual([
      { id: 1, seeds: 10 },
      { id: 2, seeds: 20 },
    ]);
  });

  it("leave nothing anywhere where one of them can't be written", async () => {
    const { db } = system;
    await feed("whole", [
      { target: "whole_before", turn: "before", fields: [{ name: "id" }], key: ["id"] },
      { target: "whole_after", fields: [{ name: "collector" }, { name: "seeds" }], key: ["collector"] },
    ]);
    const twice = await waitFor(
      db,
      await askForLoad(db, await deliver(db, "whole", `${HEAD}1,A,1,,\n2,A,2,,\n`), { again: true }),
    );
    expect(twice).toMatchObject({
      state: "failed",
      error: { detail: "Its key is collector, and each record makes a row." },
    });
    expect(twice.error!.message).toContain("target.whole_after would get 2 rows with the key “A”, of records 0 and 1");
    for (const t of ["whole", "whole_before", "whole_after"])
      expect((await db.query("select to_regclass($1) as t", [`target.${t}`])).rows[0].t).toBeNull();
    await load("whole", "1,A,1,,");
    await system.admin.query(
      "create function public.no() returns trigger language plpgsql as $$ begin return null; end $$",
    );
    await system.admin.query(
      "create trigger no before insert on target.whole_after for each row execute function public.no()",
    );
    const dropped = await waitFor(
      db,
      await askForLoad(db, await deliver(db, "whole", `${HEAD}2,B,2,,\n`), { again: true }),
    );
    expect(dropped).toMatchObject({
      state: "failed",
      error: { message: "The target took 0 of the 1 records that were to be inserted." },
    });
    expect(await table("whole_before", "id")).toEqual(["1"]);
    expect(await rows(db, "whole")).toHaveLength(1);
  });

  it("keep what something newer has written when an older record is released", async () => {
    const { db } = system;
    await feed("newer", [
      { target: "newer_all", mode: "replace", fields: [{ name: "id" }], key: ["id"] },
      { target: "newer_one", fields: [{ name: "collector" }, { name: "seeds" }], key: ["collector"] },
    ]);
    const old = await load("newer", "1,A,-1,,");
    await load("newer", "2,A,9,,");
    const [released] = await releaseRecords(db, [{ load: old.id, record: 0, values: { seeds: "1" } }], "test");
    expect(released!.released).toBe(true);
    expect(await table("newer_one", "collector, seeds")).toEqual(["A 9"]);
    // A load since has replaced all of it.
    expect(await table("newer_all", "id")).toEqual(["2"]);
    expect(await table("newer", "id, seeds")).toEqual(["1 1", "2 9"]);
  });
});

describe("a history", () => {
  it("keeps each change as a row that holds from its day on, and goes back with an undo", async () => {
    const { db, admin } = system;
    await feed("past", [
      { target: "past_seeds", mode: "history", fields: [{ name: "id" }, { name: "seeds" }], key: ["id"] },
      {
        target: "past_people",
        mode: "history",
        rows: "key",
        fields: [{ name: "collector" }, { name: "seeds", takes: "sum" }],
        key: ["collector"],
        valid: { from: "since", until: "ended" },
      },
    ]);
    // Each load as if it were asked for on a day of its own.
    await admin.query(`create table public.clock (day date); insert into public.clock values ('2030-01-01');
      grant all on public.clock to public;
      create function public.set_clock() returns trigger language plpgsql as $$ begin
        if new.feed = 'past' then new.asked_at := (select day from public.clock) + time '12:00'; end if; return new; end $$;
      create trigger set_clock before insert on sieve.load for each row execute function public.set_clock()`);
    const on = async (day: string, ...lines: string[]): Promise<Load> => {
      await admin.query("update public.clock set day = $1", [day]);
      return await load("past", ...lines);
    };
    const seeds = (): Promise<string[]> => table("past_seeds", "id, seeds, valid_from, valid_until", "id, valid_from");
    const people = (): Promise<string[]> => table("past_people", "collector, seeds, since, ended", "collector, since");
    await on("2030-01-01", "1,A,10,,", "2,A,20,,");
    // What came that day is set right that day, in its place.
    await on("2030-01-01", "1,A,11,,", "2,A,20,,");
    expect(await seeds()).toEqual(["1 11 2030-01-01 -", "2 20 2030-01-01 -"]);
    expect(await people()).toEqual(["A 31 2030-01-01 -"]);
    const delivery = await deliver(db, "past", `${HEAD}1,A,12,,\n2,A,20,,\n3,B,5,,\n`);
    await admin.query("update public.clock set day = '2030-02-01'");
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "past")).id));
    const next = await on("2030-02-01", "1,A,12,,", "2,A,20,,", "3,B,5,,");
    expect(next.report!.further).toEqual(trial.report!.further);
    expect(next.report!.further).toMatchObject([
      { rows: 3, inserted: 1, updated: 1, unchanged: 1 },
      { rows: 2, inserted: 1, updated: 1, unchanged: 0 },
    ]);
    const kept = ["1 11 2030-01-01 2030-02-01", "1 12 2030-02-01 -", "2 20 2030-01-01 -", "3 5 2030-02-01 -"];
    expect(await seeds()).toEqual(kept);
    expect(await people()).toEqual(["A 31 2030-01-01 2030-02-01", "A 32 2030-02-01 -", "B 5 2030-02-01 -"]);
    const again = await on("2030-03-01", "1,A,12,,", "2,A,20,,");
    expect(again.report!.further).toMatchObject([
      { unchanged: 2, updated: 0 },
      { unchanged: 1, updated: 0 },
    ]);
    expect(await seeds()).toEqual(kept);
    await undoLoad(db, again.id, "x", "t");
    const undone = await undoLoad(db, next.id, "wrong", "t");
    expect(undone.left).toBe(0);
    expect(await seeds()).toEqual(["1 11 2030-01-01 -", "2 20 2030-01-01 -"]);
    expect(await people()).toEqual(["A 31 2030-01-01 -"]);
    await undoWriting(db, undone.writing, { reason: "right after all", by: "t" });
    expect(await seeds()).toEqual(kept);
    await admin.query("drop trigger set_clock on sieve.load");
  });
});
