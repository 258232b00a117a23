import { expect, it } from "vitest";
import { discardRecords } from "@/engine/release/discard.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { periodOf } from "@/store/period.ts";
import { openAccounts } from "@/ui/feeds/period.ts";
import { loadNow, newFeed, useSystem } from "../support/system.ts";

/** The account of a feed over some days. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "grams", type: "decimal", precision: 9, scale: 1 },
];

it("has each load and each held record once, whatever became of them, and all of it adds up", async () => {
  const { db, admin } = system;
  await newFeed(
    db,
    "weighed",
    FIELDS,
    { key: ["id"], mode: "upsert", further: [{ target: "weighed_copy", key: ["id"] }] },
    { gates: [] },
  );
  const early = await loadNow(db, "weighed", "id,grams\n1,1.5\n2,x\n3,x\n");
  // As if it had been a month ago, by somebody who may do everything.
  await admin.query(
    "begin; set local session_replication_role = replica; update sieve.load set ended_at = ended_at - interval '40 days'; commit",
  );
  const late = await loadNow(db, "weighed", "id,grams\n1,2.5\n4,4.0\n5,x\n");
  const wrong = await loadNow(db, "weighed", "id,grams\n9,9.0\n");
  await undoLoad(db, wrong.id, "wrong file", "test");
  await releaseRecords(db, [{ load: early.id, record: 1, values: { grams: "2" } }], "test");
  await discardRecords(db, [{ load: late.id, record: 2 }], "no use", "test");
  const day = (away: number): string => new Date(Date.now() + away * 86_400_000).toISOString().slice(0, 10);
  const now = await periodOf(db, "weighed", { from: day(-7), until: day(0) });
  expect(now.loads.map((l) => [l.id, l.state])).toEqual([
    [late.id, "loaded"],
    [wrong.id, "undone"],
  ]);
  expect(now.sums).toMatchObject({ loads: 1, read: 3, inserted: 1, updated: 1, held: 1 });
  expect(now.held).toEqual({ atStart: 2, came: 1, went: { released: 1, discarded: 1 }, atEnd: 1 });
  expect(openAccounts(now.sums, now.held, now.fields)).toEqual([]);
  expect(now.fields).toEqual([
    { field: "id", ledger: "5", target: "5" },
    { field: "grams", ledger: "6.5", target: "6.5" },
  ]);
  const written = now.targets.map((t) => [t.target, t.kind, t.inserted, t.updated, t.removed]);
  for (const table of ['"target"."weighed"', '"target"."weighed_copy"']) {
    expect(written).toContainEqual([table, "load", 3, 1, 0]);
    expect(written).toContainEqual([table, "release", 1, 0, 0]);
    expect(written).toContainEqual([table, "undo", 0, 0, 1]);
  }
  const before = await periodOf(db, "weighed", { from: day(-60), until: day(-8) });
  expect(before.loads.map((l) => l.id)).toEqual([early.id]);
  expect(before.held).toEqual({ atStart: 0, came: 2, went: {}, atEnd: 2 });
  const empty = await periodOf(db, "weighed", { from: day(-600), until: day(-500) });
  expect([empty.loads, empty.held]).toEqual([[], { atStart: 0, came: 0, went: {}, atEnd: 0 }]);
});
