import { describe, expect, it } from "vitest";
import { joinClusters, joinRow, putBack, splitMember } from "@/engine/match/clusters.ts";
import { decidePairs, withdrawPairs } from "@/engine/match/decide.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { cannotUndo } from "@/engine/undo/kept.ts";
import { previewUndo } from "@/engine/undo/preview.ts";
import { undoLoad, undoWriting } from "@/engine/undo/undo.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { countHeld } from "@/store/held.ts";
import { getLoad } from "@/store/loads.ts";
import { askedPairs, loadClusters } from "@/store/matches.ts";
import { asOthers, loadNow, newFeed, rows, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer" },
];
const all = async (table: string) =>
  (await rows(system.db, table, "id")).map((r) => `${r["id"]}${r["n"]}/${r["_load"]}`);

const states = async (load: number) =>
  (
    await system.db.query<{ state: string }>("select state from sieve.held where load = $1 order by record", [load])
  ).rows.map((r) => r.state);

describe("a load is undone as a whole", () => {
  it("in append mode: its rows go, those that were released from its quarantine too, and its bytes may come again", async () => {
    const { db } = system;
    await newFeed(db, "appends", FIELDS, { key: ["id"] }, { gates: [] });
    const one = await loadNow(db, "appends", "id,n\na,1\n");
    const text = "id,n\nb,2\nc,x\nd,y\n";
    const two = await loadNow(db, "appends", text);
    await releaseRecords(db, [{ load: two.id, record: 1, values: { n: "3" } }], "t");
    expect(await all("appends")).toEqual([`a1/${one.id}`, `b2/${two.id}`, `c3/${two.id}`]);
    await expect(undoLoad(db, two.id, " ", "t")).rejects.toThrow("A reason is needed.");
    expect(await undoLoad(db, two.id, "wrong month", "Ines")).toMatchObject({ removed: 2, restored: 0, left: 0 });
    expect(await all("appends")).toEqual([`a1/${one.id}`]);
    expect(await getLoad(db, two.id)).toMatchObject({
      state: "undone",
      undone: "wrong month",
      undoneBy: "Ines",
      held: 2,
    });
    expect(await countHeld(db, { load: two.id })).toBe(0);
    await expect(undoLoad(db, two.id, "again", "t")).rejects.toThrow("is undone");
    const again = await loadNow(db, "appends", text);
    expect(again).toMatchObject({ state: "loaded", inserted: 1, held: 2 });
    await undoLoad(db, again.id, "x", "t");
    await undoLoad(db, one.id, "x", "t");
    expect(await all("appends")).toEqual([]);
  });

  it("a held record that it overtook and closed is held again, wherever the notes of that have come to lie", async () => {
    const { db } = system;
    await newFeed(db, "notes", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const one = await loadNow(db, "notes", "id,n\na,x\nb,2\n");
    // Its row overtakes the held one, and its own held one is the older one come again.
    const two = await loadNow(db, "notes", "id,n\na,1\na,y\n");
    expect(await states(one.id)).toEqual(["closed"]);
    // Free places of the table are used again: the first note comes to lie behind the second.
    const { rowCount } = await db.query(
      `with moved as (delete from sieve.store_before where relation = 'held' and was->>'state' = 'held'
         and (key->>'load')::int = $1 returning *)
       insert into sieve.store_before overriding system value select * from moved`,
      [one.id],
    );
    expect(rowCount).toBe(1);
    await undoLoad(db, two.id, "x", "t");
    expect(await states(one.id)).toEqual(["held"]);
  });

  it("in upsert mode: rows that it updated are as they were, rows that it did not touch have not moved", async () => {
    const { db } = system;
    await newFeed(db, "upserts", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const one = await loadNow(db, "upserts", "id,n\na,1\nb,2\nc,3\n");
    const two = await loadNow(db, "upserts", "id,n\nb,20\nc,3\nd,4\n");
    expect(two).toMatchObject({ inserted: 1, updated: 1, unchanged: 1 });
    expect(await all("upserts")).toEqual([`a1/${one.id}`, `b20/${two.id}`, `c3/${one.id}`, `d4/${two.id}`]);
    const three = await loadNow(db, "upserts", "id,n\nb,200\nd,\n");
    expect(await undoLoad(db, three.id, "x", "t")).toMatchObject({ removed: 0, restored: 1 });
    expect(await all("upserts")).toEqual([`a1/${one.id}`, `b20/${two.id}`, `c3/${one.id}`, `d4/${two.id}`]);
    await undoLoad(db, two.id, "x", "t");
    expect(await all("upserts")).toEqual([`a1/${one.id}`, `b2/${one.id}`, `c3/${one.id}`]);
  });

  it("in replace mode: what it replaced is back, whether a table took its place or its rows did", async () => {
    const { db } = system;
    await newFeed(db, "replaces", FIELDS, { key: ["id"], mode: "replace" }, { gates: [] });
    const one = await loadNow(db, "replaces", "id,n\na,1\nb,2\n");
    const two = await loadNow(db, "replaces", "id,n\nc,3\n");
    const before = [`a1/${one.id}`, `b2/${one.id}`];
    await undoLoad(db, two.id, "x", "t");
    expect(await all("replaces")).toEqual(before);
    // A view on the target: no other table can take its place.
    await asOthers(system, "create view public.seen as select id from target.replaces");
    const three = await loadNow(db, "replaces", "id,n\nd,4\ne,5\n");
    expect(await all("replaces")).toEqual([`d4/${three.id}`, `e5/${three.id}`]);
    await undoLoad(db, three.id, "x", "t");
    expect(await all("replaces")).toEqual(before);
    // What was there before a load that replaced it all can only be undone after it.
    const other = await loadNow(db, "replaces", "id,n\nf,6\n");
    const last = await loadNow(db, "replaces", "id,n\ng,7\n");
    await expect(undoLoad(db, other.id, "x", "t")).rejects.toThrow(
      `Load ${last.id} has replaced all of target.replaces since.`,
    );
    expect(await all("replaces")).toEqual([`g7/${last.id}`]);
    await undoLoad(db, last.id, "x", "t");
    expect(await all("replaces")).toEqual([`f6/${other.id}`]);
    await undoLoad(db, other.id, "x", "t");
    expect(await all("replaces")).toEqual(before);
    const four = await loadNow(db, "replaces", "id,n\na,9\na,9\n");
    expect(four).toMatchObject({ inserted: 1, held: 1 });
    await undoLoad(db, four.id, "x", "t");
    await undoLoad(db, one.id, "x", "t");
    expect(await all("replaces")).toEqual([]);
  });

  it("unless the plan keeps nothing for it, or it is too long ago", async () => {
    const { db } = system;
    await newFeed(db, "olds", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const ids: number[] = [];
    for (let i = 0; i < 7; i++) ids.push((await loadNow(db, "olds", `id,n\na,${i}\n`)).id);
    for (const id of ids.slice(-5).reverse()) await undoLoad(db, id, "x", "t");
    expect(await cannotUndo(db, ids[1]!)).toMatchObject({
      message: `The rows that load ${ids[1]} changed are not kept as they were.`,
    });
    const { document, version } = await planInForce(db, "olds");
    const load = { ...document.load, undo: false };
    await savePlan(db, "olds", { ...document, load }, "no undo", "t", version!);
    const last = await loadNow(db, "olds", "id,n\na,77\n");
    expect((await cannotUndo(db, last.id))!.hint).toContain("The plan says");
    const added = await loadNow(db, "olds", "id,n\nz,1\n");
    expect(await undoLoad(db, added.id, "x", "t")).toMatchObject({ removed: 1, restored: 0 });
  });

  it("with what it merged, and with what people decided since", async () => {
    const { db } = system;
    const people = [
      { name: "id", type: "text", required: true },
      { name: "name", type: "text" },
      { name: "town", type: "text" },
      { name: "born", type: "date", formats: ["yyyy-MM-dd"] },
    ];
    const match = {
      against: ["delivery", "target"],
      fields: [
        { in: ["name"], by: "person", weights: [20, 2, 2, 2, 0, -4, -12] },
        { in: ["town"], by: "equal", weights: [4, -2] },
        { in: ["born"], by: "date", weights: [12, 8, 6, 4, 0, -6] },
      ],
      limits: { same: 90, ask: 50 },
    };
    await newFeed(db, "persons", people, { key: ["id"] }, { match, gates: [] });
    const names = ["Tamsin Drewe", "Colm Foxmoor", "Ivo Merrin", "Aud Hatch", "Mel Quenby", "Zoe Lindqvar"];
    const body = names.map((n, i) => `p${i},${n},,19${50 + i}-01-0${i + 1}`).join("\n");
    await loadNow(db, "persons", `id,name,town,born\n${body}\n`);
    const read = async () =>
      (await rows(db, "persons", "id")).map((r) => [r["id"], r["name"], r["town"], r["_load"]].join("|"));
    const before = await read();
    const two = await loadNow(
      db,
      "persons",
      `id,name,town,born\nq0,Tamsin Drewe,Brindle,1950-01-01\nq1,Colm Foxmore,,1951-02-01\nq2,Wholly New,Fen,1999-09-09\n`,
    );
    expect(two).toMatchObject({ state: "loaded", merged: 1, waiting: 1 });
    expect((await read()).find((r) => r.startsWith("p0"))).toContain("Brindle");
    const { rows: open } = await db.query<{ id: number }>(
      "select id from sieve.match_pair where load = $1 and band = 'ask'",
      [two.id],
    );
    expect(open.length).toBe(two.waiting);
    await decidePairs(
      db,
      open.map((p) => ({ pair: p.id, decision: "same" as const })),
      "t",
    );
    await undoLoad(db, two.id, "not yet", "t");
    expect(await read()).toEqual(before);
    expect((await db.query("select from sieve.waiting where load = $1 and state <> 'undone'", [two.id])).rowCount).toBe(
      0,
    );
    // What was decided is about the contents, and known when they come again.
    const { rows: decisions } = await db.query("select from sieve.match_decision where feed = 'persons'");
    expect(decisions.length).toBe(open.length);
  });
});

describe("a load that was undone and done again more than once", () => {
  it("is undone over what has been written since, each row once", async () => {
    const { db } = system;
    const fields = [
      { name: "id", type: "text", required: true },
      { name: "name", type: "text" },
    ];
    await newFeed(db, "again", fields, { key: ["id"], mode: "upsert" }, { gates: [] });
    const load = await loadNow(db, "again", "id,name\na,1\nb,1\n");
    const turn = { reason: "x", by: "t" };
    for (let i = 0; i < 2; i++) {
      const { writing } = await undoWriting(db, load.writing!, turn);
      await undoWriting(db, writing, turn);
    }
    await loadNow(db, "again", "id,name\na,2\n");
    const { left, does } = await previewUndo(db, load.writing!);
    expect(left.changed).toBe(1);
    expect(does.remove).toBe(1);
    expect(await undoWriting(db, load.writing!, { ...turn, over: "all" })).toMatchObject({ removed: 2, left: 0 });
    expect(await rows(db, "again")).toEqual([]);
  });
});

describe("a cluster", () => {
  const fields = [
    { name: "id", type: "text", required: true },
    { name: "name", type: "text" },
    { name: "town", type: "text" },
    { name: "born", type: "date", formats: ["yyyy-MM-dd"] },
  ];
  const match = {
    against: ["delivery", "target"],
    fields: [
      { in: ["name"], by: "equal", weights: [30, -4] },
      { in: ["born"], by: "equal", weights: [12, -6] },
    ],
    limits: { same: 80, ask: 79 },
  };
  const read = async () =>
    (await rows(system.db, "grouped", "id")).map((r) => [r["id"], r["name"], r["town"] ?? ""].join("|"));

  it("can be split and joined by a person, which loads to come know, and which an undo takes back too", async () => {
    const { db } = system;
    await newFeed(db, "grouped", fields, { key: ["id"] }, { match, gates: [] });
    const head = "id,name,town,born\n";
    await loadNow(db, "grouped", `${head}a,Ivo Drewe,,1950-01-01\nz,Zoe Hatch,Fen,1999-09-09\n`);
    const before = await read();
    const text = `${head}b,Ivo Drewe,Brindle,1950-01-01\nc,Ivo Drewe,,1950-01-01\nd,Mel Orr,,1970-01-01\ne,Mel Orr,Quill,1970-01-01\n`;
    const load = await loadNow(db, "grouped", text);
    expect(load).toMatchObject({ inserted: 1, merged: 3 });
    expect(await read()).toEqual(["a|Ivo Drewe|Brindle", "d|Mel Orr|Quill", "z|Zoe Hatch|Fen"]);
    const [ivo, mel] = await loadClusters(db, load.id);
    const at = ivo!.members.findIndex((m) => m.values[0] === "b");
    await expect(splitMember(db, load.id, ivo!.first, 0, "t")).rejects.toMatchObject({ code: "no-member" });
    await splitMember(db, load.id, ivo!.first, at, "Ines");
    // What came from it is not kept any more.
    expect(await read()).toEqual(["a|Ivo Drewe|", "b|Ivo Drewe|Brindle", "d|Mel Orr|Quill", "z|Zoe Hatch|Fen"]);
    expect((await loadClusters(db, load.id))[0]!.members[at]).toMatchObject({ split: "Ines" });
    await putBack(db, load.id, ivo!.first, at, "t");
    expect(await read()).toEqual(["a|Ivo Drewe|Brindle", "d|Mel Orr|Quill", "z|Zoe Hatch|Fen"]);
    await splitMember(db, load.id, ivo!.first, at, "t");
    await joinClusters(db, load.id, mel!.first, ivo!.first, "t");
    expect(await read()).toEqual(["b|Ivo Drewe|Brindle", "d|Mel Orr|Quill", "z|Zoe Hatch|Fen"]);
    expect(await loadClusters(db, load.id)).toHaveLength(1);
    await undoLoad(db, load.id, "x", "t");
    expect(await read()).toEqual(before);
    // Loaded again, the one that was split off is asked about no more: it is known to be another.
    const again = await loadNow(db, "grouped", text);
    expect((await read()).filter((r) => r.startsWith("b"))).toEqual(["b|Ivo Drewe|Brindle"]);
    expect(again.merged).toBe(2);
  });

  it("has what others brought to a record that waits, but for the one that is taken back", async () => {
    const { db } = system;
    const asking = {
      ...match,
      fields: [
        { in: ["name"], by: "equal", weights: [9, -30] },
        { in: ["born"], by: "equal", weights: [9, -6] },
      ],
      limits: { same: 86, ask: 40 },
      keep: { "*": "first", town: "longest" },
    };
    await newFeed(db, "put_together", fields, { key: ["id"] }, { match: asking, gates: [] });
    const load = await loadNow(
      db,
      "put_together",
      "id,name,town,born\na,Zoe Hatch,,1950-01-01\nb,Zoe Hatch,Cray,\nc,Zoe Hatch,Brindle,1960-01-01\nd,Zoe Hatch,Upper Quill,1970-01-01\n",
    );
    const pairs = await askedPairs(db, { load: load.id });
    const put = (record: number, other: number) => pairs.find((p) => p.record === record && p.other === other)!.id;
    const townOf = async (record: number) =>
      (
        await db.query<{ town: string }>(
          "select field_values->>2 as town from sieve.waiting where load = $1 and record = $2",
          [load.id, record],
        )
      ).rows[0]!.town;
    expect(load.waiting).toBe(3);
    for (const record of [2, 3]) await decidePairs(db, [{ pair: put(record, 1), decision: "same" }], "t");
    expect(await townOf(1)).toBe("Upper Quill");
    await withdrawPairs(db, [put(2, 1)], "t");
    expect(await townOf(1)).toBe("Upper Quill");
    await withdrawPairs(db, [put(3, 1)], "t");
    expect(await townOf(1)).toBe("Cray");
  });

  it("takes in rows of the target that other loads wrote, with all that they were made of, and gives them back", async () => {
    const { db } = system;
    await newFeed(db, "across", fields, { key: ["id"] }, { match, gates: [] });
    const now = async () =>
      (await rows(db, "across", "id")).map((r) => [r["id"], r["name"], r["town"] ?? ""].join("|"));
    const head = "id,name,town,born\n";
    const one = await loadNow(
      db,
      "across",
      `${head}a,Ivo Drewe,,1950-01-01\nb,Ivo Drewe,Brindle,1950-01-01\nx,Ann Fell,Cray,1960-01-01\n`,
    );
    const two = await loadNow(db, "across", `${head}c,Ivor Druwe,,1950-01-02\nd,Ivor Druwe,Upper Quill,1950-01-02\n`);
    const before = ["a|Ivo Drewe|Brindle", "c|Ivor Druwe|Upper Quill", "x|Ann Fell|Cray"];
    expect(await now()).toEqual(before);
    const [later] = await loadClusters(db, two.id);
    const put = (key: string[]) => joinRow(db, two.id, later!.first, key, "Ines");
    await expect(put(["nobody"])).rejects.toMatchObject({ code: "no-record" });
    await expect(put(["c"])).rejects.toMatchObject({ code: "usage" });
    await expect(put(["a", "b"])).rejects.toMatchObject({ code: "usage" });
    // A row that was made of several records of another load, and one of a single record.
    await put(["a"]);
    expect(await now()).toEqual(["c|Ivor Druwe|Upper Quill", "x|Ann Fell|Cray"]);
    expect(await loadClusters(db, one.id)).toEqual([]);
    const [joined] = await loadClusters(db, two.id);
    expect(joined!.members.map((m) => [m.values[0], m.row?.[0] ?? null])).toEqual([
      ["c", null],
      ["d", null],
      ["a", one.id],
      ["b", one.id],
    ]);
    await put(["x"]);
    expect(await now()).toEqual(["c|Ivor Druwe|Upper Quill"]);
    // One of another load is split off as the row that it was.
    const at = (await loadClusters(db, two.id))[0]!.members.findIndex((m) => m.values[0] === "x");
    await splitMember(db, two.id, later!.first, at, "Ines");
    expect(await now()).toEqual(["c|Ivor Druwe|Upper Quill", "x|Ann Fell|Cray"]);
    const written = await db.query<{ id: number; kind: string }>(
      "select id, kind from sieve.writing where feed = 'across' and undone_by is null order by id desc",
    );
    for (const { id } of written.rows.filter((w) => w.kind === "join" || w.kind === "split"))
      await undoWriting(db, id, { reason: "x", by: "t" });
    expect(await now()).toEqual(before);
    expect((await loadClusters(db, one.id)).map((c) => c.members.length)).toEqual([2]);
    // Joined again: an undo of the load whose cluster it is brings back the other's row.
    await put(["a"]);
    await undoLoad(db, two.id, "x", "t");
    expect(await now()).toEqual(["a|Ivo Drewe|Brindle", "x|Ann Fell|Cray"]);
    expect(await loadClusters(db, one.id)).toHaveLength(1);
  });

  it("are not lost where the load that a joined row came from is undone", async () => {
    const { db } = system;
    await newFeed(db, "across_back", fields, { key: ["id"] }, { match, gates: [] });
    const now = async () => (await rows(db, "across_back", "id")).map((r) => r["id"]);
    const head = "id,name,town,born\n";
    const one = await loadNow(db, "across_back", `${head}a,Ivo Drewe,,1950-01-01\nq,Ann Fell,Cray,1960-01-01\n`);
    const two = await loadNow(
      db,
      "across_back",
      `${head}c,Ivor Druwe,,1950-01-02\nd,Ivor Druwe,Upper Quill,1950-01-02\n`,
    );
    const [later] = await loadClusters(db, two.id);
    await joinRow(db, two.id, later!.first, ["a"], "Ines");
    expect(await now()).toEqual(["c", "q"]);
    await undoLoad(db, one.id, "x", "t");
    expect(await now()).toEqual(["c"]);
    const written = await db.query<{ id: number }>(
      "select id from sieve.writing where feed = 'across_back' and kind = 'join'",
    );
    const { left } = await previewUndo(db, written.rows[0]!.id, {});
    expect(left).toMatchObject({ undone: 1 });
    await undoLoad(db, two.id, "x", "t");
    expect(await now()).toEqual([]);
  });

  it("keeps what somebody has changed in its rows since, whatever is split off, put back or joined", async () => {
    const { db } = system;
    await newFeed(db, "regrouped", fields, { key: ["id"] }, { match, gates: [] });
    const now = async () =>
      (await rows(db, "regrouped", "id")).map((r) => [r["id"], r["name"], r["town"] ?? "", r["born"] ?? ""].join("|"));
    const set = (id: string, what: string) => db.query(`update target.regrouped set ${what} where id = $1`, [id]);
    const load = await loadNow(
      db,
      "regrouped",
      "id,name,town,born\na,Ivo Drewe,,1950-01-01\nb,Ivo Drewe,Brindle,1950-01-01\nc,Ivo Drewe,,1950-01-01\n" +
        "d,Mel Orr,,1970-01-01\ne,Mel Orr,Quill,1970-01-01\n",
    );
    expect(await now()).toEqual(["a|Ivo Drewe|Brindle|1950-01-01", "d|Mel Orr|Quill|1970-01-01"]);
    const [ivo, mel] = await loadClusters(db, load.id);
    const at = ivo!.members.findIndex((m) => m.values[0] === "b");
    await set("a", "born = '1951-02-02'");
    // The town came from the one that goes; the day was set by somebody since, and stays.
    expect(await splitMember(db, load.id, ivo!.first, at, "t")).toEqual({ stays: ["born"] });
    expect(await now()).toEqual([
      "a|Ivo Drewe||1951-02-02",
      "b|Ivo Drewe|Brindle|1950-01-01",
      "d|Mel Orr|Quill|1970-01-01",
    ]);
    await set("b", "town = 'Cray'");
    const before = await now();
    await expect(putBack(db, load.id, ivo!.first, at, "t")).rejects.toMatchObject({ code: "row-changed" });
    expect(await now()).toEqual(before);
    await set("b", "town = 'Brindle'");
    expect(await putBack(db, load.id, ivo!.first, at, "t")).toEqual({ stays: ["born"] });
    expect(await now()).toEqual(["a|Ivo Drewe|Brindle|1951-02-02", "d|Mel Orr|Quill|1970-01-01"]);
    // The one whose row would go has been changed.
    await expect(joinClusters(db, load.id, mel!.first, ivo!.first, "t")).rejects.toMatchObject({ code: "row-changed" });
    expect(await joinClusters(db, load.id, ivo!.first, mel!.first, "t")).toEqual({ stays: ["born"] });
    expect(await now()).toEqual(["a|Ivo Drewe|Brindle|1951-02-02"]);
  });
});
