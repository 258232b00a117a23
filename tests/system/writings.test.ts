import { describe, expect, it } from "vitest";
import { previewUndo } from "@/engine/undo/preview.ts";
import { undoLoad, undoWriting } from "@/engine/undo/undo.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { discardRecords } from "@/engine/release/discard.ts";
import { getHeld, listHeld } from "@/store/held.ts";
import { getLoad } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { loadsToVerify, verifyLoad } from "@/engine/look/verify.ts";
import { getWriting, listWritings } from "@/store/writings.ts";
import { asOthers, deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "name", type: "text" },
  { name: "n", type: "integer" },
];
const UPSERT = { key: ["id"], mode: "upsert" };
const WHY = { reason: "a test", by: "Ines" };

/** A table of another program in a schema of its own, with what hangs on it. */
async function customers(name: string, more = ""): Promise<void> {
  await asOthers(
    system,
    `create schema ${name};
     create table ${name}.customer (id bigint primary key, name text, n bigint, twice bigint generated always as (n * 2) stored);
     insert into ${name}.customer (id, name, n) values (7, 'Tamsin', 1), (8, 'Colm', 2), (9, 'Ivo', 3);
     ${more}`,
  );
  await newFeed(system.db, name, FIELDS, { ...UPSERT, schema: name, target: "customer" }, { gates: [] });
}
const seen = async (name: string): Promise<string[]> =>
  (
    await system.db.query<{ r: string }>(
      `select concat_ws('|', id, name, n, twice) as r from ${name}.customer order by id`,
    )
  ).rows.map((r) => r.r);

describe("undo of an upsert in a table that others use", () => {
  for (const [action, left] of [
    ["cascade", 2],
    ["restrict", 2],
    ["set null", 2],
    ["no action", 2],
  ] as const) {
    it(`lets stand what hangs on a row, on delete ${action}`, async () => {
      const name = `shop_${action.replace(" ", "_")}`;
      await customers(
        name,
        `create table ${name}.invoice (no integer primary key, customer bigint references ${name}.customer on delete ${action});
         insert into ${name}.invoice values (1, 8), (2, 8);`,
      );
      const load = await loadNow(system.db, name, "id,name,n\n8,Colm Foxmoor,20\n10,New,5\n11,Newer,6\n");
      expect(load).toMatchObject({ state: "loaded", updated: 1, inserted: 2 });
      await system.db.query(`insert into ${name}.invoice values (3, 11)`);
      const preview = await previewUndo(system.db, load.writing!, { left: "any" });
      expect(preview.does).toEqual({ remove: 1, "put back": 1, "bring back": 0 });
      expect(preview.left).toMatchObject({ referred: 1 });
      expect(preview.rows).toMatchObject([
        { key: "11", because: "referred", detail: `${name}.invoice refers to it`, now: { id: "11", name: "Newer" } },
      ]);
      // Looking at it has changed nothing.
      expect(await seen(name)).toContain("8|Colm Foxmoor|20|40");
      expect(await undoLoad(system.db, load.id, "wrong file", "Ines", "all")).toMatchObject({
        removed: 1,
        restored: 1,
        left: 1,
      });
      expect(await seen(name)).toEqual(["7|Tamsin|1|2", "8|Colm|2|4", "9|Ivo|3|6", "11|Newer|6|12"]);
      const { rows: invoices } = await system.db.query(`select no from ${name}.invoice where customer = 8`);
      expect(invoices).toHaveLength(left);
      // Once nothing refers to it any more, the rest can go too.
      await system.db.query(`delete from ${name}.invoice where no = 3`);
      expect(await undoWriting(system.db, load.writing!, WHY)).toMatchObject({ removed: 1, restored: 0, left: 0 });
      expect(await seen(name)).toEqual(["7|Tamsin|1|2", "8|Colm|2|4", "9|Ivo|3|6"]);
    });
  }

  it("leaves what another program has changed since, and says what stands there; a person may decide", async () => {
    const { db } = system;
    await customers("others");
    const load = await loadNow(db, "others", "id,name,n\n7,A,10\n8,B,20\n9,C,30\n10,D,40\n11,E,50\n");
    await db.query(
      `update others.customer set n = 99 where id in (8, 10); delete from others.customer where id in (9, 11)`,
    );
    const preview = await previewUndo(db, load.writing!, { left: "any" });
    expect(preview.left).toEqual({ changed: 2, gone: 1, another: 0, undone: 0, referred: 0, rule: 0 });
    expect(preview.rows.map((r) => [r.key, r.because, r.by, r.now?.["n"] ?? null, r.back?.["n"] ?? null])).toEqual([
      ["8", "changed", null, "99", "2"],
      ["9", "gone", null, null, "3"],
      ["10", "changed", null, "99", null],
    ]);
    const first = await undoWriting(db, load.writing!, WHY);
    expect(first).toMatchObject({ removed: 0, restored: 1, left: 3 });
    expect(await seen("others")).toEqual(["7|Tamsin|1|2", "8|B|99|198", "10|D|99|198"]);
    expect(await undoWriting(db, load.writing!, { ...WHY, over: ["8", "9"] })).toMatchObject({ restored: 2, left: 1 });
    expect(await seen("others")).toEqual(["7|Tamsin|1|2", "8|Colm|2|4", "9|Ivo|3|6", "10|D|99|198"]);
    // A row that another program has written as it was is as it was.
    await db.query("delete from others.customer where id = 10");
    const rest = await previewUndo(db, load.writing!);
    expect([...Object.values(rest.does), ...Object.values(rest.left)].every((n) => n === 0)).toBe(true);
  });

  it("of one in the middle leaves what a later one has written, and undoing the undo brings all back", async () => {
    const { db } = system;
    await customers("middle", "create view middle.seen as select id, name from middle.customer;");
    const one = await loadNow(db, "middle", "id,name,n\n7,A,10\n8,B,20\n20,X,1\n");
    const two = await loadNow(db, "middle", "id,name,n\n8,BB,21\n20,XX,2\n");
    const before = await seen("middle");
    const preview = await previewUndo(db, one.writing!, { left: "any" });
    expect(preview.rows.map((r) => [r.key, r.does, r.by])).toEqual([
      ["8", "put back", two.writing],
      ["20", "remove", two.writing],
    ]);
    const undone = await undoLoad(db, one.id, "no", "Ines");
    expect(undone).toMatchObject({ restored: 1, removed: 0, left: 2 });
    expect(await seen("middle")).toEqual(["7|Tamsin|1|2", "8|BB|21|42", "9|Ivo|3|6", "20|XX|2|4"]);
    expect(await getLoad(db, one.id)).toMatchObject({ state: "undone" });
    await undoWriting(db, undone.writing!, { ...WHY, reason: "yes after all" });
    expect(await seen("middle")).toEqual(before);
    expect(await getLoad(db, one.id)).toMatchObject({ state: "loaded", undone: null });
    expect((await getWriting(db, one.writing!)).undoneBy).toBeNull();
    // And the other way round: the last one first, then the one before it, is as if neither had been.
    await undoLoad(db, two.id, "x", "t");
    expect(await seen("middle")).toEqual(["7|A|10|20", "8|B|20|40", "9|Ivo|3|6", "20|X|1|2"]);
    await undoLoad(db, one.id, "x", "t");
    expect(await seen("middle")).toEqual(["7|Tamsin|1|2", "8|Colm|2|4", "9|Ivo|3|6"]);
    const writings = await listWritings(db, { feed: "middle" });
    expect(writings.map((w) => [w.kind, w.inserted, w.updated, w.removed])).toEqual([
      ["undo", 0, 2, 1],
      ["undo", 0, 2, 0],
      ["undo", 0, 1, 0],
      ["undo", 0, 1, 0],
      ["load", 0, 2, 0],
      ["load", 1, 2, 0],
    ]);
  });

  it("keeps out what a rule that came since would refuse, and does the rest", async () => {
    const { db } = system;
    await customers("ruled");
    const load = await loadNow(db, "ruled", "id,name,n\n7,A,10\n8,B,20\n");
    await db.query("update ruled.customer set n = 30 where id = 9");
    await asOthers(system, "alter table ruled.customer add constraint enough check (n >= 2), add unique (name)");
    await db.query("insert into ruled.customer (id, name, n) values (30, 'Colm', 5)");
    const preview = await previewUndo(db, load.writing!, { left: "any" });
    expect(preview.rows.map((r) => [r.key, r.because, r.detail.split(":")[0]])).toEqual([
      ["7", "rule", "enough"],
      ["8", "rule", "customer_name_key"],
    ]);
    expect(await undoWriting(db, load.writing!, { ...WHY, over: "all" })).toMatchObject({ restored: 0, left: 2 });
  });
});

describe("releases", () => {
  it("keep the row that they are written over, so that an undo brings it back", async () => {
    const { db } = system;
    await newFeed(db, "under", FIELDS, UPSERT, { gates: [] });
    await loadNow(db, "under", "id,name,n\n1,a,1\n2,b,2\n");
    const load = await loadNow(db, "under", "id,name,n\n1,aa,11\n2,bb,bad\n");
    await releaseRecords(db, [{ load: load.id, record: 1, values: { n: "22" } }], "Ines");
    expect((await rows(db, "under")).map((r) => [r["id"], r["n"]])).toEqual([
      [1, 11],
      [2, 22],
    ]);
    expect(await undoLoad(db, load.id, "x", "t")).toMatchObject({ removed: 0, restored: 2, left: 0 });
    expect((await rows(db, "under")).map((r) => [r["id"], r["name"], r["n"]])).toEqual([
      [1, "a", 1],
      [2, "b", 2],
    ]);
    expect((await getHeld(db, load.id, 1)).state).toBe("discarded");
  });

  it("of an older load's record stay when a newer load is undone, and the quarantine says what is so", async () => {
    const { db } = system;
    await newFeed(db, "older", FIELDS, UPSERT, { gates: [] });
    const one = await loadNow(db, "older", "id,name,n\n1,a,1\n5,e,bad\n");
    const two = await loadNow(db, "older", "id,name,n\n1,aa,11\n2,bb,22\n");
    const [released] = await releaseRecords(db, [{ load: one.id, record: 1, values: { n: "5" } }], "Ines");
    expect(released).toMatchObject({ released: true });
    expect(await undoLoad(db, two.id, "x", "t")).toMatchObject({ removed: 1, restored: 1, left: 0 });
    expect((await rows(db, "older", "id")).map((r) => [r["id"], r["n"]])).toEqual([
      [1, 1],
      [5, 5],
    ]);
    expect((await getHeld(db, one.id, 1)).state).toBe("released");
    // Undone by itself, it is held again.
    const [writing] = await listWritings(db, { load: one.id });
    await undoWriting(db, writing!.id, WHY);
    expect((await rows(db, "older")).map((r) => r["id"])).toEqual([1]);
    expect(await getHeld(db, one.id, 1)).toMatchObject({ state: "held", mended: null });
  });

  it("do not override what is newer, one or many, unless a person says so; both values are there to be seen", async () => {
    const { db } = system;
    await newFeed(db, "newer", FIELDS, UPSERT, { gates: [] });
    await loadNow(db, "newer", "id,name,n\n1,a,1\n2,b,2\n3,c,3\n");
    const old = await loadNow(db, "newer", "id,name,n\n1,old,bad\n2,old,bad\n3,old,bad\n4,old,bad\n");
    const next = await loadNow(db, "newer", "id,name,n\n1,new,10\n4,new,40\n");
    await db.query("update target.newer set name = 'by hand' where id = 2");
    // The load that brought the keys right has said so of the records that it overtook.
    expect((await listHeld(db, { load: old.id, state: "overtaken" })).map((h) => h.record)).toEqual([0, 3]);
    const mends = [0, 1, 2, 3].map((record) => ({ load: old.id, record, values: { n: "7" } }));
    const results = await releaseRecords(db, mends, "Ines");
    expect(results.map((r) => [r.released, r.overtaken?.by ?? null, r.overtaken?.now["name"] ?? null])).toEqual([
      [false, next.writing, "new"],
      [false, null, "by hand"],
      [true, null, null],
      [false, next.writing, "new"],
    ]);
    expect((await rows(db, "newer", "id")).map((r) => r["name"])).toEqual(["new", "by hand", "old", "new"]);
    expect((await listHeld(db, { load: old.id, state: "overtaken" })).map((h) => h.record)).toEqual([0, 1, 3]);
    const [one] = await releaseRecords(db, [{ load: old.id, record: 0 }], "Ines");
    expect(one).toMatchObject({ released: false });
    const [over] = await releaseRecords(db, [{ load: old.id, record: 0 }], "Ines", { overtaken: true });
    expect(over).toMatchObject({ released: true });
    expect((await rows(db, "newer", "id")).map((r) => r["name"])).toEqual(["old", "by hand", "old", "new"]);
    // Undoing the newer load: what overtook is gone, so the record is only held again.
    await undoLoad(db, next.id, "x", "t");
    expect((await listHeld(db, { load: old.id })).map((h) => h.record)).toEqual([3]);
  });

  it("of very many at once, and taken back again, each as it was", async () => {
    const { db } = system;
    const count = 12_000;
    await newFeed(db, "many", FIELDS, UPSERT, { gates: [] });
    const lines = Array.from({ length: count }, (_, i) => `${i},name ${i},bad`);
    const load = await loadNow(db, "many", `id,name,n\n${lines.join("\n")}\n`);
    const mends = lines.map((_, record) => ({ load: load.id, record, values: { n: `${record * 2}` } }));
    const results = await releaseRecords(db, mends, "Ines");
    expect(results.filter((r) => r.released)).toHaveLength(count);
    const { rows: all } = await db.query("select count(*)::int as n, sum(n - id * 2)::int as off from target.many");
    expect(all).toEqual([{ n: count, off: 0 }]);
    const [release] = await listWritings(db, { feed: "many" }, 1);
    expect(await undoWriting(db, release!.id, WHY)).toMatchObject({ removed: count });
    const states = await db.query("select state, count(*)::int as n from sieve.held where feed = 'many' group by 1");
    expect(states.rows).toEqual([{ state: "held", n: count }]);
    expect(await rows(db, "many")).toEqual([]);
    expect((await verifyLoad(db, load.id)).differs).toEqual([]);
  });

  it("leave alone what a person has discarded, when a load is undone, brought back and undone again", async () => {
    const { db } = system;
    await newFeed(db, "discarded", FIELDS, UPSERT, { gates: [] });
    const { id, writing } = await loadNow(db, "discarded", "id,name,n\n1,a,1\n2,b,x\n");
    const state = async (): Promise<string> => {
      const { rows: held } = await db.query("select state, reason from sieve.held where load = $1", [id]);
      return `${held[0].state} ${held[0].reason}`;
    };
    const first = await undoWriting(db, writing!, WHY);
    expect(await state()).toContain("discarded load");
    const back = await undoWriting(db, first.writing, WHY);
    expect(await state()).toBe("held ");
    await discardRecords(db, [{ load: id, record: 1 }], "no use", "Colm");
    await undoWriting(db, back.writing, WHY);
    expect(await state()).toBe("discarded no use");
    expect(await rows(db, "discarded")).toEqual([]);
  });

  it("by two people at once: one wins, the other is told", async () => {
    const { db } = system;
    await newFeed(db, "both", FIELDS, UPSERT, { gates: [] });
    const load = await loadNow(db, "both", "id,name,n\n1,a,bad\n2,b,bad\n");
    const mend = (record: number, n: string) => ({ load: load.id, record, values: { n } });
    const ends = await Promise.allSettled([
      releaseRecords(db, [mend(0, "1")], "Ines"),
      releaseRecords(db, [mend(0, "2")], "Otto"),
    ]);
    expect(ends.map((e) => e.status).sort()).toEqual(["fulfilled", "rejected"]);
    const lost = ends.find((e) => e.status === "rejected") as PromiseRejectedResult;
    expect(String(lost.reason)).toMatch(/Record 0 of load \d+ is released by (Ines|Otto) already\./);
    const [first, second] = await releaseRecords(db, [mend(0, "3"), mend(1, "4")], "Uta");
    expect([first, second].map((r) => r!.ended?.split(" ")[0] ?? r!.released)).toEqual(["released", true]);
    await expect(discardRecords(db, [{ load: load.id, record: 1 }], "no", "t")).resolves.toBe(0);
  });
});

describe("what is done to one target at once", () => {
  /** Holds the closing transaction of the next load back when it has written the target and is about to say so. */
  async function heldBack(load: () => Promise<number>, meanwhile: (id: number) => Promise<void>): Promise<void> {
    const { db } = system;
    const blocker = await db.connect();
    await blocker.query("begin");
    await blocker.query("lock table sieve.writing in exclusive mode");
    const id = await load();
    for (let waits = false; !waits;) {
      const { rows: locks } = await db.query(
        "select from pg_locks where relation = 'sieve.writing'::regclass and not granted",
      );
      waits = locks.length > 0;
    }
    const doing = meanwhile(id);
    await new Promise((resolve) => setTimeout(resolve, 150));
    await blocker.query("commit");
    blocker.release();
    await doing;
  }

  it("a release during a load of the same feed waits, and is told what the load has written", async () => {
    const { db } = system;
    await newFeed(db, "meeting", FIELDS, UPSERT, { gates: [] });
    const old = await loadNow(db, "meeting", "id,name,n\n1,old,bad\n2,old,bad\n");
    await heldBack(
      async () => await askForLoad(db, await deliver(db, "meeting", "id,name,n\n1,new,10\n9,x,bad\n")),
      async (id) => {
        const results = await releaseRecords(
          db,
          [0, 1].map((record) => ({ load: old.id, record, values: { n: "7" } })),
          "Ines",
        );
        const { writing } = await waitFor(db, id);
        expect(results.map((r) => [r.released, r.overtaken?.by])).toEqual([
          [false, writing],
          [true, undefined],
        ]);
      },
    );
    expect((await rows(db, "meeting", "id")).map((r) => r["name"])).toEqual(["new", "old"]);
  });

  it("a release and an undo of its load: whichever comes first, nothing of the load is left, or the other is told", async () => {
    const { db } = system;
    await newFeed(db, "racing", FIELDS, UPSERT, { gates: [] });
    for (let i = 0; i < 6; i++) {
      const load = await loadNow(db, "racing", `id,name,n\n1,v${i},1\n2,v${i},bad\n`);
      const [undone, released] = await Promise.allSettled([
        undoLoad(db, load.id, "x", "t"),
        releaseRecords(db, [{ load: load.id, record: 1, values: { n: "2" } }], "t"),
      ]);
      expect(undone.status).toBe("fulfilled");
      if (released.status === "rejected") expect(String(released.reason)).toMatch(/is discarded by t already/);
      expect(await rows(db, "racing")).toEqual([]);
      expect((await getHeld(db, load.id, 1)).state).toBe("discarded");
    }
  });

  it("two loads of two feeds into one target are written one after the other", async () => {
    const { db } = system;
    await newFeed(db, "left_feed", FIELDS, UPSERT, { gates: [] });
    await newFeed(db, "right_feed", FIELDS, { ...UPSERT, target: "left_feed" }, { gates: [] });
    await loadNow(db, "left_feed", "id,name,n\n1,a,1\n");
    const both = await Promise.all([
      loadNow(db, "left_feed", "id,name,n\n1,left,1\n2,left,2\n"),
      loadNow(db, "right_feed", "id,name,n\n1,right,1\n3,right,3\n"),
    ]);
    expect(both.map((l) => l.state)).toEqual(["loaded", "loaded"]);
    // Which was the last is not told by their numbers, which they have from their beginning.
    const done = await listWritings(db, { target: '"target"."left_feed"' }, 2);
    expect(done.map((w) => w.load).sort()).toEqual(both.map((l) => l.id).sort());
    for (const { load } of done) await undoLoad(db, load, "x", "t");
    expect((await rows(db, "left_feed")).map((r) => [r["id"], r["name"]])).toEqual([[1, "a"]]);
  });
});

describe("an arriving cell", () => {
  const MORE = [
    ...FIELDS,
    { name: "first", type: "date", formats: ["yyyy-MM-dd"] },
    { name: "note", type: "text" },
    { name: "code", type: "text" },
  ];
  const all = async (table: string): Promise<string[]> =>
    (await rows(system.db, table, "id")).map((r) =>
      ["id", "name", "n", "first", "note", "code"].map((c) => r[c] ?? "").join("|"),
    );

  it("keeps what the target has where it is empty, and a column that has not come touches nothing", async () => {
    const { db } = system;
    await newFeed(db, "keeps", MORE, UPSERT, { gates: [] });
    await loadNow(db, "keeps", "id,name,n,first,note,code\n1,a,1,2026-01-01,x,K\n2,b,2,2026-01-02,y,L\n");
    const before = await all("keeps");
    const two = await loadNow(db, "keeps", "id,name\n1,a\n2,\n");
    expect(two).toMatchObject({ unchanged: 2, updated: 0 });
    expect(await all("keeps")).toEqual(before);
    expect(two.report!.kept).toEqual([{ field: "name", because: "empty", cells: 1 }]);
    const three = await loadNow(db, "keeps", "id,name,n\n1,A,\n2,,22\n");
    expect(three).toMatchObject({ updated: 2 });
    expect(await all("keeps")).toEqual(["1|A|1|2026-01-01|x|K", "2|b|22|2026-01-02|y|L"]);
    expect(three.report!.kept).toEqual([
      { field: "name", because: "empty", cells: 1 },
      { field: "n", because: "empty", cells: 1 },
    ]);
    const { rows: cells } = await db.query(
      "select field, record, stays from sieve.kept_cell where load = $1 order by field",
      [three.id],
    );
    expect(cells).toEqual([
      { field: "n", record: 0, stays: "1" },
      { field: "name", record: 1, stays: "b" },
    ]);
  });

  it("clears, is left, fills or is kept from what is fixed, as the plan says by field", async () => {
    const { db } = system;
    const arriving = {
      "*": { empty: "clear" },
      name: { empty: "keep" },
      n: { leave: ["0", "none"] },
      first: { value: "fix" },
      note: { value: "fill", empty: "keep" },
    };
    await newFeed(db, "rules_of", MORE, { ...UPSERT, arriving }, { gates: [] });
    await loadNow(db, "rules_of", "id,name,n,first,note,code\n1,a,1,2026-01-01,x,K\n2,b,2,,,L\n3,c,3,2026-01-03,z,M\n");
    const two = await loadNow(
      db,
      "rules_of",
      "id,name,n,first,note,code\n1,,0,2027-07-07,xx,\n2,B,none,2026-02-02,yy,\n3,,,,zz,N\n4,d,none,,,\n",
    );
    expect(two).toMatchObject({ updated: 3, inserted: 1, held: 0 });
    expect((await all("rules_of")).map((r) => r.replace(/T.*?\|/, "|"))).toEqual([
      "1|a|1|2026-01-01|x|",
      "2|B|2|2026-02-02|yy|",
      "3|c||2026-01-03|z|N",
      "4|d||||",
    ]);
    expect(two.report!.kept!.map((k) => [k.field, k.because, k.cells])).toEqual([
      ["name", "empty", 2],
      ["n", "leave", 2],
      ["first", "fix", 2],
      ["note", "fill", 2],
    ]);
    await undoLoad(db, two.id, "x", "t");
    expect(await all("rules_of")).toEqual(["1|a|1|2026-01-01|x|K", "2|b|2|||L", "3|c|3|2026-01-03|z|M"]);
  });

  it("of a column that one of two files lacks clears only where it came", async () => {
    const { db } = system;
    await newFeed(db, "two_files", FIELDS, { ...UPSERT, arriving: { "*": { empty: "clear" } } }, { gates: [] });
    await loadNow(db, "two_files", "id,name,n\n1,a,1\n2,b,2\n");
    const load = await loadNow(db, "two_files", "id,name\n1,A\n", "id,name,n\n2,B,\n");
    expect(load).toMatchObject({ updated: 2 });
    expect((await rows(db, "two_files", "id")).map((r) => [r["name"], r["n"]])).toEqual([
      ["A", 1],
      ["B", null],
    ]);
  });
});

describe("records without a key", () => {
  const LINES = Array.from({ length: 200 }, (_, i) => `${i},name ${i},${i * 7}`);
  const file = (lines: readonly string[]): string => `id,name,n\n${lines.join("\n")}\n`;

  it("that are mostly there already are said so, and stop the load before it is written", async () => {
    const { db } = system;
    await newFeed(db, "keyless", FIELDS, {}, { gates: [] });
    await loadNow(db, "keyless", file(LINES));
    const again = await loadNow(db, "keyless", file(LINES.map((l, i) => (i < 16 ? `${l}1` : l))));
    expect(again.state).toBe("stopped");
    expect(again.report!.loadedBefore).toEqual({ records: 184, of: 200, by: "all fields" });
    expect(again.report!.gates).toMatchObject([
      { gate: "loaded before", passed: false, message: expect.stringContaining("92 % of the records already") },
    ]);
    expect(await rows(db, "keyless")).toHaveLength(200);
  });

  it("can have the whole record as their key: what is there is not put there again", async () => {
    const { db } = system;
    await newFeed(db, "whole", FIELDS, { mode: "upsert", whole_record: true }, { gates: [] });
    await loadNow(db, "whole", file(LINES));
    const again = await loadNow(
      db,
      "whole",
      file([...LINES.map((l, i) => (i < 16 ? `${l}1` : l)), LINES[50]!, ",,", ",,"]),
    );
    expect(again).toMatchObject({ state: "loaded", inserted: 16, unchanged: 185, held: 2 });
    expect(await rows(db, "whole")).toHaveLength(216);
    expect(await undoLoad(db, again.id, "x", "t")).toMatchObject({ removed: 16 });
    expect(await rows(db, "whole")).toHaveLength(200);
  });
});

describe("the ledger", () => {
  it("can't be changed by anybody once a load has ended", async () => {
    const { db } = system;
    await newFeed(db, "fixed", FIELDS, UPSERT, { gates: [] });
    const load = await loadNow(db, "fixed", "id,name,n\n1,a,1\n2,b,bad\n");
    const tried = async (sql: string): Promise<string> =>
      await system.admin.query(sql).then(
        () => "accepted",
        (e: Error) => e.message,
      );
    const { id } = load;
    for (const sql of [
      `delete from sieve.held where load = ${id}`,
      `update sieve.held set raw = '' where load = ${id}`,
      `update sieve.held set problems = '[]' where load = ${id}`,
      `update sieve.held set state = 'released' where load = ${id}`,
      `update sieve.held set state = 'released', writing = 1000000 where load = ${id}`,
      `insert into sieve.held select load, record + 100, feed, at, file, line, byte_start, byte_end, raw, cells, field_values, problems, checks from sieve.held where load = ${id}`,
      `update sieve.ledger_block set outcomes = outcomes || '\\x01'::bytea where load = ${id}`,
      `delete from sieve.ledger_block where load = ${id}`,
      `insert into sieve.late_problem (load, record, check_key) values (${id}, 0, 'x')`,
      `update sieve.load set held = 0, inserted = 2 where id = ${id}`,
      `update sieve.load set report = '{}' where id = ${id}`,
      `update sieve.load set state = 'running' where id = ${id}`,
      `delete from sieve.load where id = ${id}`,
      `update sieve.writing set made_by = 'nobody' where load = ${id}`,
      `delete from sieve.writing where load = ${id}`,
      `truncate sieve.ledger_block`,
      `truncate sieve.held`,
    ]) {
      expect(await tried(sql), sql).toMatch(/never|can't|alone/);
    }
    // The steps that a record may take are still open to it.
    expect(await discardRecords(db, [{ load: id, record: 1 }], "no use", "t")).toBe(1);
  });

  it("is reconciled with the target: a trigger that changes values fails the load", async () => {
    const { db } = system;
    await newFeed(db, "changing", FIELDS, UPSERT, { gates: [] });
    const one = await loadNow(db, "changing", "id,name,n\n1,a,1\n2,b,-5\n3,c,\n");
    expect(one.report!.reconciliation).toMatchObject({
      rows: [3, 3],
      fields: [
        { name: "id", sum: ["6", "6"], least: ["1", "1"], most: ["3", "3"] },
        { name: "n", sum: ["-4", "-4"], least: ["-5", "-5"], most: ["1", "1"] },
      ],
    });
    await asOthers(
      system,
      `create function public.rounds() returns trigger language plpgsql as $$ begin new.n := new.n / 10 * 10; return new; end $$;
       create trigger rounds before insert or update on target.changing for each row execute function public.rounds()`,
    );
    const two = await loadNow(db, "changing", "id,name,n\n1,a,17\n4,d,20\n");
    expect(two.state).toBe("failed");
    expect(two.error!.message).toContain(
      "does not have what the load has written: sum of n: 37 in the ledger, 30 in the target",
    );
    expect((await rows(db, "changing", "id")).map((r) => r["n"])).toEqual([1, -5, null]);
    const three = await loadNow(db, "changing", "id,name,n\n1,a,10\n4,d,20\n");
    expect(three.report!.reconciliation!.rows).toEqual([2, 2]);
  });
});

describe("verify", () => {
  it("computes ledgers again from the bytes: nothing differs as long as nobody has had a hand in it, and else it says what", async () => {
    const { db } = system;
    for (const id of await loadsToVerify(db)) expect(await verifyLoad(db, id)).toMatchObject({ load: id, differs: [] });
    await newFeed(db, "touched", FIELDS, UPSERT, { gates: [] });
    const load = await loadNow(db, "touched", "id,name,n\n1,a,1\n2,b,bad\n3,c,3\n3,cc,4\n,d,5\n");
    const { id } = load;
    expect(await verifyLoad(db, id)).toEqual({ load: id, state: "loaded", records: 5, differs: [], expired: [] });
    // Somebody with all rights takes the triggers away first.
    const touch = async (table: string, sql: string): Promise<readonly string[]> => {
      const client = await system.admin.connect();
      try {
        await client.query("begin");
        await client.query(`alter table sieve.${table} disable trigger user`);
        await client.query(sql);
        await client.query("commit");
        const { differs } = await verifyLoad(db, id);
        return differs;
      } finally {
        client.release();
      }
    };
    expect(
      await touch(
        "ledger_block",
        `update sieve.ledger_block set outcomes = set_byte(outcomes, 1, 1) where load = ${id}`,
      ),
    ).toEqual([
      "inserted: 2 in the balance, 3 in the ledger",
      "held: 3 in the balance, 2 in the ledger",
      "record 1, line 3 of file-0.csv: inserted in the ledger, held in check by its bytes",
      "held record 1: it is in the quarantine, and the ledger does not have it as held",
    ]);
    await touch(
      "ledger_block",
      `update sieve.ledger_block set outcomes = set_byte(outcomes, 1, 21) where load = ${id}`,
    );
    expect(await touch("held", `update sieve.held set raw = 'x' where load = ${id} and record = 1`)).toEqual([
      "held record 1: its raw text is not that of the file",
    ]);
    expect(await touch("held", `delete from sieve.held where load = ${id} and record = 1`)).toEqual([
      "held record 1: it is held in the ledger, and the quarantine does not have it",
      "3 records held in the balance, 2 in the quarantine",
    ]);
    const { rows: files } = await db.query<{ id: number }>("select id from sieve.delivery_file where delivery = $1", [
      load.delivery,
    ]);
    await db.query("update sieve.chunk set bytes = set_byte(bytes, 12, 65) where file = $1", [files[0]!.id]);
    expect((await verifyLoad(db, id)).differs[0]).toBe("file-0.csv: the stored bytes are not those that arrived");
  });
});
