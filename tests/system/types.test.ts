import { describe, expect, it } from "vitest";
import { undoLoad } from "@/engine/undo/undo.ts";
import { alterationsOf } from "@/engine/writing/alterations.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { loadNow, newFeed, rows, useSystem } from "../support/system.ts";

const system = useSystem();

const KEY = { name: "id", type: "text", length: 10, required: true };

/** Saves the plan of a feed with a field's settings changed. */
async function retype(feed: string, name: string, settings: object): Promise<void> {
  const { document } = await planInForce(system.db, feed);
  const fields = document.contract.fields.map((f) => (f.name === name ? { name, ...settings } : f));
  await savePlan(system.db, feed, { ...document, contract: { fields } }, "another type", "test");
}

async function typesOf(table: string): Promise<Record<string, string>> {
  const { rows: found } = await system.db.query<{ name: string; type: string }>(
    `select attname as name, format_type(atttypid, atttypmod) as type from pg_attribute
     where attrelid = $1::regclass and attnum > 0 and not attisdropped and attname !~ '^_'`,
    [`target.${table}`],
  );
  return Object.fromEntries(found.map((f) => [f.name, f.type]));
}

describe("types of their own", () => {
  it("have columns of their own, and what a load writes is what came", async () => {
    const { db } = system;
    const fields = [
      KEY,
      { name: "opens", type: "time", formats: ["h:mm a"] },
      { name: "price", type: "money", currency: "EUR", decimal: "," },
      { name: "paid", type: "money" },
      { name: "ref", type: "uuid" },
      { name: "tags", type: "list", by: "|" },
      { name: "counts", type: "list", of: "integer", by: "," },
      { name: "more", type: "json" },
      { name: "n", type: "integer", bits: "16" },
      { name: "short", type: "text", length: 5, sized: true },
    ];
    await newFeed(db, "kinds", fields, { key: ["id"], mode: "upsert" });
    const file = (more: string): string =>
      `id;opens;price;paid;ref;tags;counts;more;n;short
a;9:30 am;1.234,5 €;12.5 GBP;0190B3A47C1E7D2A8F3B5A6C7D8E9F01;elm | as"h\\;"3,1";"{""g"": 1.50}";7;abcde
b;12:00 pm;;;;;;;;
c;13:00 pm;1,005;$5;xyz;;"1,b";{g};40000;abcdef
${more}`;
    const first = await loadNow(db, "kinds", file(""));
    expect(first.error).toBeNull();
    expect(first.report!.balance.outcomes).toMatchObject({ inserted: 2, held: 1 });
    expect(await typesOf("kinds")).toEqual({
      id: "text",
      opens: "time without time zone",
      price: "numeric(16,2)",
      paid: "text",
      ref: "uuid",
      tags: "text[]",
      counts: "bigint[]",
      more: "jsonb",
      n: "smallint",
      short: "character varying(5)",
    });
    const [a, b] = await rows(db, "kinds", "id");
    expect(a).toMatchObject({
      opens: "09:30:00",
      price: "1234.50",
      paid: "12.50 GBP",
      ref: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
      tags: ["elm", 'as"h\\'],
      counts: ["3", "1"],
      more: { g: 1.5 },
      n: 7,
      short: "abcde",
    });
    expect(b).toMatchObject({ opens: "12:00:00", price: null, tags: null, more: null });
    // Held against the rows that are there, what is the same is the same.
    const again = await loadNow(db, "kinds", file("b;12:15 pm;;;;;;;;\n").replace("b;12:00 pm;;;;;;;;\n", ""));
    expect(again.report!.balance.outcomes).toMatchObject({ unchanged: 1, updated: 1, held: 1 });
    await undoLoad(db, again.id, "test", "looked at");
    expect((await rows(db, "kinds", "id"))[1]).toMatchObject({ opens: "12:00:00" });
  });
});

describe("a type that is changed later", () => {
  it("is tried on all rows, and done in the transaction of the next load", async () => {
    const { db } = system;
    await newFeed(
      db,
      "changing",
      [KEY, { name: "day", type: "text", length: 20 }, { name: "n", type: "decimal", precision: 9, scale: 3 }],
      {
        key: ["id"],
        mode: "upsert",
      },
    );
    await loadNow(db, "changing", "id,day,n\na,31.05.2026,1\nb,04.05.2026,2\nc,soon,2.5\n");
    const before = await loadNow(db, "changing", "id,day,n\na,01.02.2026,5\n");
    // The plan in force is changed behind the route's back, as an older version of the program would.
    await retype("changing", "day", { type: "date", formats: ["dd.MM.yyyy"] });
    const plan = (await planInForce(db, "changing")).document;
    const { refusals } = await alterationsOf(db, plan);
    expect(refusals.map((r) => r.says)).toEqual([
      "The column day of changing is text and can't become date: 1 value of 4 does not fit, in 1 row: “soon”.",
    ]);
    const failed = await loadNow(db, "changing", "id,day,n\nd,01.06.2026,3\n");
    expect(failed.state).toBe("failed");
    expect(failed.error!.message).toContain("“soon”");
    expect(await typesOf("changing")).toMatchObject({ day: "text" });

    await db.query("update target.changing set day = '06.05.2026' where id = 'c'");
    const tried = await alterationsOf(db, plan);
    expect(tried.refusals).toEqual([]);
    expect(tried.conversions).toMatchObject([
      { field: "day", from: "text", to: "date", values: 4, rewritten: 4, misfits: 0 },
    ]);
    expect(tried.statements.join()).toContain('alter column "day" type date using');
    const load = await loadNow(db, "changing", "id,day,n\nd,01.06.2026,3\n");
    expect(load.error).toBeNull();
    const days = async (): Promise<Record<string, string>> =>
      Object.fromEntries(
        (await db.query<{ id: string; day: string }>("select id, day::text from target.changing order by id")).rows.map(
          (r) => [r.id, r.day],
        ),
      );
    expect(await days()).toEqual({ a: "2026-02-01", b: "2026-05-04", c: "2026-05-06", d: "2026-06-01" });

    // What was kept for an undo is of the new type too; and the row that another program changed is still somebody else's.
    await undoLoad(db, before.id, "test", "looked at");
    expect(await days()).toMatchObject({ a: "2026-05-31", c: "2026-05-06" });
    const { rows: others } = await db.query<{ id: string }>(`select id from target.changing where "_writing" is null`);
    expect(others.map((r) => r.id)).toEqual(["c"]);
  });

  it("is refused of numbers with decimals, and done where they have none", async () => {
    const { db } = system;
    await newFeed(db, "whole", [KEY, { name: "n", type: "decimal", precision: 9, scale: 3 }]);
    await loadNow(db, "whole", "id,n\na,1.5\nb,2\n");
    await retype("whole", "n", { type: "integer" });
    const plan = (await planInForce(db, "whole")).document;
    expect((await alterationsOf(db, plan)).refusals[0]!.says).toContain("1 value of 2 does not fit, in 1 row: “1.5”");
    await db.query("update target.whole set n = 3 where id = 'a'");
    const load = await loadNow(db, "whole", "id,n\nc,7\n");
    expect(load.error).toBeNull();
    expect(await typesOf("whole")).toMatchObject({ n: "bigint" });
    expect((await rows(db, "whole", "id")).map((r) => r["n"])).toEqual([3, 2, 7]);
  });

  it("is done at once where there is no row, or no value", async () => {
    const { db } = system;
    await newFeed(db, "bare", [KEY, { name: "v", type: "integer" }]);
    await loadNow(db, "bare", "id,v\na,\n");
    await retype("bare", "v", { type: "uuid" });
    expect((await loadNow(db, "bare", "id,v\nb,0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01\n")).error).toBeNull();
    expect(await typesOf("bare")).toMatchObject({ v: "uuid" });
  });

  it("never cuts a text, and leaves what a view shows alone", async () => {
    const { db } = system;
    await newFeed(db, "texts", [KEY, { name: "v", type: "text", length: 20 }]);
    await loadNow(db, "texts", "id,v\na,longer than it\nb,short\n");
    await retype("texts", "v", { type: "text", length: 8, sized: true });
    const plan = (await planInForce(db, "texts")).document;
    expect((await alterationsOf(db, plan)).refusals[0]!.says).toContain("“longer than it”");
    await db.query("update target.texts set v = 'long' where id = 'a'");
    await db.query("create view target.seen as select v from target.texts");
    expect((await alterationsOf(db, plan)).refusals[0]!.says).toContain("the view target.seen hangs on it");
    await db.query("drop view target.seen");
    expect((await loadNow(db, "texts", "id,v\nc,ok\n")).error).toBeNull();
    expect(await typesOf("texts")).toMatchObject({ v: "character varying(8)" });
  });
});
