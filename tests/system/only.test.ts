import { describe, expect, it } from "vitest";
import { verifyLoad } from "@/engine/look/verify.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { planInForce } from "@/store/feeds.ts";
import { listHeld } from "@/store/held.ts";
import { askForTrial } from "@/store/load-requests.ts";
import { deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

/** Targets whose rows are only inserted, or only updated. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "text", length: 10 },
  { name: "place", type: "text", length: 20 },
  { name: "n", type: "integer" },
];
const upsert = { key: ["id"], mode: "upsert" };

describe("a target whose rows are only inserted", () => {
  it("gets what is new; what is there stays as it is, also where it is empty, and what came for it is counted", async () => {
    const { db } = system;
    await newFeed(db, "adds", FIELDS, { ...upsert, only: "insert" });
    await loadNow(db, "adds", "id,place,n\na,Fen,1\nb,,2\n");
    const text = "id,place,n\na,Hollow,1\nb,Hill,2\nc,Hill,3\n";
    const delivery = await deliver(db, "adds", text);
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "adds")).id));
    expect(trial.report!.balance.outcomes).toMatchObject({ inserted: 1, updated: 0, unchanged: 2, held: 0 });
    const done = await loadNow(db, "adds", `${text}\n`);
    expect(done.report!.balance).toEqual(trial.report!.balance);
    expect(done.report!.kept).toEqual([{ field: "place", because: "only", cells: 2 }]);
    const stand = [
      { id: "a", place: "Fen", n: 1 },
      { id: "b", place: null, n: 2 },
    ];
    expect(await rows(db, "adds")).toMatchObject([...stand, { id: "c", place: "Hill", n: 3 }]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
    await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    expect(await rows(db, "adds")).toMatchObject(stand);
  });
});

describe("a target whose rows are only updated", () => {
  it("is changed where every key has its row, so that nothing is held", async () => {
    const { db } = system;
    await newFeed(db, "begun", FIELDS, upsert);
    await loadNow(db, "begun", "id,place,n\na,Fen,1\nb,Hill,2\n");
    await newFeed(db, "goes_on", FIELDS, { ...upsert, target: "begun", only: "update" });
    const done = await loadNow(db, "goes_on", "id,place,n\na,Skerry,1\nb,Hill,2\n");
    expect(done).toMatchObject({ state: "loaded", inserted: 0, updated: 1, unchanged: 1, held: 0 });
    expect(await rows(db, "begun")).toMatchObject([{ place: "Skerry" }, { place: "Hill" }]);
    await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    expect(await rows(db, "begun")).toMatchObject([{ place: "Fen" }, { place: "Hill" }]);
  });

  it("holds a record whose key has no row, as its trial says; it is released once there is one", async () => {
    const { db } = system;
    await newFeed(db, "changes", FIELDS, { ...upsert, only: "update" }, { gates: [] });
    const none = await loadNow(db, "changes", "id,place,n\na,Fen,1\n");
    expect(none).toMatchObject({ state: "loaded", inserted: 0, held: 1 });
    const [held] = await listHeld(db, { feed: "changes", state: "held" });
    expect(held!.problems).toMatchObject([
      { check: "target:unmet", field: "id", value: "a", message: expect.stringContaining("No row of the target") },
    ]);
    const release = (how = {}) => releaseRecords(db, [{ load: none.id, record: held!.record }], "test", how);
    const [still] = await release();
    expect(still).toMatchObject({ released: false, problems: [{ check: "target:unmet" }] });
    await newFeed(db, "fills", FIELDS, { ...upsert, target: "changes" });
    await loadNow(db, "fills", "id,place,n\na,Hill,5\nb,Hill,6\n");
    const text = "id,place,n\na,Skerry,1\nc,Fen,2\n";
    const delivery = await deliver(db, "changes", text);
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "changes")).id));
    expect(trial.report!.balance.outcomes).toMatchObject({ inserted: 0, updated: 1, held: 1 });
    const done = await loadNow(db, "changes", `${text}\n`);
    expect(done.report!.balance).toEqual(trial.report!.balance);
    expect(done.report!.checks.find((c) => c.key === "target:unmet")).toMatchObject({ problems: 1 });
    expect(await rows(db, "changes")).toMatchObject([
      { id: "a", place: "Skerry", n: 1 },
      { id: "b", place: "Hill", n: 6 },
    ]);
    expect((await verifyLoad(db, done.id)).differs).toEqual([]);
    await undoWriting(db, done.writing!, { reason: "looked at", by: "test" });
    expect(await rows(db, "changes")).toMatchObject([{ place: "Hill", n: 5 }, { place: "Hill" }]);
    // The row came after it, so that a person has to say that the older record is right.
    expect((await release())[0]).toMatchObject({ released: false, overtaken: { now: { place: "Hill" } } });
    expect((await release({ overtaken: true }))[0]).toMatchObject({ released: true });
    expect(await rows(db, "changes")).toMatchObject([{ place: "Fen", n: 1 }, { place: "Hill" }]);
  });
});
