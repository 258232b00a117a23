import { beforeAll, describe, expect, it } from "vitest";
import { askAgain, makeAskedList } from "@/engine/look/ask-list.ts";
import { getReference, readReference, versionAsked } from "@/store/references.ts";
import { useFar } from "../support/far.ts";
import { sieve } from "../support/shell.ts";
import { asOthers, loadNow, newFeed, useSystem } from "../support/system.ts";

/** Reference lists that other systems keep, asked whenever a load needs them. */

const far = useFar();
const system = useSystem();
beforeAll(() => far.connect(system.db));

const list = (name: string) => ({ name, title: name, about: "", parts: { key: "code" } });
const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "site", type: "text" },
  { name: "site_name", type: "text" },
];
async function feedAsking(name: string, of: string): Promise<void> {
  const by = [{ field: "site", column: "code" }];
  const lookup = [{ how: "exact", name: "site", list: of, by, bring: { site_name: "name" }, none: "hold" }];
  await newFeed(system.db, name, FIELDS, { key: ["id"], mode: "upsert" }, { gates: [], lookup });
}
async function names(feed: string): Promise<unknown[]> {
  const { rows } = await system.db.query(`select id, site_name as name from target.${feed} order by 1`);
  return rows.map((r: { id: number; name: string }) => `${r.id} ${r.name}`);
}

describe("a list that another system keeps", () => {
  it("is asked by each load as it is then, and each change is a version that the load keeps", async () => {
    const { db } = system;
    await far.db("prepares").query(`create table site (code text, name text, opened date, ok boolean);
        insert into site values ('F', 'Fen ', '2026-01-05', true), ('M', null, null, false)`);
    const asked = { connection: "prepares", sql: "select code, name, opened, ok from site order by code;" };
    const made = await makeAskedList(db, list("sites"), asked, "Ines");
    expect(made).toMatchObject({ version: 1, before: 0 });
    expect(await readReference(db, "sites")).toMatchObject({
      columns: ["code", "name", "opened", "ok"],
      key: "code",
      entries: [
        ["F", "Fen", "2026-01-05", "t"],
        ["M", "", "", "f"],
      ],
    });
    await feedAsking("visits", "sites");
    const first = await loadNow(db, "visits", "id,site\n1,F\n2,B\n");
    expect(first).toMatchObject({ inserted: 1, held: 1 });
    await far
      .db("prepares")
      .query(`update site set name = 'Great Fen' where code = 'F'; insert into site values ('B', 'Bog')`);
    const second = await loadNow(db, "visits", "id,site\n1,F\n2,B\n");
    expect(second).toMatchObject({ inserted: 1, updated: 1, held: 0 });
    expect(await names("visits")).toEqual(["1 Great Fen", "2 Bog"]);
    expect([await versionAsked(db, first.id, "sites"), await versionAsked(db, second.id, "sites")]).toEqual([1, 2]);
    expect((await getReference(db, "sites")).changedBy).toBe(`load ${second.id}`);
    expect(await askAgain(db, "sites", "Ines")).toMatchObject({ version: 2, before: 2 });
  });

  it("can be a table of the same database, without what a target's rows have besides", async () => {
    const { db } = system;
    await asOthers(
      system,
      `create schema vault; create table vault.room (code text, name text, _load integer);
      insert into vault.room values ('A', 'Ash', 1)`,
    );
    await makeAskedList(db, list("rooms"), { table: "vault.room" }, "Ines");
    expect(await readReference(db, "rooms")).toMatchObject({ columns: ["code", "name"], entries: [["A", "Ash"]] });
    expect(sieve(system, "list", "rooms").stdout).toBe("rooms: unchanged, 1 entry\n");
    await system.admin.query("insert into vault.room values ('B', 'Birch', null)");
    expect(sieve(system, "list", "rooms").stdout).toBe("rooms: version 2, 2 entries\n");
    const made = sieve(system, "list", "again", "--table", "vault.room", "--key", "name");
    expect(made.stdout).toBe("again: version 1, 2 entries\n");
    expect(sieve(system, "list", "again", "--sql", "select 1").stderr).toContain("--connection NAME and --sql QUERY");
  });

  it("fails a load in words where it can't be asked, or has lost a column", async () => {
    const { db } = system;
    await far.db("prepares").query(`create table gone as select 'F' as code, 'Fen' as name`);
    await makeAskedList(db, list("going"), { connection: "prepares", sql: "select * from gone" }, "Ines");
    await feedAsking("lost", "going");
    await far.db("prepares").query("alter table gone drop column name");
    const lacking = await loadNow(db, "lost", "id,site\n1,F\n");
    expect(lacking).toMatchObject({ state: "failed", error: { message: "There is no column name." } });
    await far.db("prepares").query("drop table gone");
    const away = await loadNow(db, "lost", "id,site\n1,F\n");
    expect(away.error!.message).toBe("The list could not be asked of a query on prepares.");
    expect(away.error!.detail).toContain("gone");
  });

  it("is never written to, and asks one query alone", async () => {
    const { db } = system;
    const of = (sql: string): Promise<unknown> =>
      makeAskedList(db, list("bad"), { connection: "prepares", sql }, "Ines");
    await far.db("prepares").query("create table counted (n integer)");
    await expect(of("with x as (insert into counted values (1) returning n) select * from x")).rejects.toMatchObject({
      code: "list-refused",
    });
    await expect(of("select 1 as code; drop table counted")).rejects.toMatchObject({ code: "list-refused" });
    await expect(of("select 1 as code, 2 as code")).rejects.toMatchObject({ code: "list-invalid" });
    expect((await far.db("prepares").query("select count(*)::int as n from counted")).rows).toEqual([{ n: 0 }]);
    await expect(askAgain(db, "bad", "Ines")).rejects.toMatchObject({ code: "no-list" });
  });
});
