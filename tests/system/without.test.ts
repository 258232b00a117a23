import { describe, expect, it } from "vitest";
import { verifyLoad } from "@/engine/look/verify.ts";
import { outOf } from "@/engine/out/out.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { alterationsOf } from "@/engine/writing/alterations.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { asOthers, loadNow, newFeed, useSystem } from "../support/system.ts";

/** Fields that a plan's own target has no column of. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "name", type: "text" },
  { name: "note", type: "text", length: 10 },
  { name: "n", type: "integer" },
];
const HEAD = "id,name,note,n\n";
const rowsOf = async (table: string, columns = "id, name, n") =>
  (await system.db.query(`select concat_ws('|', ${columns}) as r from ${table} order by id`)).rows.map(
    (r: { r: string }) => r.r,
  );
const columnsOf = async (table: string) =>
  (
    await system.db.query<{ name: string }>(
      "select attname as name from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped order by attnum",
      [table],
    )
  ).rows.map((r) => r.name);

describe("a field beside the target", () => {
  it.each([
    ["append", { mode: "append", key: ["id"] }],
    ["replace", { mode: "replace", key: [] }],
    ["upsert", { mode: "upsert", key: ["id"] }],
    ["upsert by the whole record", { mode: "upsert", whole_record: true, key: [] }],
  ])("has no column in a target that is made, and none is looked for: %s", async (mode, load) => {
    const { db } = system;
    const feed = `beside_${mode.replaceAll(" ", "_")}`;
    await newFeed(db, feed, FIELDS, { ...load, without: ["note"] }, { gates: [] });
    const first = await loadNow(db, feed, `${HEAD}a,Fen,one,1\nb,Bog,two,2\nc,Moor,much too long,3\n`);
    expect(first).toMatchObject({ state: "loaded", inserted: 2, held: 1 });
    expect(await columnsOf(`target.${feed}`)).toEqual(["id", "name", "n", "_load", "_record", "_writing"]);
    expect(await rowsOf(`target.${feed}`)).toEqual(["a|Fen|1", "b|Bog|2"]);
    // It is checked all the same, and what is mended passes.
    await releaseRecords(db, [{ load: first.id, record: 2, values: { note: "short" } }], "Ines");
    expect(await rowsOf(`target.${feed}`)).toEqual(["a|Fen|1", "b|Bog|2", "c|Moor|3"]);
    const second = await loadNow(db, feed, `${HEAD}a,Fen,other,1\nd,Fen,,4\n`);
    const outcomes = { inserted: second.inserted, updated: second.updated, unchanged: second.unchanged };
    expect(outcomes).toEqual(
      mode === "replace"
        ? { inserted: 2, updated: 0, unchanged: 0 }
        : mode === "append"
          ? { inserted: 1, updated: 0, unchanged: 0 }
          : { inserted: 1, updated: 0, unchanged: 1 },
    );
    for (const load of [first, second]) expect((await verifyLoad(db, load.id)).differs).toEqual([]);
    await undoLoad(db, second.id, "x", "t");
    expect(await rowsOf(`target.${feed}`)).toEqual(["a|Fen|1", "b|Bog|2", "c|Moor|3"]);
  });

  it("goes to further targets and files of what was accepted, and not to files of the target's rows", async () => {
    const { db } = system;
    const further = [{ target: "notes", key: ["id"], mode: "upsert", fields: [{ name: "id" }, { name: "note" }] }];
    await newFeed(db, "noted", FIELDS, { key: ["id"], mode: "upsert", without: ["note"], further }, { gates: [] });
    const load = await loadNow(db, "noted", `${HEAD}a,Fen,one,1\nb,Bog,two,2\n`);
    expect(await rowsOf("target.notes", "id, note")).toEqual(["a|one", "b|two"]);
    const text = async (asked: object): Promise<string> => {
      const parts: Uint8Array[] = [];
      const outgoing = await outOf(db, "noted", { format: "csv", what: "rows", ...asked });
      await outgoing.pack(async (bytes) => void parts.push(bytes.slice()));
      return Buffer.concat(parts).toString();
    };
    expect(await text({})).toBe("id,name,n\r\na,Fen,1\r\nb,Bog,2\r\n");
    expect(await text({ what: "accepted", load: load.id })).toBe("id,name,note,n\r\na,Fen,one,1\r\nb,Bog,two,2\r\n");
  });

  it("whose column is there already keeps what it has, and comes back when the plan wants it again", async () => {
    const { db } = system;
    const load = { key: ["id"], mode: "upsert" };
    await newFeed(db, "was_there", FIELDS, load, { gates: [] });
    await loadNow(db, "was_there", `${HEAD}a,Fen,one,1\n`);
    const { document } = await planInForce(db, "was_there");
    await savePlan(db, "was_there", { ...document, load: { ...document.load, without: ["note"] } }, "x", "t");
    const plan = (await planInForce(db, "was_there")).document;
    expect((await alterationsOf(db, plan)).refusals).toEqual([]);
    await loadNow(db, "was_there", `${HEAD}a,Fen,two,9\nb,Bog,two,2\n`);
    expect(await rowsOf("target.was_there", "id, name, coalesce(note, '-'), n")).toEqual(["a|Fen|one|9", "b|Bog|-|2"]);
    await savePlan(db, "was_there", document, "x", "t");
    await loadNow(db, "was_there", `${HEAD}b,Bog,two,2\n`);
    expect(await rowsOf("target.was_there", "id, name, coalesce(note, '-'), n")).toEqual([
      "a|Fen|one|9",
      "b|Bog|two|2",
    ]);
  });

  it("need not be in a table of others, which has what it has", async () => {
    const { db } = system;
    await asOthers(
      system,
      "create schema theirs; create table theirs.things (id text primary key, name text, n bigint)",
    );
    const load = { target: "things", schema: "theirs", key: ["id"], mode: "upsert", without: ["note"] };
    await newFeed(db, "theirs", FIELDS, load, { gates: [] });
    const done = await loadNow(db, "theirs", `${HEAD}a,Fen,one,1\n`);
    expect(done).toMatchObject({ state: "loaded", inserted: 1 });
    expect(await rowsOf("theirs.things")).toEqual(["a|Fen|1"]);
    expect(await columnsOf("theirs.things")).not.toContain("note");
  });
});
