import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { asLongWork, stopWork, workAt } from "@/engine/apart/long-work.ts";
import { join } from "node:path";
import { beforeAll, describe, expect, it } from "vitest";
import { releaseAll, type BulkMend, type BulkReleased } from "@/engine/release/release-all.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { countHeld, listHeld } from "@/store/held.ts";
import { root } from "../../scripts/lib/machine.mjs";
import { loadNow, newFeed, rows, useSystem } from "../support/system.ts";

const system = useSystem();

beforeAll(() => {
  // For work in a process of its own.
  process.env["SIEVE_APART"] = join(root, "dist/apart.js");
  process.env["DATABASE_URL"] = system.url;
});

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "land", type: "code", values: ["NO", "SE"] },
  { name: "n", type: "integer" },
];
const LAND = "land:type";

/** So many records with a land that is none, and every tenth with a number that is none beside. */
async function begin(feed: string, many: number): Promise<number> {
  await newFeed(system.db, feed, FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
  const lines = Array.from({ length: many }, (_, i) => `x${i},${i % 2 ? "N.O" : "S.E"},${i % 10 ? i : "ten"}`);
  const load = await loadNow(system.db, feed, `id,land,n\n${lines.join("\n")}\n`);
  expect(load.held).toBe(many);
  return load.id;
}

const all = (feed: string, mend: BulkMend, preview = false, check = LAND): Promise<BulkReleased> =>
  releaseAll(system.db, { feed, check }, { mend, by: "steward", preview });

describe("all records of a cause at once", () => {
  it("are mended in one way, and say beforehand what then happens", async () => {
    await begin("many", 12_000);
    const mend: BulkMend = { how: "replace", field: "land", find: ".", to: "" };
    const tried = await all("many", mend, true);
    expect(tried).toMatchObject({ records: 12_000, released: 10_800, waiting: 0, overtaken: 0 });
    expect(tried.stay).toEqual([
      { title: "n is not a whole number", count: 1200, example: "n “ten” is not a whole number." },
    ]);
    expect(tried.mended).toEqual([
      { from: "S.E", to: "SE" },
      { from: "N.O", to: "NO" },
    ]);
    // Nothing has happened yet.
    expect(await countHeld(system.db, { feed: "many" })).toBe(12_000);
    expect(
      (await system.db.query("select 1 from sieve.writing where feed = 'many' and kind = 'release'")).rows,
    ).toEqual([]);
    expect(await all("many", mend)).toEqual(tried);
    expect(await countHeld(system.db, { feed: "many" })).toBe(1200);
    expect(await rows(system.db, "many")).toHaveLength(10_800);
    // What was mended stays with those that are still wrong.
    const [left] = await listHeld(system.db, { feed: "many" }, "", 1);
    expect(left!.mended).toEqual({ land: "SE" });
    const { rows: writings } = await system.db.query<{ id: number }>(
      "select id from sieve.writing where feed = 'many' and kind = 'release'",
    );
    expect(writings).toHaveLength(1);
    await undoWriting(system.db, writings[0]!.id, { reason: "too soon", by: "steward" });
    expect(await countHeld(system.db, { feed: "many" })).toBe(12_000);
    expect(await rows(system.db, "many")).toEqual([]);
  });

  it("with one key twice: the first is written, the other stays, however many lie between them", async () => {
    const { db } = system;
    await newFeed(db, "far", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    await loadNow(db, "far", "id,land,n\nx0,NO,1\n");
    const lines = Array.from({ length: 6000 }, (_, i) => `x${i % 5999},N.O,${i}`);
    await loadNow(db, "far", `id,land,n\n${lines.join("\n")}\n`);
    const done = await all("far", { how: "replace", field: "land", find: ".", to: "" });
    expect(done).toMatchObject({ records: 6000, released: 5999 });
    expect(done.stay[0]!.example).toBe("id “x0” comes with another record that is released with it.");
    expect((await rows(db, "far")).filter((r) => r["id"] === "x0")).toMatchObject([{ n: 0 }]);
    const { rows: writings } = await db.query<{ id: number }>(
      "select id from sieve.writing where feed = 'far' and kind = 'release'",
    );
    await undoWriting(db, writings[0]!.id, { reason: "too soon", by: "steward" });
    expect(await rows(db, "far")).toMatchObject([{ id: "x0", n: 1 }]);
  });

  it("get one value, or none of it; as they are where the plan has changed", async () => {
    await begin("values", 20);
    expect(await all("values", { how: "as they are" }, true)).toMatchObject({ records: 20, released: 0 });
    expect(await all("values", { how: "set", field: "land", to: "" }, true)).toMatchObject({ released: 18 });
    expect(await all("values", { how: "set", field: "land", to: "NO" })).toMatchObject({ released: 18 });
    expect((await rows(system.db, "values")).every((r) => r["land"] === "NO")).toBe(true);
    const rest = await all("values", { how: "set", field: "n", to: "10" }, false, "n:type");
    expect(rest).toMatchObject({ records: 2, released: 2, stay: [] });
  });

  it("of one load are of that alone, and what was written since stays overtaken", async () => {
    const first = await begin("loads", 10);
    const second = await loadNow(system.db, "loads", "id,land,n\nx0,??,1\nx3,NO,3\n");
    const mend: BulkMend = { how: "set", field: "land", to: "SE" };
    const filter = { feed: "loads", load: first };
    const tried = await releaseAll(system.db, filter, { mend, by: "steward", preview: true });
    // One is overtaken by the second load's row, and one lives on as it came last.
    expect(tried.records).toBe(8);
    await releaseAll(system.db, { feed: "loads", load: second.id }, { mend, by: "steward", preview: false });
    expect((await rows(system.db, "loads")).map((r) => r["id"]).sort()).toEqual(["x0", "x3"]);
  });

  it("are refused in words: a field that is not there, nothing that is held", async () => {
    await begin("none", 2);
    await expect(all("none", { how: "set", field: "x", to: "" })).rejects.toMatchObject({ code: "no-field" });
    await expect(all("none", { how: "as they are" }, false, "id:required")).rejects.toMatchObject({
      code: "no-records",
    });
  });

  it("say how far they are, and are all taken back where it is stopped, up to the last moment", async () => {
    await begin("stoppable", 12_000);
    const mend: BulkMend = { how: "set", field: "land", to: "NO" };
    const run = (name: string, stopAt?: string) => {
      const seen: string[] = [];
      const work = asLongWork(name, ({ onWork, stop }) =>
        apart(
          "release of all",
          { filter: { feed: "stoppable", check: "land:type" }, mend, by: "test", preview: false },
          {
            ...writeLimits(),
            stop,
            onWork(at) {
              onWork!(at);
              expect(workAt(name)).toEqual(at);
              if (seen.at(-1) !== at.stage) seen.push(at.stage);
              if (at.stage === stopAt) expect(stopWork(name)).toBe(true);
            },
          },
        ),
      );
      return { seen, work };
    };
    const held = await countHeld(system.db, { feed: "stoppable" });
    for (const stage of ["mending", "checking"]) {
      const { work } = run(`stopped-${stage}`, stage);
      await expect(work).rejects.toMatchObject({ code: "stopped" });
      expect(await countHeld(system.db, { feed: "stoppable" })).toBe(held);
      expect(
        await system.db.query("select from sieve.writing where feed = 'stoppable' and kind = 'release'"),
      ).toMatchObject({
        rowCount: 0,
      });
      expect(workAt(`stopped-${stage}`)).toBeNull();
    }
    const { seen, work } = run("whole-work");
    const done = await work;
    expect(seen).toEqual(["mending", "checking", "closing"]);
    expect(done.released).toBe(10_800);
    expect(await countHeld(system.db, { feed: "stoppable" })).toBe(held - done.released);
    expect(stopWork("whole-work")).toBe(false);
  });

  it("are mended by a formula over the record, tried on all of them first", async () => {
    await begin("computed", 40);
    const mend: BulkMend = { how: "formula", field: "land", by: "id == 'x4' ? 'NO' : it.replace('.', '')" };
    const tried = await all("computed", mend, true);
    expect(tried).toMatchObject({ records: 40, released: 36 });
    expect(tried.mended).toEqual([
      { from: "S.E", to: "SE" },
      { from: "N.O", to: "NO" },
    ]);
    expect(await countHeld(system.db, { feed: "computed" })).toBe(40);
    await all("computed", mend);
    const lands = await system.db.query("select land, count(*)::int as n from target.computed group by 1 order by 1");
    expect(lands.rows).toEqual([
      { land: "NO", n: 21 },
      { land: "SE", n: 15 },
    ]);
    await expect(all("computed", { how: "formula", field: "land", by: "nothing + 1" })).rejects.toMatchObject({
      code: "formula-invalid",
    });
    // A formula without a value leaves the cell as it is.
    const none = await all("computed", { how: "formula", field: "n", by: "int(it) + 1" }, true, "n:type");
    expect(none).toMatchObject({ records: 4, released: 0, mended: [] });
  });
});
