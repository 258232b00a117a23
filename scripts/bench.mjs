/** Measures the engine against the database's own copy, in a cluster of its own. BENCH_RECORDS and BENCH_ROUNDS make it smaller, BENCH_SEEDS=21,22 makes other circumstances, `npm run bench -- PART` does a part: match, look-up, circumstances, mends, cleanse, read, load, upsert, targets, out, release, quarantine, find or memory. */
import { spawnSync } from "node:child_process";
import { rmSync } from "node:fs";
import { join } from "node:path";
import { ensureModules, ensurePackages, freePort, postgresBin, root } from "./lib/machine.mjs";
import { makeDatabase, makeFarDatabase, startCluster } from "./lib/cluster.mjs";

if (process.argv[2]) process.env.BENCH_ONLY = process.argv[2];
ensurePackages();
ensureModules();
const { build } = await import("./build.mjs");
await build();
const cluster = await startCluster("bench", await freePort());
let status;
try {
  const { admin } = makeDatabase(cluster, `bench_${Date.now()}`);
  const copy = makeFarDatabase(cluster, `bench_copy_${Date.now()}`);
  status = spawnSync(
    process.execPath,
    [
      join(root, "dist/bench.js"),
      join(root, ".data/bench-files"),
      join(postgresBin(), "psql"),
      join(root, "dist/worker.js"),
      process.env.BENCH_RECORDS ?? "1000000",
      process.env.BENCH_ROUNDS ?? "5",
    ],
    { stdio: "inherit", env: { ...process.env, DATABASE_URL: admin, SIEVE_CONNECTION_COPY: copy.url } },
  ).status;
} finally {
  await cluster.stop();
  rmSync(cluster.folder, { recursive: true, force: true });
}
process.exit(status ?? 1);
