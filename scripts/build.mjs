/** Bundles the processes that run outside Next: the worker, its threads and the command line. */
import { existsSync, readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = fileURLToPath(new URL("..", import.meta.url));
const dist = join(root, "dist");

export const ENTRIES = {
  cli: "src/cli/main.ts",
  worker: "src/engine/jobs/worker.ts",
  apart: "src/engine/apart/process.ts",
  "apart-watch": "src/engine/apart/watch.ts",
  "course-thread": "src/engine/threads/course-thread.ts",
  "pairs-thread": "src/engine/match/pairs-thread.ts",
  "look-up-thread": "src/engine/threads/look-up-thread.ts",
  web: "src/web/main.ts",
  migrate: "src/store/migrate-main.ts",
  demo: "demo/main.ts",
  outbox: "demo/outbox.ts",
  receiver: "demo/receiver.ts",
  storage: "demo/storage-server.ts",
  bench: "demo/bench.ts",
};

/** Packages that find parts of themselves at run time; all others go into the bundles, which are then ready in two thirds of the time. */
const APART = ["next", "next/*", "react", "react-dom", "pg", "pg-copy-streams", "graphile-worker", "pino"];

function newest(folder) {
  let time = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) time = Math.max(time, newest(path));
    else time = Math.max(time, statSync(path).mtimeMs);
  }
  return time;
}

/** Builds what is missing or older than its sources. */
export async function build({ force = false } = {}) {
  const entries = Object.fromEntries(Object.entries(ENTRIES).filter(([, path]) => existsSync(join(root, path))));
  const sources = Math.max(
    ...["src/core", "src/store", "src/engine", "src/routes", "src/cli", "src/web", "demo"].map((f) =>
      newest(join(root, f)),
    ),
  );
  const built = Object.keys(entries).map((name) => join(dist, `${name}.js`));
  if (!force && built.every((file) => existsSync(file) && statSync(file).mtimeMs > sources)) return;
  const { build: bundle } = await import("esbuild");
  await bundle({
    entryPoints: Object.fromEntries(Object.entries(entries).map(([name, path]) => [name, join(root, path)])),
    outdir: dist,
    bundle: true,
    platform: "node",
    target: "node20",
    format: "esm",
    external: APART,
    // Packages that ask for a part of Node.js by `require`, which a module has not.
    banner: {
      js: 'import { createRequire as requireFrom } from "node:module"; const require = requireFrom(import.meta.url);',
    },
    // The engine reads all of a bundle before it runs any of it: without what is for eyes alone that is half as much.
    minifyWhitespace: true,
    sourcemap: true,
    logLevel: "error",
    alias: { "@": join(root, "src") },
    loader: { ".sql": "text" },
  });
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await build({ force: true });
