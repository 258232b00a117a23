import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { afterAll, beforeAll, describe, expect, inject, it } from "vitest";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { getHeld } from "@/store/held.ts";
import { getLoad } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { MIGRATIONS, migrate } from "@/store/migrate.ts";
import { readiness } from "@/store/ready.ts";
import { retentionOf } from "@/store/retention.ts";
import { postgresBin, root } from "../../scripts/lib/machine.mjs";
import { deliver, loadNow, newFeed, newName, newSystem, waitFor, type System } from "../support/system.ts";

const folder = mkdtempSync(join(tmpdir(), "sieve-upgrade-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A program of the database's packages; what it prints. */
function run(program: string, args: string[], input?: string): string {
  const ran = spawnSync(join(postgresBin()!, program), args, { encoding: "utf8", input, maxBuffer: 1 << 28 });
  expect(ran.status, `${program}: ${ran.stderr}`).toBe(0);
  return ran.stdout;
}

describe("a store of the first version, with data in it", () => {
  let system: System;
  beforeAll(async () => {
    const { base, folder: cluster } = inject("cluster");
    const name = newName();
    run("psql", ["-X", "-q", "-d", `${base}/postgres`, "-c", `create database ${name}`]);
    const dump = gunzipSync(readFileSync(join(root, "tests/data/first-store.sql.gz"))).toString("utf8");
    run("psql", ["-X", "-q", "-v", "ON_ERROR_STOP=1", "-d", `${base}/${name}`], dump);
    system = await newSystem({ base, folder: cluster }, name);
    await system.startWorker();
  });
  afterAll(() => system?.end());

  it("is brought up to date once, and keeps for ever what nobody has said may go", async () => {
    const { db } = system;
    const { rows } = await db.query<{ id: number }>("select id from sieve.migration order by id");
    expect(rows.map((r) => r.id)).toEqual(MIGRATIONS.map((m) => m.id));
    expect(await migrate(system.admin, db)).toBe(0);
    expect(await readiness(db)).toMatchObject({ ready: true, pending: [] });
    expect(await retentionOf(db, "lots")).toMatchObject({ bytesDays: null, ledgerDays: null, settledDays: null });
  });

  it("has its loads, their records and its quarantine as they were", async () => {
    const { db } = system;
    for (const id of [1, 2]) expect(await verifyLoad(db, id)).toMatchObject({ state: "loaded", differs: [] });
    expect(await getLoad(db, 1)).toMatchObject({ read: 5, inserted: 2, held: 3, writing: null });
    const { records } = await findRecords(db, 1, { outcome: "held" });
    expect(records.map((r) => r.arrived)).toEqual([
      ["L2", "many", "2026-01-03"],
      ["", "1", "2026-01-04"],
      ["L1", "6", "2026-01-05"],
    ]);
    expect(await getHeld(db, 1, 1)).toMatchObject({ state: "held", raw: "L2,many,2026-01-03" });
  });

  it("goes on: its held records are released, new deliveries loaded and undone; what was loaded before can't be, in words", async () => {
    const { db } = system;
    const [released] = await releaseRecords(db, [{ load: 1, record: 1, values: { seeds: "12" } }], "Ines");
    expect(released).toMatchObject({ released: true });
    await expect(undoLoad(db, 1, "x", "Ines")).rejects.toMatchObject({ code: "cannot-undo" });
    const load = await loadNow(db, "lots", "lot,seeds,at\nL8,1,2026-03-01\nL9,2,2026-03-01\n");
    expect(load).toMatchObject({ state: "loaded", inserted: 2 });
    const lots = async (): Promise<string[]> =>
      (await db.query<{ lot: string }>("select lot from target.lots order by 1")).rows.map((r) => r.lot);
    expect(await lots()).toEqual(["L1", "L2", "L3", "L5", "L8", "L9"]);
    await undoLoad(db, load.id, "a wrong file", "Ines");
    expect(await lots()).toEqual(["L1", "L2", "L3", "L5"]);
    await expect(
      askForLoad(db, await deliver(db, "lots", "lot,seeds,at\nL3,70,2026-02-02\nL4,0,2026-02-03\nL5,9,2026-02-04\n")),
    ).rejects.toThrow("was loaded into this feed before, in load 2");
  });
});

describe("a backup, by the commands of docs/operations.md", () => {
  it("taken while a load is under way is restored into another database, where that load is done and all goes on", async () => {
    const FIELDS = [
      { name: "id", type: "integer", required: true },
      { name: "n", type: "integer" },
    ];
    const system = await newSystem();
    let copy: System | undefined;
    try {
      const { db } = system;
      await newFeed(db, "kept", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
      const worker = await system.startWorker();
      const one = await loadNow(db, "kept", "id,n\n1,1\n2,bad\n");
      const two = await loadNow(db, "kept", "id,n\n1,5\n3,3\n");
      const many = `id,n\n${Array.from({ length: 300_000 }, (_, i) => `${i + 10},${i}`).join("\n")}\n`;
      const open = await askForLoad(db, await deliver(db, "kept", many));
      await waitFor(db, open, (l) => l.recordsSoFar > 0);
      const dump = join(folder, "sieve.dump");
      run("pg_dump", ["--format=custom", "--no-owner", "--no-privileges", `--file=${dump}`, system.adminUrl]);
      worker.kill("SIGKILL");
      expect((await getLoad(db, open)).state).toBe("running");

      const cluster = inject("cluster");
      const name = newName();
      run("psql", ["-X", "-q", "-d", `${cluster.base}/postgres`, "-c", `create database ${name}`]);
      run("pg_restore", ["--no-owner", "--no-privileges", "--exit-on-error", `--dbname=${cluster.base}/${name}`, dump]);
      copy = await newSystem(cluster, name);
      await copy.startWorker();
      expect(await waitFor(copy.db, open)).toMatchObject({ state: "loaded", inserted: 300_000 });
      for (const { id } of [one, two]) expect((await verifyLoad(copy.db, id)).differs).toEqual([]);
      expect((await verifyLoad(copy.db, open)).differs).toEqual([]);
      const [released] = await releaseRecords(copy.db, [{ load: one.id, record: 1, values: { n: "2" } }], "Ines");
      expect(released).toMatchObject({ released: true });
      await undoLoad(copy.db, open, "x", "Ines");
      // Rows from before the dump have other transactions now: they are somebody else's until a person says otherwise.
      expect(await undoLoad(copy.db, two.id, "x", "Ines")).toMatchObject({ restored: 0, removed: 0, left: 2 });
      expect(await undoLoad(copy.db, two.id, "x", "Ines", "all")).toMatchObject({ restored: 1, removed: 1, left: 0 });
      expect((await copy.db.query("select id, n from target.kept order by 1")).rows).toEqual([
        { id: 1, n: 1 },
        { id: 2, n: 2 },
      ]);
    } finally {
      await copy?.end();
      await system.end();
    }
  });
});
