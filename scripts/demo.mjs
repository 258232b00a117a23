/**
 * The start command. Begins with nothing but Node.js: installs what is missing, builds, starts the
 * database, migrates, starts worker and web, loads the demo deliveries, and ends it all on Ctrl-C.
 */
import { fork, spawn, spawnSync } from "node:child_process";
import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, rmSync, statSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { ensureModules, ensurePackages, fail, portIsFree, root, tell } from "./lib/machine.mjs";
import { makeDatabase, makeFarDatabase, startCluster } from "./lib/cluster.mjs";

const flags = new Set(process.argv.slice(2));
const dev = flags.has("--dev");
const known = new Set(["--dev", "--fresh", "--no-data"]);
for (const flag of flags) {
  if (!known.has(flag)) fail(2, `${flag} is not an option.`, "", `The options are ${[...known].join(", ")}.`);
}
const port = Number(process.env.PORT ?? 4310);
if (!Number.isInteger(port) || port < 1 || port > 65535)
  fail(2, `PORT is “${process.env.PORT}”.`, "", "Give a number from 1 to 65535.");
const address = `http://127.0.0.1:${port}`;

const children = [];
let cluster = null;
let ending = false;

async function end(code) {
  if (ending) return;
  ending = true;
  tell("ending what was started");
  // A copy: those that end leave the list.
  for (const child of [...children].reverse()) {
    if (child.exitCode !== null || child.signalCode !== null) continue;
    const gone = new Promise((resolve) => child.once("exit", resolve));
    child.kill("SIGTERM");
    await Promise.race([gone, new Promise((resolve) => setTimeout(resolve, 8000))]);
    if (child.exitCode === null && child.signalCode === null) child.kill("SIGKILL");
  }
  await cluster?.stop();
  tell("ended");
  process.exit(code);
}
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => void end(0));

function run(command, args, env = process.env) {
  return new Promise((resolve) => {
    const child = spawn(command, args, { cwd: root, env, stdio: ["ignore", "inherit", "inherit"] });
    children.push(child);
    child.once("exit", (code) => {
      children.splice(children.indexOf(child), 1);
      resolve(code ?? 1);
    });
  });
}

/** A child that is started again when it dies, at most once a second. */
function keep(name, start) {
  const child = start();
  children.push(child);
  child.once("exit", (code, signal) => {
    children.splice(children.indexOf(child), 1);
    if (ending) return;
    tell(`${name} ended (${signal ?? code}); starting it again`);
    setTimeout(() => !ending && keep(name, start), 1000);
  });
  return child;
}

function newestIn(folder) {
  let time = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    time = Math.max(time, entry.isDirectory() ? newestIn(path) : statSync(path).mtimeMs);
  }
  return time;
}

ensurePackages({ database: !process.env.DATABASE_URL });
ensureModules();
if (!(await portIsFree(port)))
  fail(3, `Port ${port} is in use by another program.`, "", "End that program, or set PORT to another number.");

tell("building");
const { build } = await import("./build.mjs");
await build();
if (!dev) {
  const mark = join(root, ".next/BUILD_ID");
  const sources = Math.max(
    newestIn(join(root, "src")),
    statSync(join(root, "package-lock.json")).mtimeMs,
    statSync(join(root, "next.config.ts")).mtimeMs,
  );
  if (!existsSync(mark) || statSync(mark).mtimeMs < sources) {
    const done = spawnSync(process.execPath, [join(root, "node_modules/next/dist/bin/next"), "build"], {
      cwd: root,
      encoding: "utf8",
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1" },
    });
    if (done.status !== 0)
      fail(
        3,
        "The web application could not be built.",
        `${done.stdout}${done.stderr}`.trim().split("\n").slice(-12).join("\n"),
      );
  }
}

mkdirSync(join(root, ".data"), { recursive: true });
let url = process.env.DATABASE_URL;
let owner = process.env.SIEVE_OWNER_URL ?? url;
let admin = owner;
/** Another database of the scenario, in which targets have copies. */
let herbarium;
if (url) {
  tell("using the database of DATABASE_URL");
} else {
  tell("starting the database on 127.0.0.1:54310");
  cluster = await startCluster("postgres", 54310);
  ({ url, owner, admin } = makeDatabase(cluster, "sieve"));
  writeFileSync(join(root, ".data/database-url"), url, { mode: 0o600 });
  herbarium = makeFarDatabase(cluster, "herbarium");
}
/** Runs statements in a database. */
async function statement(address, sql) {
  const pg = (await import("pg")).default;
  const client = new pg.Client({ connectionString: address });
  await client.connect();
  await client.query(sql);
  await client.end();
}
/** A secret that is made once and kept where nobody else reads it. */
function kept(name, make) {
  const file = join(root, ".data", name);
  if (!existsSync(file)) writeFileSync(file, make(), { mode: 0o600 });
  return file;
}
// The vaults' own readings are asked for by a role that may read them and nothing else.
const station = new URL(url);
station.username = "station_reader";
station.password = readFileSync(
  kept("station-password", () => randomBytes(24).toString("base64url")),
  "utf8",
);
const storage = `http://ashmere:${readFileSync(
  kept("storage-password", () => randomBytes(24).toString("hex")),
  "utf8",
)}@127.0.0.1:4313`;
const env = {
  SIEVE_CONNECTION_STORAGE: storage,
  SIEVE_KEY_FILE: kept("key", () => randomBytes(32).toString("base64")),
  ...(cluster ? { SIEVE_CONNECTION_STATION: station.href, SIEVE_CONNECTION_HERBARIUM: herbarium.url } : {}),
  ...process.env,
  DATABASE_URL: url,
  NEXT_TELEMETRY_DISABLED: "1",
};

if (flags.has("--fresh")) {
  tell("starting over: taking away everything that was loaded");
  await statement(owner, "drop schema if exists sieve, target, staging, undo, graphile_worker cascade");
  if (herbarium) await statement(herbarium.admin, "drop table if exists public.collector");
  rmSync(join(root, ".data/deliveries"), { recursive: true, force: true });
}
tell("bringing the store up to date");
if ((await run(process.execPath, [join(root, "dist/migrate.js")], { ...env, SIEVE_OWNER_URL: owner })) !== 0)
  await end(3);

if (await portIsFree(4311)) {
  tell("starting a stand-in for a partner's outbox on port 4311");
  keep("the partner's outbox", () =>
    fork(join(root, "dist/outbox.js"), ["4311"], { cwd: root, stdio: ["ignore", "inherit", "inherit", "ipc"] }),
  );
}
if (await portIsFree(4312)) {
  tell("starting a stand-in for a program that is told of loads on port 4312");
  keep("the receiver", () =>
    fork(join(root, "dist/receiver.js"), ["4312"], { cwd: root, stdio: ["ignore", "inherit", "inherit", "ipc"] }),
  );
}
if (await portIsFree(4313)) {
  tell("starting a stand-in for an object storage on port 4313");
  const { username, password } = new URL(storage);
  keep("the object storage", () =>
    fork(join(root, "dist/storage.js"), ["4313", username, password], {
      cwd: root,
      stdio: ["ignore", "inherit", "inherit", "ipc"],
    }),
  );
}
tell("starting the worker");
keep("the worker", () =>
  fork(join(root, "dist/worker.js"), [], {
    cwd: root,
    // The C library would keep memory apart for every thread, and a load passes its memory between them.
    env: { LOG_LEVEL: "warn", MALLOC_ARENA_MAX: "2", ...env },
    stdio: ["ignore", "inherit", "inherit", "ipc"],
  }),
);
tell(`starting the web application on port ${port}`);
keep("the web application", () =>
  fork(join(root, "dist/web.js"), [dev ? "dev" : "start", String(port)], {
    cwd: root,
    env: { ...env, NODE_ENV: dev ? "development" : "production" },
    stdio: ["ignore", "inherit", "inherit", "ipc"],
  }),
);
await healthy();
if (!flags.has("--no-data")) {
  tell("demo deliveries");
  // The vaults' own tables are there by somebody else, who lets the application write one of them.
  const others = { ...env, SIEVE_ADMIN_URL: admin };
  if ((await run(process.execPath, [join(root, "dist/demo.js"), join(root, ".data/deliveries")], others)) !== 0)
    await end(3);
}
tell(`ready: open ${address} (Ctrl-C ends everything)`);

async function healthy() {
  for (let i = 0; i < 600; i++) {
    try {
      if ((await fetch(`${address}/api/health`)).ok) return;
    } catch {
      // Not listening yet.
    }
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  process.stderr.write("error: the web application did not answer within two minutes\n");
  await end(3);
}
