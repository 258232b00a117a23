import { expect, it } from "vitest";
import { discardRecords } from "@/engine/release/discard.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { deliver, loadNow, newFeed, useSystem, waitFor } from "../support/system.ts";

/** The view that shows others what is held. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "grams", type: "decimal", precision: 9, scale: 1 },
];

const seen = async (columns = "id, grams, _line, _problems"): Promise<unknown[]> =>
  (await system.db.query({ text: `select ${columns} from target.lots_held order by _load, _record`, rowMode: "array" }))
    .rows;

/** What of a plan's document is changed here. */
interface Document {
  contract: { fields: object[] };
  load: Record<string, unknown>;
}

/** The plan in force with something else in it. */
async function replan(feed: string, change: (document: Document) => void): Promise<void> {
  const document = structuredClone((await planInForce(system.db, feed)).document) as unknown as Document;
  change(document);
  await savePlan(system.db, feed, document, "for a test", "test");
}

it("has what is held as it is at each moment, keeps its rights, and goes with the plan's wish", async () => {
  const { db, admin } = system;
  await newFeed(db, "lots", FIELDS, { key: ["id"], mode: "upsert", held_in: "lots_held" }, { gates: [] });
  const first = await loadNow(db, "lots", "id,grams\n1,1.5\n2,heavy\n,3\n4,light\n");
  expect(await seen()).toEqual([
    ["2", "heavy", 3, "grams “heavy” is not a number that fits."],
    [null, "3", 4, "id is empty."],
    ["4", "light", 5, "grams “light” is not a number that fits."],
  ]);
  await releaseRecords(db, [{ load: first.id, record: 1, values: { grams: "2" } }], "test");
  await releaseRecords(db, [{ load: first.id, record: 3, values: { grams: "about 2" } }], "test");
  await discardRecords(db, [{ load: first.id, record: 2 }], "no use", "test");
  // As a person has mended it, though it is still wrong.
  expect(await seen("id, grams, _file")).toEqual([["4", "about 2", "file-0.csv"]]);

  await admin.query(`create role reader_${process.pid} login; grant usage on schema target to reader_${process.pid};
    grant select on target.lots_held to reader_${process.pid}`);
  const may = async (): Promise<boolean> =>
    (await admin.query(`select has_table_privilege('reader_${process.pid}', 'target.lots_held', 'select') as may`))
      .rows[0].may;
  // The first field goes, and another comes: the old record has nothing of that.
  await replan("lots", (d) => {
    d.contract.fields = [{ ...FIELDS[0], name: "lot", also: ["id"] }, FIELDS[1]!, { name: "room", type: "text" }];
    d.load["key"] = ["lot"];
    d.load["target"] = "lots_again";
  });
  const second = await loadNow(db, "lots", "id,grams,room\n7,x,cellar\n");
  expect(await seen("lot, grams, room, _load")).toEqual([
    [null, "about 2", null, first.id],
    ["7", "x", "cellar", second.id],
  ]);
  expect(await may()).toBe(true);
  await undoLoad(db, second.id, "wrong", "test");
  expect(await seen("_load")).toEqual([[first.id]]);

  // What hangs on it is not taken away, and the load says so.
  await admin.query("create view public.hanging as select lot from target.lots_held");
  await replan("lots", (d) => d.contract.fields.reverse());
  const stuck = await waitFor(
    db,
    await askForLoad(db, await deliver(db, "lots", "id,grams,room\n8,1,x\n"), { again: true }),
  );
  expect(stuck).toMatchObject({ state: "failed" });
  expect(stuck.error!.message).toContain("others hang on it");
  await admin.query("drop view public.hanging");
  await replan("lots", (d) => delete d.load["held_in"]);
  await loadNow(db, "lots", "id,grams,room\n9,1,x\n");
  expect((await db.query("select to_regclass('target.lots_held') as view")).rows[0].view).toBeNull();
});

it("takes no name that is taken", async () => {
  const { db } = system;
  await newFeed(db, "taken", FIELDS, { key: ["id"], held_in: "taken_held" }, { gates: [] });
  await db.query("create table target.taken_held (x integer)");
  const load = await waitFor(db, await askForLoad(db, await deliver(db, "taken", "id,grams\n1,1\n"), { again: true }));
  expect(load).toMatchObject({ state: "failed", error: { message: expect.stringContaining("target.taken_held") } });
  const document = { ...(await planInForce(db, "taken")).document };
  await expect(
    savePlan(db, "taken", { ...document, load: { ...document.load, held_in: "taken" } }, "x", "test"),
  ).rejects.toMatchObject({ code: "plan-invalid", detail: expect.stringContaining("is a target") });
});
