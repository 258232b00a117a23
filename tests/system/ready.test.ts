import { expect, it } from "vitest";
import { openDb } from "@/store/db.ts";
import { MIGRATIONS } from "@/store/migrate.ts";
import { NEWEST_MIGRATION, readiness } from "@/store/ready.ts";
import { freePort } from "../../scripts/lib/machine.mjs";
import { newSystem } from "../support/system.ts";

it("says what work needs, and what of it is not there", async () => {
  expect(MIGRATIONS.at(-1)!.id).toBe(NEWEST_MIGRATION);
  const system = await newSystem();
  try {
    expect(await readiness(system.db)).toMatchObject({ ready: false, store: "there", pending: [], workers: 0 });
    const worker = await system.startWorker();
    const there = await readiness(system.db);
    expect(there).toMatchObject({ ready: true, workers: 1, waiting: 0 });
    expect(there.bytes.store).toBeGreaterThan(100_000);
    const gone = new Promise((resolve) => worker.once("exit", resolve));
    worker.kill("SIGKILL");
    await gone;
    while ((await readiness(system.db)).workers > 0) await new Promise((resolve) => setTimeout(resolve, 50));
    await system.admin.query("delete from sieve.migration where id in (3, $1)", [NEWEST_MIGRATION]);
    expect(await readiness(system.db)).toMatchObject({ ready: false, pending: [3, NEWEST_MIGRATION] });
  } finally {
    await system.end();
  }
  const nowhere = openDb(`postgres://sieve:x@127.0.0.1:${await freePort()}/sieve`, 1);
  expect(await readiness(nowhere)).toMatchObject({ ready: false, store: "away" });
  await nowhere.end();
});
