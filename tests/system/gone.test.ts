import { describe, expect, it } from "vitest";
import { verifyLoad } from "@/engine/look/verify.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { planInForce } from "@/store/feeds.ts";
import { askForTrial } from "@/store/load-requests.ts";
import type { Load } from "@/store/loads.ts";
import { asOthers, deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

/** Rows of a target whose key no longer comes. */

const system = useSystem();

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "garden", type: "text", length: 10 },
  { name: "n", type: "integer" },
  { name: "ended_on", type: "date" },
];
const HEAD = "id,garden,n\n";
const ids = async (table: string): Promise<unknown[]> => (await rows(system.db, table)).map((r) => r["id"]);

async function feed(name: string, gone: object, more: object = {}): Promise<void> {
  const load = { key: ["id"], mode: "upsert", gone: { at_most: 1, ...gone }, ...more };
  await newFeed(system.db, name, FIELDS, load, { gates: [] });
}
const load = (name: string, ...lines: string[]): Promise<Load> =>
  loadNow(system.db, name, HEAD + lines.map((l) => `${l}\n`).join(""));

describe("rows that no longer come", () => {
  it("are none of a table that was there before, until a load has written some", async () => {
    const { db } = system;
    await asOthers(
      system,
      `create schema before; create table before.plots (id bigint primary key, garden text, n bigint, ended_on date);
       insert into before.plots values (100, 'A', 1, null); grant usage, create on schema before to public`,
    );
    await feed("plots", { do: "remove" }, { schema: "before", target: "plots" });
    const first = await load("plots", "1,A,1", "2,A,2");
    expect([first.state, first.report!.gone]).toEqual(["loaded", undefined]);
    const second = await load("plots", "1,A,1", "3,A,3");
    expect(second.report!.gone).toMatchObject({ rows: 1, of: 2 });
    const { rows: now } = await db.query("select id::int from before.plots order by id");
    expect(now.map((r: { id: number }) => r.id)).toEqual([1, 3, 100]);
  });

  it("are removed, counted first by a trial, and come back by an undo", async () => {
    const { db } = system;
    await feed("full", { do: "remove" });
    await load("full", "1,A,1", "2,A,2", "3,A,3");
    const delivery = await deliver(db, "full", `${HEAD}1,A,1\n3,A,4\n4,A,5\n`);
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "full")).id));
    expect(trial.report!.gone).toEqual({ did: "remove", rows: 1, of: 3, referred: 0, unsure: 0, left: false });
    expect(await ids("full")).toEqual([1, 2, 3]);
    const done = await load("full", "1,A,1", "3,A,4", "4,A,5");
    expect(done).toMatchObject({ state: "loaded", inserted: 1, updated: 1, unchanged: 1 });
    expect(done.report!.gone).toEqual(trial.report!.gone);
    expect(await ids("full")).toEqual([1, 3, 4]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
    await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    expect((await rows(db, "full")).map((r) => [r["id"], r["n"]])).toEqual([
      [1, 1],
      [2, 2],
      [3, 3],
    ]);
  });

  it("are marked with the day, once, and are no longer when they come again", async () => {
    const { db } = system;
    await feed("marked", { do: "mark", field: "ended_on" });
    await load("marked", "1,A,1", "2,A,2");
    const first = await load("marked", "1,A,1");
    const day = first.askedAt.toISOString().slice(0, 10);
    const marks = async () =>
      (await db.query("select id, ended_on::text as ended, _load from target.marked order by id")).rows;
    expect(first.report!.gone).toMatchObject({ did: "mark", rows: 1, of: 2 });
    // The row stays of the load that it came from.
    expect(await marks()).toMatchObject([{ ended: null }, { id: 2, ended: day, _load: first.id - 1 }]);
    const second = await load("marked", "1,A,1");
    expect(second.report!.gone).toMatchObject({ rows: 0, of: 1 });
    const third = await load("marked", "1,A,1", "2,A,2");
    expect(third).toMatchObject({ updated: 1, unchanged: 1 });
    expect(await marks()).toMatchObject([{ ended: null }, { ended: null }]);
    expect(third.report!.drift).toEqual([]);
    await undoWriting(db, third.writing!, { reason: "x", by: "t" });
    await undoWriting(db, second.writing!, { reason: "x", by: "t" });
    expect((await marks())[1]).toMatchObject({ ended: day });
    await undoWriting(db, first.writing!, { reason: "x", by: "t" });
    expect((await marks())[1]).toMatchObject({ ended: null });
  });

  it("are only those of the values that came, and of this feed's loads", async () => {
    await feed("slice", { do: "remove", within: ["garden"] });
    await feed("other_slice", { do: "remove" }, { target: "slice" });
    await load("slice", "1,A,1", "2,A,2", "3,B,3", "4,,4");
    await load("other_slice", "9,A,9");
    await asOthers(system, "insert into target.slice (id, garden, _load, _record) values (100, 'A', 0, 0)");
    const done = await load("slice", "1,A,1");
    expect(done.report!.gone).toMatchObject({ rows: 1, of: 2 });
    expect(await ids("slice")).toEqual([1, 3, 4, 9, 100]);
    // Without a garden is a value too.
    await load("slice", "5,,5");
    expect(await ids("slice")).toEqual([1, 3, 5, 9, 100]);
  });

  it("are none that a held record is of, whatever held it", async () => {
    const { db } = system;
    await newFeed(
      db,
      "held",
      [...FIELDS.slice(0, 3), { name: "w", type: "integer" }],
      { key: ["id"], mode: "upsert", gone: { do: "remove", at_most: 1 } },
      {
        gates: [],
        check: [
          { check: "no overlaps", from: "n", to: "w" },
          { name: "small", that: "n < 100" },
        ],
      },
    );
    await loadNow(db, "held", "id,garden,n,w\n1,A,1,1\n2,A,2,2\n3,A,3,3\n4,A,4,4\n5,A,5,5\n");
    await asOthers(system, "alter table target.held add constraint known check (garden <> 'X')");
    // By a formula, by the target's rule, by a check between records, by a type; 5 did not come.
    const done = await loadNow(db, "held", "id,garden,n,w\n1,A,500,500\n2,X,2,2\n3,A,30,40\n4,A,35,36\n");
    expect(done).toMatchObject({ state: "loaded", held: 3 });
    expect(done.report!.gone).toMatchObject({ rows: 1, of: 5, unsure: 0 });
    expect(await ids("held")).toEqual([1, 2, 3, 4]);
    const twice = await loadNow(db, "held", "id,garden,n,w\n1,A,1,1\n2,A,2,2\n3,A,3,3\n4,A,4,x\n4,A,4,4\n");
    expect(twice.report!.gone).toMatchObject({ rows: 0, unsure: 0 });
    expect(await ids("held")).toEqual([1, 2, 3, 4]);
  });

  it("are left where a held record has no sound key, unless the plan goes on", async () => {
    const { db } = system;
    await feed("unsure", { do: "remove" });
    await load("unsure", "1,A,1", "2,A,2");
    const left = await load("unsure", "1,A,1", "two,A,2", ",A,2");
    expect(left.report!.gone).toEqual({ did: "remove", rows: 1, of: 2, referred: 0, unsure: 2, left: true });
    expect(await ids("unsure")).toEqual([1, 2]);
    // Mended and released it is the row that had seemed gone.
    const [released] = await releaseRecords(db, [{ load: left.id, record: 1, values: { id: "2" } }], "test");
    expect(released!.released).toBe(true);
    await feed("sure", { do: "remove", unsure: "go on" });
    await load("sure", "1,A,1", "2,A,2");
    const gone = await load("sure", "1,A,1", "two,A,2");
    expect(gone.report!.gone).toMatchObject({ unsure: 1, left: false });
    expect(await ids("sure")).toEqual([1]);
  });

  it("stop the load where they are too many, and are never removed where others refer to them", async () => {
    const { db } = system;
    await feed("many", { do: "remove", at_most: 0.5 });
    await load("many", "1,A,1", "2,A,2", "3,A,3");
    const stopped = await load("many", "1,A,1");
    expect(stopped.state).toBe("stopped");
    expect(stopped.report!.gates.find((g) => !g.passed)).toMatchObject({
      gate: "gone share",
      message: "66.7 % of the rows did not come (2 of 3); the limit is 50 %.",
    });
    expect(await ids("many")).toEqual([1, 2, 3]);
    await asOthers(
      system,
      "create table target.label (many integer references target.many on delete cascade); insert into target.label values (2)",
    );
    const done = await load("many", "1,A,1", "4,A,4", "5,A,5", "3,A,3");
    expect(done.report!.gone).toMatchObject({ rows: 1, referred: 1 });
    expect(await ids("many")).toEqual([1, 2, 3, 4, 5]);
    expect((await db.query("select * from target.label")).rows).toHaveLength(1);
  });
});
