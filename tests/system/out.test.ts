import { createHash } from "node:crypto";
import { execFile } from "node:child_process";
import { mkdtemp, readFile, readdir } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import { gunzipSync } from "node:zlib";
import { parse as parseCsv } from "csv-parse/sync";
import { strFromU8, unzipSync } from "fflate";
import { parquetReadObjects } from "hyparquet";
import { describe, expect, inject, it } from "vitest";
import type { Manifest } from "@/core/interop/manifest.ts";
import { outOf, type OutAsked } from "@/engine/out/out.ts";
import { queryOut } from "@/engine/out/query.ts";
import { countOfLoad, countRows } from "@/engine/out/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { planInForce } from "@/store/feeds.ts";
import { openDb } from "@/store/db.ts";
import { makeFarDatabase } from "../../scripts/lib/cluster.mjs";
import { root } from "../../scripts/lib/machine.mjs";
import { sieve } from "../support/shell.ts";
import { asOthers, loadNow, newFeed, newName, useSystem } from "../support/system.ts";

const system = useSystem();
const run = promisify(execFile);

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "partner", type: "text" },
  { name: "day", type: "date" },
  { name: "at", type: "timestamp" },
  { name: "g", type: "decimal", precision: 20, scale: 4 },
  { name: "ok", type: "boolean" },
  { name: "tags", type: "list", of: "text", by: ";" },
];
const PARTNERS = ["Mibora", "Ros/marin", "Äsche"];
const line = (i: number): string =>
  `${i},${PARTNERS[i % 3]},2026-0${1 + (i % 4)}-15,2026-05-31T14:05:09+02:00,${i}.25,${i % 2 === 0},"a ""q""; b\\c;${i}"`;
const HEAD = "id,partner,day,at,g,ok,tags\n";
const TEXT = `${HEAD}${Array.from({ length: 30 }, (_, i) => line(i)).join("\n")}\n`;

async function begin(name: string): Promise<void> {
  await newFeed(system.db, name, FIELDS, { key: ["id"], mode: "upsert" });
  expect((await loadNow(system.db, name, TEXT)).state).toBe("loaded");
}

async function packed(feed: string, asked: OutAsked): Promise<{ name: string; bytes: Buffer; manifest: Manifest }> {
  const out = await outOf(system.db, feed, asked);
  const pieces: Buffer[] = [];
  const manifest = await out.pack((bytes) => Promise.resolve(void pieces.push(Buffer.from(bytes))));
  return { name: out.name, bytes: Buffer.concat(pieces), manifest };
}

const sha256 = (bytes: Uint8Array): string => createHash("sha256").update(bytes).digest("hex");

describe("records on their way out", () => {
  const read = async (asked: OutAsked): Promise<Record<string, string>[]> =>
    parseCsv((await packed("records_out", asked)).bytes, { columns: true });

  it("are all that a load read, with what became of each and why; or what is held, as it is mended by now", async () => {
    const { db } = system;
    await newFeed(db, "records_out", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    await loadNow(db, "records_out", `${HEAD}1,Mibora,2026-01-01,,1,yes,\n2,Mibora,2026-01-02,,1,yes,\n`);
    const text = `${HEAD}1,Mibora,2026-01-01,,1,yes,\n2,Erica,2026-01-02,,1,yes,\n3,Erica,31.02.2026,,x,yes,\n4,Erica,,,,,\nbad\n`;
    const { id: load, report } = await loadNow(db, "records_out", text);
    const all = await read({ format: "csv", what: "records", load });
    expect(all.map((r) => [r["_outcome"], r["id"], r["_line"]])).toEqual([
      ["unchanged", "1", "2"],
      ["updated", "2", "3"],
      ["held", "3", "4"],
      ["inserted", "4", "5"],
      ["held", "", "6"],
    ]);
    expect(all[2]).toMatchObject({ day: "31.02.2026", g: "x" });
    expect(all[2]!["_problems"]).toMatch(/day .*31\.02\.2026.* g .*x/);
    expect(all[1]).toMatchObject({ g: "1", ok: "true" });
    expect(await countOfLoad(db, "records_out", load, "records")).toEqual({ rows: all.length, folders: null });
    expect(all).toHaveLength(report!.balance.read);
    const accepted = await read({ format: "csv", what: "accepted", load });
    expect(await countOfLoad(db, "records_out", load, "accepted")).toEqual({ rows: accepted.length, folders: null });
    const { document } = await planInForce(db, "records_out");
    const held = await packed("records_out", { format: "csv", what: "held", partition: "_file" });
    expect(held.name).toBe("records_out-held-" + new Date().toISOString().slice(0, 10) + ".zip");
    expect(held.manifest).toMatchObject({ of: { held: "records_out" }, records: 2 });
    expect(held.manifest.files.map((f) => f.path.split("/")[0])).toEqual(["_file=file-0.csv"]);
    const partitions = [{ field: "_file" }];
    expect(await countRows(db, document, { what: "held", partitions })).toEqual({ rows: 2, folders: 1 });
    const [mend] = await releaseRecords(db, [{ load, record: 2, values: { g: "7" } }], "test");
    expect(mend!.released).toBe(false);
    const still = await read({ format: "csv", what: "held", load });
    expect(still.map((r) => [r["_load"], r["_record"], r["_line"], r["id"], r["g"], r["day"]])).toEqual([
      [String(load), "2", "4", "3", "7", "31.02.2026"],
      [String(load), "4", "6", "", "", ""],
    ]);
    expect(still[0]!["_since"]).toMatch(/^\d{4}-\d\d-\d\dT[\d:.]+Z$/);
    const typed = JSON.parse(
      (await packed("records_out", { format: "json", what: "held" })).bytes.toString(),
    ) as object[];
    expect(typed[0]).toMatchObject({ _load: load, _with_sender: null, g: "7" });
    // One file for each folder, though their records come in turn.
    const apart = await packed("records_out", { format: "csv", what: "records", load, partition: "_outcome" });
    expect(apart.manifest.files.map((f) => [f.path.split("/")[0], f.records])).toEqual([
      ["_outcome=unchanged", 1],
      ["_outcome=updated", 1],
      ["_outcome=held", 2],
      ["_outcome=inserted", 1],
    ]);
    for (const { path, sha256: hash, bytes } of apart.manifest.files) {
      const own = unzipSync(apart.bytes)[path]!;
      expect([own.length, sha256(own)]).toEqual([bytes, hash]);
    }
    const parquet = await packed("records_out", { format: "parquet", what: "records", load });
    const bytes = parquet.bytes.buffer.slice(parquet.bytes.byteOffset, parquet.bytes.byteOffset + parquet.bytes.length);
    const rows = await parquetReadObjects({ file: bytes as ArrayBuffer });
    expect(rows.map((r) => r["_outcome"])).toEqual(all.map((r) => r["_outcome"]));
  });
});

describe("rows of a target on their way out", () => {
  it("are typed and whole, each value as the contract writes it", async () => {
    await begin("typed");
    const { name, bytes, manifest } = await packed("typed", { format: "csv", name: "{feed}" });
    expect(name).toBe("typed.csv");
    const rows = parseCsv(bytes, { columns: true }) as Record<string, string>[];
    expect(rows).toHaveLength(30);
    expect(rows.find((r) => r["id"] === "7")).toEqual({
      id: "7",
      partner: "Ros/marin",
      day: "2026-04-15",
      at: "2026-05-31T12:05:09Z",
      g: "7.2500",
      ok: "false",
      tags: 'a "q";b\\c;7',
    });
    expect(manifest).toMatchObject({ feed: "typed", records: 30, of: { target: "typed" } });
    expect(manifest.files).toEqual([{ path: "typed.csv", records: 30, bytes: bytes.length, sha256: sha256(bytes) }]);
    const lines = gunzipSync((await packed("typed", { format: "json-lines", gzip: true })).bytes).toString();
    const first = JSON.parse(lines.split("\n").find((l) => l.includes('"id":"7"'))!) as Record<string, unknown>;
    expect(first).toMatchObject({ g: 7.25, ok: false, tags: ['a "q"', "b\\c", "7"] });
    expect(lines).toContain('"g":7.2500');
  });

  it("go into folders, and a manifest says what is in them, by any reader of archives", async () => {
    await begin("folders");
    const { name, bytes, manifest } = await packed("folders", {
      format: "parquet",
      partition: "partner,day:month",
      records: 2,
      name: "rows",
    });
    expect(name).toBe("rows.zip");
    const files = unzipSync(bytes);
    expect(JSON.parse(strFromU8(files["manifest.json"]!))).toEqual(manifest);
    expect(Object.keys(files).sort()).toEqual(["manifest.json", ...manifest.files.map((f) => f.path)].sort());
    const ids: string[] = [];
    for (const { path, records, bytes: size, sha256: hash } of manifest.files) {
      const own = files[path]!;
      expect([own.length, sha256(own)]).toEqual([size, hash]);
      expect(records).toBeLessThanOrEqual(2);
      const file = own.buffer.slice(own.byteOffset, own.byteOffset + own.length) as ArrayBuffer;
      const rows = (await parquetReadObjects({ file })) as { id: string; partner: string; day: Date }[];
      expect(rows).toHaveLength(records);
      const [partner, month] = path.split("/").map((p) => decodeURIComponent(p.split("=")[1] ?? ""));
      for (const r of rows) {
        expect([r.partner, r.day.toISOString().slice(0, 7)]).toEqual([partner, month]);
        ids.push(r.id);
      }
    }
    expect(ids.map(Number).sort((a, b) => a - b)).toEqual(Array.from({ length: 30 }, (_, i) => i));
  });

  it("are those that one load wrote last, or all that it accepted", async () => {
    await begin("two");
    const first = await system.db.query<{ id: number }>("select min(id) as id from sieve.load where feed = 'two'");
    const load = first.rows[0]!.id;
    const again = await loadNow(system.db, "two", `${HEAD}${line(3).replace("Mibora", "Erica")}\n99,Erica,,,,,\nbad\n`);
    const ids = async (asked: OutAsked): Promise<string[]> =>
      (parseCsv((await packed("two", asked)).bytes, { columns: true }) as { id: string }[]).map((r) => r.id);
    expect(await ids({ format: "csv", load: again.id })).toEqual(["3", "99"]);
    expect(await ids({ format: "csv", load })).toHaveLength(29);
    expect(await ids({ format: "csv", load, what: "accepted" })).toHaveLength(30);
    const accepted = await packed("two", { format: "csv", load: again.id, what: "accepted" });
    expect(accepted.manifest).toMatchObject({ of: { load: again.id }, records: 2 });
  });

  it("are not those of another feed's load, nor of no load where one has to be said", async () => {
    await begin("three");
    await begin("four");
    const { rows } = await system.db.query<{ id: number }>("select id from sieve.load where feed = 'four'");
    const refused = (asked: OutAsked): Promise<unknown> =>
      packed("three", asked).then(
        () => null,
        (error: { code: string }) => error.code,
      );
    for (const what of ["rows", "accepted", "changed", "records", "held"] as const) {
      expect(await refused({ format: "csv", what, load: rows[0]!.id })).toBe("no-load");
    }
    expect(await refused({ format: "csv", what: "records" })).toBe("out-unfit");
    await expect(countOfLoad(system.db, "three", rows[0]!.id, "records")).rejects.toMatchObject({ code: "no-load" });
  });

  it("are those of one moment, whoever writes meanwhile", async () => {
    await begin("moment");
    const out = await outOf(system.db, "moment", { format: "json-lines", records: 10, name: "m" });
    let written = false;
    const pieces: Buffer[] = [];
    await out.pack(async (bytes) => {
      pieces.push(Buffer.from(bytes));
      if (written) return;
      written = true;
      await system.db.query("delete from target.moment");
    });
    expect(Object.keys(unzipSync(Buffer.concat(pieces)))).toHaveLength(4);
    expect((await packed("moment", { format: "csv" })).manifest.records).toBe(0);
  });

  it("of a table that was there before come by the contract's fields, what it has not is empty", async () => {
    await asOthers(
      system,
      `create schema elsewhere; create table elsewhere.things (id text primary key, at timestamp, tags text[], other int);
      insert into elsewhere.things values ('a', '2026-05-31 10:00:00', '{x,NULL,"y z"}', 1), ('b', null, '{}', 2)`,
    );
    await newFeed(system.db, "things", FIELDS, { schema: "elsewhere", target: "things", key: ["id"], mode: "upsert" });
    const { bytes } = await packed("things", { format: "json" });
    expect(JSON.parse(bytes.toString())).toMatchObject([
      { id: "a", at: "2026-05-31T10:00:00Z", tags: ["x", "y z"], partner: null },
      { id: "b", at: null, tags: [] },
    ]);
  });

  it("are refused in words: a format, a folder, a name, a target that is not there", async () => {
    await newFeed(system.db, "none", FIELDS);
    await expect(outOf(system.db, "none", { format: "pdf" })).rejects.toMatchObject({ code: "out-unfit" });
    await expect(outOf(system.db, "none", { format: "csv", partition: "x" })).rejects.toMatchObject({
      code: "out-unfit",
    });
    await expect(outOf(system.db, "none", { format: "csv", name: "../x" })).rejects.toMatchObject({
      code: "out-unfit",
    });
    const named = (format: string, names: object) => outOf(system.db, "none", { format, ...names });
    await expect(named("csv", { root: "lots" })).rejects.toThrow("CSV has no root element to choose.");
    await expect(named("xml", { record: "a b" })).rejects.toThrow("“a b” is no name of an element.");
    await expect(packed("none", { format: "csv" })).rejects.toMatchObject({ code: "no-target" });
    await expect(outOf(system.db, "nobody", { format: "csv" })).rejects.toMatchObject({ code: "no-plan" });
  });
});

describe("sieve out", () => {
  const sieve = (...args: string[]) =>
    run(process.execPath, [join(root, "dist/cli.js"), ...args], {
      env: { ...process.env, DATABASE_URL: system.url },
    });

  it("writes a file, or a folder with its manifest, and leaves nothing that is not whole", async () => {
    await begin("shell");
    const at = await mkdtemp(join(tmpdir(), "out-"));
    const one = await sieve("out", "shell", join(at, "all.csv.gz"));
    expect(one.stdout).toContain("30 records in 1 file");
    expect(parseCsv(gunzipSync(await readFile(join(at, "all.csv.gz"))), { columns: true })).toHaveLength(30);
    await sieve("out", "shell", join(at, "rows"), "--format", "xlsx", "--partition", "partner", "--name", "{feed}-{n}");
    expect((await readdir(join(at, "rows"))).sort()).toEqual(
      ["manifest.json", "partner=Mibora", "partner=Ros%2Fmarin", "partner=Äsche"].sort(),
    );
    const manifest = JSON.parse(await readFile(join(at, "rows/manifest.json"), "utf8")) as Manifest;
    for (const { path, sha256: hash } of manifest.files) {
      expect(sha256(await readFile(join(at, "rows", path)))).toBe(hash);
    }
    await sieve("out", "shell", join(at, "lots.xml"), "--root", "lots", "--record", "lot");
    const xml = await readFile(join(at, "lots.xml"), "utf8");
    expect([xml.match(/<lot>/g)?.length, xml.includes("<lots>"), xml.includes("<record>")]).toEqual([30, true, false]);
    const refused = sieve("out", "shell", join(at, "x.csv"), "--partition", "partner:month");
    await expect(refused).rejects.toMatchObject({ code: 2, stderr: expect.stringContaining("is no day") as string });
    expect((await readdir(at)).sort()).toEqual(["all.csv.gz", "lots.xml", "rows"]);
  });
});

describe("what a query gives", () => {
  const asked = async (sql: string, more: Partial<OutAsked> = {}, connection?: string) => {
    const out = await queryOut(system.db, { sql, connection }, { format: "csv", ...more });
    const pieces: Buffer[] = [];
    const manifest = await out.pack((bytes) => Promise.resolve(void pieces.push(Buffer.from(bytes))));
    return { name: out.name, bytes: Buffer.concat(pieces), manifest };
  };

  it("goes out with each column as its type has it, and with a manifest of its own", async () => {
    await begin("queried");
    const sql = `select partner, count(*) as n, sum(g) as grams, avg(g) as mean, min(day) as first, bool_and(ok) as ok,
        max(at) as latest, array_agg(id order by id::int) as ids, '{"a": 1}'::jsonb as more, 0.1::float8 as share,
        interval '1 day' as long, null::integer as none
      from target.queried group by partner order by partner collate "C"; `;
    const csv = parseCsv((await asked(sql)).bytes, { columns: true }) as Record<string, string>[];
    expect(csv).toHaveLength(3);
    expect(csv[0]).toMatchObject({
      ...{ partner: "Mibora", n: "10", grams: "137.5", mean: "13.75", first: "2026-01-15", ok: "false", none: "" },
      ...{ share: "0.1", long: "1 day", more: '{"a": 1}' },
    });
    expect(csv[0]!["latest"]).toMatch(/^2026-05-31.12:05:09/);
    const { bytes, manifest, name } = await asked(sql, { format: "parquet" });
    expect(name).toMatch(/^query-\d{4}-\d\d-\d\d\.parquet$/);
    const rows = await parquetReadObjects({
      file: bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer,
    });
    expect(rows[0]).toMatchObject({ partner: "Mibora", n: 10n, ok: false, none: null });
    expect(rows.map((r) => Number(r["grams"]))).toEqual([137.5, 147.5, 157.5]);
    expect(manifest).toMatchObject({ feed: "", plan: null, of: { connection: null, query: sql }, records: 3 });
    expect(JSON.stringify(manifest.contract.table_schema)).toContain('"name":"grams"');
  });

  it("goes into folders by its columns, in whatever order its rows come", async () => {
    await begin("queried_parts");
    const { bytes, manifest } = await asked("select partner, id, day from target.queried_parts order by id::int", {
      partition: "partner",
    });
    const files = unzipSync(bytes);
    expect(Object.keys(files).filter((f) => f !== "manifest.json")).toHaveLength(3);
    expect(manifest.records).toBe(30);
    // A third has more digits than a decimal: it is rounded, and nothing else is.
    const third = await asked("select 1::numeric / 3 as third, 1234567890.5::numeric(20,4) as exact");
    expect(strFromU8(third.bytes)).toBe("third,exact\r\n0.333333333333,1234567890.5000\r\n");
    expect(strFromU8((await asked("select 1 as a where false -- none")).bytes)).toBe("a\r\n");
    const none =
      "select 'NaN'::numeric as a, 'Infinity'::numeric as b, null::numeric(9,2) as c, 'NaN'::numeric(9,2) as d";
    expect(strFromU8((await asked(none)).bytes)).toBe("a,b,c,d\r\n,,,\r\n");
  });

  it("is one query that reads, with columns that have names of their own", async () => {
    const refused = (sql: string, connection?: string): Promise<unknown> => asked(sql, {}, connection);
    for (const sql of [
      "select 1 as a; drop table sieve.feed",
      "delete from sieve.feed returning name",
      "select 1 as a) t; drop table sieve.feed; --",
      "with gone as (delete from sieve.feed returning name) select name from gone",
      "select nowhere from nothing",
      "",
    ]) {
      await expect(refused(sql), sql).rejects.toMatchObject({ code: "query-failed" });
    }
    await expect(refused("select 1 as a, 2 as a")).rejects.toMatchObject({ code: "out-unfit" });
    await expect(refused('select 1 as "A b"')).rejects.toMatchObject({ code: "out-unfit" });
    await expect(refused("select 1 as a", "unheard_of")).rejects.toMatchObject({ code: "no-connection" });
    process.env["SIEVE_CONNECTION_AWAY"] = "postgres://nobody@127.0.0.1:1/nothing";
    await expect(refused("select 1 as a", "away")).rejects.toMatchObject({ code: "query-failed" });
    expect((await system.db.query("select count(*)::int as n from sieve.feed")).rows[0]).not.toEqual({ n: 0 });
  });

  it("is written from the command line, of this database or of a connection's, by its role", async () => {
    await begin("queried_shell");
    const far = makeFarDatabase(inject("cluster"), newName());
    process.env["SIEVE_CONNECTION_WAREHOUSE"] = far.url;
    const admin = openDb(far.admin, 1);
    await admin.query(
      `create table stock as select * from (values (1, 'Silene'), (2, 'Carex')) v (id, name); grant select on stock to public;
       create table secret as select 1 as a`,
    );
    await admin.end();
    const folder = await mkdtemp(join(tmpdir(), "query-out-"));
    const here = sieve(system, "out", "select count(*) as n from target.queried_shell", join(folder, "n.json"));
    expect(here.stderr).toBe("");
    expect(here.stdout).toContain("1 record in 1 file");
    expect(JSON.parse(await readFile(join(folder, "n.json"), "utf8"))).toEqual([{ n: 30 }]);
    const there = sieve(
      system,
      ...["out", "select * from stock order by id", join(folder, "stock.csv"), "--connection", "warehouse"],
    );
    expect(there.stderr).toBe("");
    expect(await readFile(join(folder, "stock.csv"), "utf8")).toBe("id,name\r\n1,Silene\r\n2,Carex\r\n");
    const refused = sieve(
      system,
      ...["out", "select * from secret", join(folder, "secret.csv"), "--connection", "warehouse"],
    );
    expect(refused.stderr).toContain("permission denied for table secret");
    expect((await readdir(folder)).sort()).toEqual(["n.json", "stock.csv"]);
    const wrong = sieve(system, "out", "select 1 as a", join(folder, "a.csv"), "--held");
    expect([wrong.status, wrong.stderr]).toEqual([2, expect.stringContaining("A query is of no load.")]);
    expect(sieve(system, "out", "queried_shell", join(folder, "a.csv"), "--connection", "warehouse").status).toBe(2);
  });
});
