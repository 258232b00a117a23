import { expect, it } from "vitest";
import { discardRecords } from "@/engine/release/discard.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { periodRows } from "@/engine/look/period-rows.ts";
import { letThrough } from "@/store/load-requests.ts";
import { countHeld } from "@/store/held.ts";
import { periodOf } from "@/store/period.ts";
import { openAccounts } from "@/ui/feeds/period.ts";
import { loadNow, newFeed, useSystem, waitFor } from "../support/system.ts";

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
  expect(now.held).toEqual({ atStart: 2, came: 1, went: { released: 1, discarded: 1 }, atEnd: 1, overtaken: 0 });
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
  expect(before.held).toEqual({ atStart: 0, came: 2, went: {}, atEnd: 2, overtaken: 0 });
  const empty = await periodOf(db, "weighed", { from: day(-600), until: day(-500) });
  expect([empty.loads, empty.held]).toEqual([[], { atStart: 0, came: 0, went: {}, atEnd: 0, overtaken: 0 }]);
});

it("has what senders announced beside what came, and goes out as one table", async () => {
  const { db } = system;
  const gate = {
    limit: "control totals",
    in: "last lines",
    find: "^END;(?P<n>\\d+);(?P<g>[\\d.]+)",
    records: "n",
    sums: [{ field: "grams", group: "g" }],
  };
  await newFeed(
    db,
    "announced",
    FIELDS,
    { key: ["id"] },
    { gates: [gate], read: { as: "delimited", delimiter: ",", skip_end: 1 } },
  );
  const right = await loadNow(db, "announced", "id,grams\n1,1.5\n2,2.5\nEND;2;4\n");
  expect(right.state).toBe("loaded");
  const short = await loadNow(db, "announced", "id,grams\n3,1.5\nEND;2;4\n");
  expect(short.state).toBe("stopped");
  const day = new Date().toISOString().slice(0, 10);
  const days = { from: day, until: day };
  const agreed = [
    { what: "records", loads: 1, announced: 2, came: 2 },
    { what: "sum of grams", loads: 1, announced: 4, came: 4 },
  ];
  expect((await periodOf(db, "announced", days)).announced).toEqual(agreed);
  // Let through, it stands, and what is missing is seen.
  await letThrough(db, short.id, "the rest comes tomorrow");
  await waitFor(db, short.id);
  const period = await periodOf(db, "announced", days);
  expect(period.announced).toEqual([
    { what: "records", loads: 2, announced: 4, came: 3 },
    { what: "sum of grams", loads: 2, announced: 8, came: 5.5 },
  ]);
  const rows = periodRows(period);
  expect(rows[0]).toEqual(["account", "of", "what", "value"]);
  expect(rows).toEqual(
    expect.arrayContaining([
      ["load, loaded", String(right.id), "inserted", "2"],
      ["loads that stand", "", "read", "3"],
      ["quarantine", "", "at the end", "0"],
      ["target, load", '"target"."announced"', "inserted", "3"],
      ["sum", "grams", "in the target", "5.5"],
      ["announced", "sum of grams", "came", "5.5"],
    ]),
  );
  expect(new Set(rows.map((r) => r.length))).toEqual(new Set([4]));
});

it("says how many of those that are still held something newer has overtaken", async () => {
  const { db } = system;
  await newFeed(db, "overtaken", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
  await loadNow(db, "overtaken", "id,grams\n1,x\n2,x\n");
  await loadNow(db, "overtaken", "id,grams\n1,1.5\n");
  const day = new Date().toISOString().slice(0, 10);
  const period = await periodOf(db, "overtaken", { from: day, until: day });
  expect(period.held).toEqual({ atStart: 0, came: 2, went: {}, atEnd: 2, overtaken: 1 });
  expect(await countHeld(db, { feed: "overtaken" })).toBe(1);
  expect(periodRows(period)).toContainEqual(["quarantine", "", "of them overtaken by something newer", "1"]);
});
