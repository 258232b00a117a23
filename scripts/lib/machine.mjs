/** What the machine must have, checked and, as root on Debian, installed. No packages are used here. */
import { execFileSync, spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = fileURLToPath(new URL("../..", import.meta.url));
export const isRoot = process.getuid?.() === 0;

/** Chromium without windows, which has a package of its own. */
export const HEADLESS_SHELL = "/usr/bin/chromium-headless-shell";

const started = Date.now();
/** One line of what is being done, with the seconds since the start. */
export function tell(text) {
  process.stdout.write(`[${((Date.now() - started) / 1000).toFixed(1).padStart(6)} s] ${text}\n`);
}

/** Ends with the three lines of an error. */
export function fail(code, message, detail = "", hint = "") {
  process.stderr.write(`error: ${message}\n${detail ? `detail: ${detail}\n` : ""}${hint ? `hint: ${hint}\n` : ""}`);
  process.exit(code);
}

/** The folder with initdb and postgres, the newest version first; null when there is none. */
export function postgresBin() {
  const base = "/usr/lib/postgresql";
  const versions = existsSync(base) ? readdirSync(base).filter((v) => existsSync(join(base, v, "bin/initdb"))) : [];
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  return newest ? join(base, newest, "bin") : null;
}

/** Where a browser is, as Debian has it; null when there is none. The first one shows no windows: pages take a third less of a processor. */
export function chromiumPath() {
  return [HEADLESS_SHELL, "/usr/bin/chromium", "/usr/bin/chromium-browser"].find((path) => existsSync(path)) ?? null;
}

/** Installs from Debian's packages what is missing; says the command and exits 2 when not root. */
export function ensurePackages({ browser = false, database = true, proxy = false } = {}) {
  const missing = [];
  if (database && !postgresBin()) missing.push("postgresql");
  if (browser && !chromiumPath()) missing.push("chromium-headless-shell");
  if (proxy && !existsSync("/usr/sbin/nginx")) missing.push("nginx-light");
  if (proxy && !existsSync("/usr/bin/openssl")) missing.push("openssl");
  if (missing.length === 0) return;
  const command = `apt-get update && apt-get install -y --no-install-recommends ${missing.join(" ")}`;
  if (!isRoot) {
    fail(
      2,
      `${missing.join(" and ")} must be installed.`,
      "Only root can install packages.",
      `Run: sudo sh -c '${command}'`,
    );
  }
  tell(`installing ${missing.join(" and ")} from Debian's packages`);
  if (missing.includes("postgresql")) {
    // The package would otherwise make and start a cluster of its own.
    mkdirSync("/etc/postgresql-common/createcluster.d", { recursive: true });
    writeFileSync("/etc/postgresql-common/createcluster.d/good-sieve.conf", "create_main_cluster = false\n");
  }
  const done = spawnSync("sh", ["-c", command], {
    stdio: ["ignore", "pipe", "pipe"],
    encoding: "utf8",
    env: { ...process.env, DEBIAN_FRONTEND: "noninteractive" },
  });
  if (done.status !== 0) {
    fail(
      2,
      `${missing.join(" and ")} could not be installed.`,
      done.stderr.trim().split("\n").slice(-3).join("; "),
      `Run: ${command}`,
    );
  }
}

/** Installs the locked packages when they are missing or older than the lock file. */
export function ensureModules() {
  const lock = join(root, "package-lock.json");
  const mark = join(root, "node_modules/.good-sieve-lock");
  const hash = createHash("sha256").update(readFileSync(lock)).digest("hex");
  if (existsSync(mark) && readFileSync(mark, "utf8") === hash) return;
  const own = join(root, "node_modules/.package-lock.json");
  if (!existsSync(mark) && existsSync(own) && statSync(own).mtimeMs >= statSync(lock).mtimeMs) {
    writeFileSync(mark, hash);
    return;
  }
  tell("installing packages with npm ci");
  const done = spawnSync("npm", ["ci", "--no-audit", "--no-fund", "--loglevel=error"], { cwd: root, stdio: "inherit" });
  if (done.status !== 0) fail(2, "npm ci failed.", "See above.", "Mend what it says and start again.");
  writeFileSync(mark, hash);
}

/** True when nothing listens on the port of this machine. */
export function portIsFree(port) {
  return new Promise((resolve) => {
    const server = createServer();
    server.once("error", () => resolve(false));
    server.listen(port, "127.0.0.1", () => server.close(() => resolve(true)));
  });
}

export function freePort() {
  return new Promise((resolve) => {
    const server = createServer();
    server.listen(0, "127.0.0.1", () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });
}

export function isAlive(pid) {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return error.code === "EPERM";
  }
}

/** The uid and gid of the system user that Debian's package makes. */
export function postgresUser() {
  const id = (flag) => Number(execFileSync("id", [flag, "postgres"], { encoding: "utf8" }));
  return { uid: id("-u"), gid: id("-g") };
}
