/** Every test: lint, types, unit, database and browser. Installs what it needs. The last line counts them. */
import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ensureModules, ensurePackages, root, tell } from "./lib/machine.mjs";

ensurePackages({ browser: true });
ensureModules();

let passed = 0;
let failed = 0;
const bin = (name) => join(root, "node_modules/.bin", name);
const run = (command, args, options = {}) =>
  spawnSync(command, args, {
    cwd: root,
    stdio: "inherit",
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1" },
    ...options,
  }).status === 0;
function check(name, ok) {
  if (ok) passed++;
  else failed++;
  tell(`${name}: ${ok ? "passed" : "FAILED"}`);
}

check("bundles", run(process.execPath, ["scripts/build.mjs"]));
check(
  "web build",
  run(process.execPath, ["node_modules/next/dist/bin/next", "build"], { stdio: ["ignore", "ignore", "inherit"] }),
);
check("types", run(bin("tsc"), ["--noEmit"]));
check("lint", run(bin("eslint"), ["."]));
check("format", run(bin("prettier"), ["--check", "--log-level=warn", "."]));

const results = join(mkdtempSync(join(tmpdir(), "sieve-tests-")), "results.json");
const ok = run(bin("vitest"), [
  "run",
  "--reporter=default",
  "--reporter=json",
  `--outputFile.json=${results}`,
  ...process.argv.slice(2),
]);
try {
  const counts = JSON.parse(readFileSync(results, "utf8"));
  passed += counts.numPassedTests;
  failed += counts.numFailedTests;
  // A file that can't be loaded counts no test of its own.
  if (!ok && counts.numFailedTests === 0) failed++;
} catch {
  failed++;
}
process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exit(failed === 0 ? 0 : 1);
