/** Every test: lint, types, unit, database and browser. Installs what it needs. The last line counts them. */
import { spawn, spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ensureModules, ensurePackages, root, tell } from "./lib/machine.mjs";

ensurePackages({ browser: true, proxy: true });
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
check("layers", run(bin("depcruise"), ["--config", ".dependency-cruiser.mjs", "src"]));
check("format", run(bin("prettier"), ["--check", "--log-level=warn", "."]));

/** Runs some of the tests and counts them. What they print comes when they have ended, so that it is not mixed. */
function runTests(name, args, { live }) {
  const results = join(mkdtempSync(join(tmpdir(), "sieve-tests-")), "results.json");
  const reporters = ["--reporter=default", "--reporter=json", `--outputFile.json=${results}`];
  return new Promise((resolve) => {
    const child = spawn(bin("vitest"), ["run", ...reporters, ...args], {
      cwd: root,
      stdio: ["ignore", live ? "inherit" : "pipe", live ? "inherit" : "pipe"],
    });
    const printed = [];
    for (const stream of [child.stdout, child.stderr]) stream?.on("data", (piece) => printed.push(piece));
    child.once("exit", (status) => {
      process.stdout.write(Buffer.concat(printed));
      try {
        const counts = JSON.parse(readFileSync(results, "utf8"));
        passed += counts.numPassedTests;
        failed += counts.numFailedTests;
        // A file that can't be loaded counts no test of its own.
        if (status !== 0 && counts.numFailedTests === 0) failed++;
      } catch {
        failed++;
      }
      tell(`${name}: ${status === 0 ? "passed" : "FAILED"}`);
      resolve();
    });
  });
}

const chosen = process.argv.slice(2);
if (chosen.length > 0) await runTests("tests", chosen, { live: true });
else {
  // Browsers wait for servers and servers for browsers: the rest goes on meanwhile.
  await Promise.all([
    runTests(
      "core and system tests",
      ["core", "parts", "long", "system"].map((p) => `--project=${p}`),
      { live: true },
    ),
    runTests("browser tests", ["--project=browser"], { live: false }),
  ]);
}
process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exit(failed === 0 ? 0 : 1);
