import { describe, expect, it } from "vitest";
import { alterationsOf, alterationsOfAll } from "@/engine/writing/alterations.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { asOthers, loadNow, newFeed, useSystem } from "../support/system.ts";

/** Indexes that a plan says its target has. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "site", type: "text" },
  { name: "day", type: "date" },
];

async function indexesOf(table: string): Promise<string[]> {
  const { rows } = await system.db.query<{ def: string }>(
    "select regexp_replace(indexdef, '^.* USING ', '') as def from pg_indexes where schemaname = 'target' and tablename = $1 order by 1",
    [table],
  );
  return rows.map((r) => r.def);
}

async function change(feed: string, load: object): Promise<void> {
  const { document } = await planInForce(system.db, feed);
  await savePlan(system.db, feed, { ...document, load: { ...document.load, ...load } }, "changed", "test");
}

describe("indexes of a target", () => {
  it.each(["append", "replace", "upsert"])(
    "are there after each load of the mode %s, and not made twice",
    async (mode) => {
      const { db } = system;
      const feed = `by_${mode}`;
      const indexes = [["site"], ["day", "site"]];
      await newFeed(db, feed, FIELDS, { key: ["id"], mode, indexes }, { gates: [] });
      const wanted = ["btree (day, site)", "btree (id)", "btree (site)"];
      const { document } = await planInForce(db, feed);
      expect((await alterationsOf(db, document)).statements.join("; ")).toContain(`create index "${feed}_by_site" on`);
      for (let n = 0; n < 3; n++) {
        const load = await loadNow(
          db,
          feed,
          `id,site,day\n${n * 2},Fen,2026-01-0${n + 1}\n${n * 2 + 1},Moor,2026-01-01\n`,
        );
        expect(load.state).toBe("loaded");
        expect(await indexesOf(feed)).toEqual(wanted);
        if (n === 2) await undoLoad(db, load.id, "a try", "test");
      }
      expect(await indexesOf(feed)).toEqual(wanted);
      expect((await alterationsOf(db, document)).statements).toEqual([]);
    },
  );

  it("go when the plan no longer has them, but not those that somebody else has made", async () => {
    const { db } = system;
    await newFeed(db, "changing", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    await loadNow(db, "changing", "id,site,day\n1,Fen,2026-01-01\n");
    expect(await indexesOf("changing")).toEqual(["btree (id)"]);
    await asOthers(system, "create index theirs on target.changing (day)");
    await change("changing", { indexes: [["site"], ["day"]] });
    // What is there over the same columns serves.
    const { document } = await planInForce(db, "changing");
    expect((await alterationsOf(db, document)).statements).toHaveLength(2);
    await loadNow(db, "changing", "id,site,day\n1,Fen,2026-01-02\n");
    expect(await indexesOf("changing")).toEqual(["btree (day)", "btree (id)", "btree (site)"]);
    await change("changing", { indexes: undefined });
    await loadNow(db, "changing", "id,site,day\n1,Fen,2026-01-03\n");
    expect(await indexesOf("changing")).toEqual(["btree (day)", "btree (id)"]);
  });

  it("have names that PostgreSQL takes, however long their fields' are", async () => {
    const { db } = system;
    const long = [
      { name: "id", type: "integer" },
      ...["a", "b"].map((c) => ({ name: `${c}_${"very_".repeat(9)}long`, type: "text" })),
    ];
    const [, a, b] = long.map((f) => f.name);
    await newFeed(db, "long", long, { key: ["id"], indexes: [[a, b], [a], [b]] }, { gates: [] });
    const load = await loadNow(db, "long", `id,${a},${b}\n1,x,y\n`);
    expect(load.state).toBe("loaded");
    expect(await indexesOf("long")).toHaveLength(4);
  });
});

it("columns say what their fields are called, shown before and after each mode, and follow a title", async () => {
  const { db } = system;
  const titled = FIELDS.map((f) => (f.name === "site" ? { ...f, title: "The site's name" } : f));
  const said = async (table: string): Promise<(string | null)[]> => {
    const { rows } = await db.query<{ says: string | null }>(
      `select col_description(attrelid, attnum) as says from pg_attribute where attrelid = to_regclass($1) and attname in ('id', 'site') order by attnum`,
      [`target.${table}`],
    );
    return rows.map((r) => r.says);
  };
  const further = [{ target: "named_also", key: ["id"] }];
  await newFeed(db, "named", titled, { key: ["id"], mode: "replace", comments: true, further }, { gates: [] });
  const { document } = await planInForce(db, "named");
  expect((await alterationsOf(db, document)).statements.join("; ")).toContain(
    `comment on column "target"."named"."site" is 'The site''s name'`,
  );
  for (let n = 0; n < 2; n++) {
    await loadNow(db, "named", `id,site,day\n${n},Fen,2026-01-01\n`);
    expect(await said("named")).toEqual([null, "The site's name"]);
    expect(await said("named_also")).toEqual([null, "The site's name"]);
  }
  expect((await alterationsOf(db, document)).statements).toEqual([]);
  const fields = document.contract.fields.map((f) => ({ ...f, title: f.name === "site" ? "Site" : "Number" }));
  await savePlan(db, "named", { ...document, contract: { fields } }, "titles", "test");
  await loadNow(db, "named", "id,site,day\n1,Fen,2026-01-01\n");
  expect(await said("named")).toEqual(["Number", "Site"]);
});

it("columns have defaults for rows that others add, shown before, kept by each mode, and taken away with the plan's", async () => {
  const { db } = system;
  const fields = [
    { name: "id", type: "integer", required: true },
    { name: "site", type: "text", length: 40 },
    { name: "grams", type: "decimal", precision: 9, scale: 2 },
    { name: "seen", type: "date", formats: ["dd.MM.yyyy"] },
    { name: "alive", type: "boolean" },
    { name: "at", type: "timestamp", formats: ["yyyy-MM-dd HH:mm:ss"] },
    { name: "tags", type: "list", of: "text", by: ";" },
    { name: "more", type: "json" },
    { name: "note", type: "text" },
  ];
  const defaults = {
    ...{ site: "it's \\ unknown", grams: "-1.5", seen: "31.05.2026", alive: "no", at: "2026-05-31 12:00:00" },
    ...{ tags: "a;b", more: '{"b": 1, "a": [2]}' },
  };
  await newFeed(db, "given", fields, { key: ["id"], mode: "replace", defaults }, { gates: [] });
  const { document } = await planInForce(db, "given");
  expect((await alterationsOf(db, document)).statements.join("; ")).toContain(
    `alter table "target"."given" alter column "seen" set default '2026-05-31'::date`,
  );
  const added = async (id: number): Promise<Record<string, unknown>> => {
    await asOthers(system, `insert into target.given (id, _load, _record) values (${id}, 1, 0)`);
    const { rows } = await db.query<Record<string, unknown>>(
      `select site, grams::text as grams, seen::text as seen, alive, at at time zone 'UTC' = '2026-05-31 12:00:00' as at, tags, more, note
       from target.given where id = $1`,
      [id],
    );
    return rows[0]!;
  };
  const wanted = {
    ...{ site: "it's \\ unknown", grams: "-1.50", seen: "2026-05-31", alive: false, at: true },
    ...{ tags: ["a", "b"], more: { a: [2], b: 1 }, note: null },
  };
  for (let n = 0; n < 2; n++) {
    await loadNow(db, "given", `id,site,grams,seen,alive,at,tags,more,note\n${n},,,,,,,,\n`);
    // What a load has nothing for stays empty: a default is no value of the sender's.
    expect((await db.query("select site, seen from target.given where id = $1", [n])).rows).toEqual([
      { site: null, seen: null },
    ]);
    expect(await added(100 + n)).toEqual(wanted);
  }
  expect((await alterationsOf(db, document)).statements).toEqual([]);
  // One that somebody else has set stays, of a column of which no plan has said any; another text is another default.
  await asOthers(system, "alter table target.given alter column note set default lower('N')");
  const { tags: _, ...others } = defaults;
  const load = { ...document.load, defaults: { ...others, alive: "yes" } };
  await savePlan(db, "given", { ...document, load }, "fewer", "test");
  expect((await alterationsOf(db, { ...document, load })).statements).toEqual([
    `alter table "target"."given" alter column "alive" set default 't'::boolean`,
    `alter table "target"."given" alter column "tags" drop default`,
  ]);
  await loadNow(db, "given", "id,site,grams,seen,alive,at,tags,more,note\n7,,,,,,,,\n");
  expect(await added(8)).toEqual({ ...wanted, alive: true, tags: null, note: "n" });
});

it("a further target has indexes and defaults of its own, each taken away with the plan's", async () => {
  const { db } = system;
  const visits = {
    ...{ target: "visit", key: ["visit_no"], mode: "upsert" },
    fields: [{ name: "visit_no", of: "id" }, { name: "place", of: "site" }, { name: "day" }],
    indexes: [["place", "day"]],
    defaults: { place: "unknown" },
  };
  // The plan's own target has a default of a column of the same name, which the other's is not.
  const load = { key: ["id"], mode: "upsert", defaults: { day: "2026-01-01" } };
  await newFeed(db, "visits", FIELDS, { ...load, further: [visits] }, { gates: [] });
  await loadNow(db, "visits", "id,site,day\n1,Fen,2026-01-01\n");
  const defaultsOf = async (table: string) =>
    (
      await db.query<{ d: string }>(
        "select column_name || ' ' || column_default as d from information_schema.columns where table_schema = 'target' and table_name = $1 and column_default is not null order by 1",
        [table],
      )
    ).rows.map((r) => r.d);
  expect(await indexesOf("visit")).toEqual(["btree (place, day)", "btree (visit_no)"]);
  expect(await defaultsOf("visit")).toEqual(["place 'unknown'::text"]);
  expect(await defaultsOf("visits")).toEqual(["day '2026-01-01'::date"]);
  await asOthers(system, "alter table target.visit alter column day set default '2020-02-02'");
  const { indexes: _, defaults: __, ...plain } = visits;
  await change("visits", { further: [plain] });
  await loadNow(db, "visits", "id,site,day\n2,Moor,2026-01-02\n");
  expect(await indexesOf("visit")).toEqual(["btree (visit_no)"]);
  expect(await defaultsOf("visit")).toEqual(["day '2020-02-02'::date"]);
  expect(await defaultsOf("visits")).toEqual(["day '2026-01-01'::date"]);
});

describe("the definition of each target", () => {
  it("is what the database has: columns, rules and indexes, with what others have made", async () => {
    const { db } = system;
    const load = { key: ["id"], mode: "upsert", indexes: [["site"]], defaults: { site: "Fen" }, comments: true };
    const fields = [FIELDS[0]!, { ...FIELDS[1], title: "Where it grew" }, FIELDS[2]!];
    await newFeed(db, "defined", fields, { ...load, further: [{ target: "defined_too", key: ["id"] }] }, { gates: [] });
    const { document } = await planInForce(db, "defined");
    const before = await alterationsOfAll(db, document);
    expect(before.map((t) => [t.target, t.definition])).toEqual([
      ["target.defined", null],
      ["target.defined_too", null],
    ]);
    await loadNow(db, "defined", "id,site,day\n1,Fen,2026-01-01\n");
    await asOthers(system, "alter table target.defined add constraint dry check (site <> 'Sea')");
    const [own, too] = await alterationsOfAll(db, document);
    expect(own!.definition!.columns.slice(0, 3)).toEqual([
      { name: "id", type: "bigint", notNull: true, otherwise: "", comment: "" },
      { name: "site", type: "text", notNull: false, otherwise: "'Fen'::text", comment: "Where it grew" },
      { name: "day", type: "date", notNull: false, otherwise: "", comment: "" },
    ]);
    expect(own!.definition!.rules).toContainEqual({ name: "dry", says: "CHECK ((site <> 'Sea'::text))" });
    expect(own!.definition!.indexes.map((i) => i.says)).toContain("btree (site)");
    expect(too!.definition!.columns.map((c) => c.name)).toEqual(expect.arrayContaining(["id", "site", "day", "_load"]));
  });
});
