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
import { describe, expect, it } from "vitest";
import type { Manifest } from "@/core/interop/manifest.ts";
import { outOf, type OutAsked } from "@/engine/out/out.ts";
import { root } from "../../scripts/lib/machine.mjs";
import { loadNow, newFeed, asOthers, useSystem } from "../support/system.ts";

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
    expect(await ids({ format: "csv", load, accepted: true })).toHaveLength(30);
    const accepted = await packed("two", { format: "csv", load: again.id, accepted: true });
    expect(accepted.manifest).toMatchObject({ of: { load: again.id }, records: 2 });
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
    const refused = sieve("out", "shell", join(at, "x.csv"), "--partition", "partner:month");
    await expect(refused).rejects.toMatchObject({ code: 2, stderr: expect.stringContaining("is no day") as string });
    expect((await readdir(at)).sort()).toEqual(["all.csv.gz", "rows"]);
  });
});
