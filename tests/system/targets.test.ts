import { describe, expect, it } from "vitest";
import { describeTable, existingTables } from "@/engine/writing/existing-table.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { inWords } from "@/store/db.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { alterationsOf } from "@/engine/writing/alterations.ts";
import { withContract } from "@/core/interop/contract.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { getHeld } from "@/store/held.ts";
import { asOthers, loadNow, newFeed, useSystem } from "../support/system.ts";

const system = useSystem();

const TEXT = (name: string): object => ({ name, type: "text", length: 40 });

describe("a table that was there before", () => {
  it("becomes the contract; what it would refuse is held with the reason, and nothing fails", async () => {
    const { db } = system;
    await asOthers(
      system,
      `create schema vault;
      create type vault.kind as enum ('wild', 'crop');
      create table vault.room (room text primary key);
      insert into vault.room values ('A1'), ('B1');
      create table vault.big (n integer primary key);
      insert into vault.big select generate_series(1, 2000);
      create table vault.packet (packet varchar(12) primary key, room text not null references vault.room,
        big integer references vault.big, kind vault.kind, seeds smallint check (seeds > 0), sealed_on date not null,
        opened_on date, label text, at timestamp, check (opened_on >= sealed_on));
      create unique index on vault.packet (label);
      insert into vault.packet values ('P0', 'A1', 1, 'wild', 3, '2026-01-01', null, 'first');`,
    );
    await newFeed(db, "packets", [TEXT("packet")]);
    expect((await existingTables(db)).map((t) => `${t.schema}.${t.table}`)).toContain("vault.packet");

    const taken = await describeTable(db, "vault", "packet");
    expect(taken.key).toEqual(["packet"]);
    const room = taken.fields.find((f) => f.name === "room")!;
    expect(room).toEqual({ name: "room", type: "code", values: ["A1", "B1"], required: true });
    const before = (await planInForce(db, "packets")).document;
    const plan = withContract(before, taken, { schema: "vault", target: "packet" });
    const { statements, refusals } = await alterationsOf(db, plan);
    expect(refusals).toEqual([]);
    expect(statements.join("\n")).toMatch(/add column "_load" integer\n.*add column "_record" integer/);
    await savePlan(db, "packets", { ...plan, gates: [{ limit: "held share", over: 0.9 }] }, "the vaults' own", "test");

    const load = await loadNow(
      db,
      "packets",
      `packet,room,big,kind,seeds,sealed_on,opened_on,label,at
P1,A1,7,crop,5,2026-02-01,2026-03-01,one,2026-03-01 10:00:00
P2,A1,9999,wild,5,2026-02-01,,two,
P3,A1,,wild,5,2026-02-01,2026-01-01,three,
P4,A1,,wild,5,2026-02-01,,first,
P5,A1,,wild,5,2026-02-01,,twice,
P6,A1,,wild,5,2026-02-01,,twice,
P0,A1,,wild,5,2026-02-01,,,
P7,C9,,tame,0,2026-02-01,,,
P8,B1,,,1,2026-02-01,,,
`,
    );
    expect(load.error).toBeNull();
    expect(load.report!.balance.outcomes).toMatchObject({ inserted: 3, held: 6 });
    const { rows } = await db.query<{ packet: string; load: number | null }>(
      `select packet, _load as load from vault.packet order by 1`,
    );
    expect(rows.map((r) => r.packet)).toEqual(["P0", "P1", "P5", "P8"]);
    expect(rows[0]!.load).toBeNull();
    const checks = async (record: number): Promise<string[]> =>
      (await getHeld(db, load.id, record)).problems.map((p) => p.check).sort();
    expect(await checks(1)).toEqual(["target:packet_big_fkey"]);
    expect(await checks(2)).toEqual(["target:packet_check"]);
    expect(await checks(3)).toEqual(["target:vault.packet_label_idx"]);
    expect(await checks(5)).toEqual(["label:unique"]);
    expect(await checks(6)).toEqual(["target:taken"]);
    expect(await checks(7)).toEqual(["kind:type", "room:type", "seeds:least"]);
    expect((await getHeld(db, load.id, 2)).problems[0]!.expected).toContain("opened_on >= sealed_on");

    // Mended by a person, it is held against the same rules.
    const [still] = await releaseRecords(
      db,
      [{ load: load.id, record: 2, values: { opened_on: "2026-01-15" } }],
      "test",
    );
    expect(still!.released).toBe(false);
    expect(still!.problems[0]!.check).toBe("target:packet_check");
    const [gone] = await releaseRecords(
      db,
      [{ load: load.id, record: 2, values: { opened_on: "2026-02-15" } }],
      "test",
    );
    expect(gone!.released).toBe(true);
  });

  it("only gains columns: what would change it otherwise is refused in words", async () => {
    const { db } = system;
    await asOthers(
      system,
      "create table vault.shelf (shelf varchar(4) primary key, used integer not null, free integer)",
    );
    await newFeed(db, "shelves", [TEXT("shelf"), { name: "free", type: "integer" }], { key: ["shelf"] });
    const plan = (await planInForce(db, "shelves")).document;
    const { refusals } = await alterationsOf(db, {
      ...plan,
      load: { ...plan.load, schema: "vault", target: "shelf" },
    });
    expect(refusals.map((r) => r.field)).toEqual(["shelf", "free", "used"]);
    await expect(describeTable(db, "sieve", "load")).rejects.toThrow("could be a target");
    await expect(
      savePlan(db, "shelves", { ...plan, load: { ...plan.load, schema: "sieve", target: "load" } }, "x", "test"),
    ).rejects.toThrow("fault");
  });
});

describe("a table of somebody else", () => {
  it("is written by the rights that its owner has given, which are named where they are not there", async () => {
    const { db, admin } = system;
    await admin.query(`create schema garden;
      create table garden.bed (bed text primary key);
      insert into garden.bed values ('north'), ('south');
      create table garden.plant (plant varchar(8) primary key, bed text references garden.bed)`);
    const fields = [{ name: "plant", type: "text", length: 8, required: true }, TEXT("bed")];
    await newFeed(
      db,
      "plants",
      fields,
      { key: ["plant"], mode: "upsert", schema: "garden", target: "plant" },
      { gates: [] },
    );
    const text = "plant,bed\nP1,north\nP2,nowhere\n";
    const hints: string[] = [];
    // Each load says what it lacks; whoever owns the table gives just that.
    for (let i = 0; i < 3; i++) {
      const load = await loadNow(db, "plants", text);
      expect(load.state).toBe("failed");
      expect(load.error!.message).toMatch(/^The role sieve_app may not (read and write|alter) garden.plant/);
      hints.push(load.error!.hint);
      await admin.query(load.error!.hint.replace("Have the table's owner run: ", ""));
      if (load.error!.message.includes("alter")) break;
    }
    expect(hints[0]).toContain('grant select on garden.bed to "sieve_app"');
    expect(hints.at(-1)).toContain('add column "_writing"');
    const load = await loadNow(db, "plants", text);
    expect(load).toMatchObject({ state: "loaded", inserted: 1, held: 1 });
    const again = await loadNow(db, "plants", "plant,bed\nP1,south\nP3,north\n");
    expect(again).toMatchObject({ state: "loaded", inserted: 1, updated: 1 });
    await undoLoad(db, again.id, "x", "t");
    expect((await db.query("select plant, bed from garden.plant")).rows).toEqual([{ plant: "P1", bed: "north" }]);
  });

  it("that hangs on the target and can't be seen is a refusal in words, not a fault", async () => {
    const { db, admin } = system;
    await newFeed(
      db,
      "seen_by_few",
      [{ name: "id", type: "integer", required: true }],
      { key: ["id"], mode: "upsert" },
      { gates: [] },
    );
    const load = await loadNow(db, "seen_by_few", "id\n1\n2\n");
    await admin.query(
      "create schema hidden; create table hidden.note (id bigint references target.seen_by_few); insert into hidden.note values (1)",
    );
    await expect(
      undoLoad(db, load.id, "x", "t").catch((e: unknown) => Promise.reject(inWords(e))),
    ).rejects.toMatchObject({ code: "no-right" });
  });
});

describe("the application's role", () => {
  it("can change no table of the store and nothing of the server", async () => {
    const { db } = system;
    const tried = async (sql: string): Promise<string> =>
      await db.query(sql).then(
        () => "done",
        (e: Error) => e.message,
      );
    for (const sql of [
      "alter table sieve.ledger_block disable trigger user",
      "drop trigger ledger_is_kept on sieve.ledger_block",
      "create or replace function sieve.refuse_change() returns trigger language plpgsql as $$ begin return new; end $$",
      "create table sieve.mine (n int)",
      "create schema mine",
      "create role mine",
      "delete from sieve.migration",
      "set session_replication_role = replica",
      "select pg_read_file('postgresql.conf')",
      "copy (select 1) to program 'true'",
    ])
      expect(await tried(sql), sql).toMatch(/permission denied|must be owner|must be superuser/);
  });
});

describe("a target whose rows do not stay", () => {
  const FIELDS = [
    { name: "a", type: "integer", required: true },
    { name: "b", type: "decimal", precision: 6, scale: 2 },
  ];
  const oid = async (): Promise<number> =>
    (await system.db.query<{ oid: number }>("select 'target.swap'::regclass::int as oid")).rows[0]!.oid;

  it("is replaced by a table filled beside it, key and types as before", async () => {
    const { db } = system;
    await newFeed(db, "swap", FIELDS, { key: ["a"], mode: "replace" });
    await loadNow(db, "swap", "a,b\n1,1.50\n2,\nx,3\n");
    const first = await oid();
    const second = await loadNow(db, "swap", "a,b\n3,2.25\n4,1\n");
    expect(second.report!.balance.outcomes).toMatchObject({ inserted: 2 });
    expect(await oid()).not.toBe(first);
    const { rows } = await db.query("select a, b, _load, _record from target.swap order by a");
    expect(rows).toEqual([
      { a: 3, b: "2.25", _load: second.id, _record: 0 },
      { a: 4, b: "1.00", _load: second.id, _record: 1 },
    ]);
    await expect(db.query("insert into target.swap (a, _load, _record) values (3, 1, 1)")).rejects.toThrow("swap_pkey");
    await expect(db.query("insert into target.swap (a) values (9)")).rejects.toThrow("_load");
  });

  it("keeps what others have hung on it: then its rows are replaced, and the table stays", async () => {
    const { db } = system;
    await db.query("create view target.swap_seen as select a from target.swap");
    const before = await oid();
    const load = await loadNow(db, "swap", "a,b\n5,2\n");
    expect(load.report!.balance.outcomes).toMatchObject({ inserted: 1 });
    expect(await oid()).toBe(before);
    expect((await db.query("select a from target.swap_seen")).rows).toEqual([{ a: 5 }]);
  });
});

describe("files that have drifted", () => {
  it("are held whole where the plan says so, and are no surprise to the gates", async () => {
    const { db } = system;
    await newFeed(db, "drifting", [TEXT("a"), TEXT("b")], {}, { map: { extra: "hold" } });
    const load = await loadNow(db, "drifting", "a,b\n1,2\n", "a,b,c\n3,4,5\n6,7,8\n");
    expect(load.state).toBe("loaded");
    expect(load.report!.balance.outcomes).toMatchObject({ inserted: 1, held: 2 });
    expect((await getHeld(db, load.id, 1)).problems.map((p) => p.message)).toEqual([
      "The whole file is held: extra column c.",
    ]);
    const [released] = await releaseRecords(db, [{ load: load.id, record: 1 }], "test");
    expect(released!.released).toBe(true);
  });

  it("say which codes came that are not in the list, and what was seen of it", async () => {
    const { db } = system;
    const field = { name: "state", type: "code", values: ["new", "old", "lost"] };
    await newFeed(db, "codes", [field], {}, { map: { extra: "note", codes: "stop" }, gates: [] });
    const rows = [...Array<string>(80).fill("new"), ...Array<string>(9).fill("fresh"), "nwe", "old"];
    const load = await loadNow(db, "codes", `state\n${rows.join("\n")}\n`);
    expect(load.state).toBe("stopped");
    const [drift] = load.report!.drift;
    expect(drift).toMatchObject({ kind: "changed codes", name: "state" });
    expect(drift!.says).toContain("fresh (9)");
    expect(drift!.field!.values).toEqual(["new", "old", "lost", "fresh"]);
    expect(load.report!.codes).toEqual([
      {
        field: "state",
        seen: ["new", "old"],
        unknown: [
          { value: "fresh", count: 9 },
          { value: "nwe", count: 1 },
        ],
      },
    ]);
  });
});
