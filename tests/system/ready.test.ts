import { fork } from "node:child_process";
import { join } from "node:path";
import { expect, it } from "vitest";
import { askForLoad } from "@/store/load-requests.ts";
import { requestNow } from "@/store/log.ts";
import { openDb } from "@/store/db.ts";
import { MIGRATIONS } from "@/store/migrate.ts";
import { NEWEST_MIGRATION, readiness } from "@/store/ready.ts";
import { freePort, root } from "../../scripts/lib/machine.mjs";
import { deliver, newFeed, newSystem, waitFor } from "../support/system.ts";

it("one line of the log says of a load which it is, of which feed, and which request asked for it", async () => {
  const system = await newSystem();
  try {
    const worker = fork(join(root, "dist/worker.js"), [], {
      env: { ...process.env, DATABASE_URL: system.url, LOG_LEVEL: "info" },
      stdio: ["ignore", "pipe", "inherit", "ipc"],
    });
    const lines: string[] = [];
    worker.stdout!.on("data", (piece: Buffer) => lines.push(piece.toString()));
    await newFeed(system.db, "told", [{ name: "id", type: "integer" }]);
    const delivery = await deliver(system.db, "told", "id\n1\n");
    const load = await requestNow.run("abc123", () => askForLoad(system.db, delivery));
    await waitFor(system.db, load);
    await expect.poll(() => lines.join("")).toContain("load ended");
    worker.kill("SIGKILL");
    const told = lines
      .join("")
      .trim()
      .split("\n")
      .map((l) => JSON.parse(l) as Record<string, unknown>)
      .filter((l) => l["load"] === load);
    expect(told.map((l) => [l["msg"], l["level"], l["process"], l["feed"], l["request"], l["state"]])).toEqual([
      ["load begins", "info", "worker", "told", "abc123", undefined],
      ["load ended", "info", "worker", "told", "abc123", "loaded"],
    ]);
    expect(told[0]!["time"]).toMatch(/^\d{4}-\d\d-\d\dT[\d:.]+Z$/);
  } finally {
    await system.end();
  }
});

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
