/** Every test: lint, types, unit, database and browser. Installs what it needs. The last line counts them. */
import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ensureModules, ensurePackages, root, tell } from "./lib/machine.mjs";

ensurePackages({ browser: true, proxy: true });
ensureModules();

let passed = 0;
let failed = 0;
const bin = (name) => join(root, "node_modules/.bin", name);

/** Runs a command. What it prints comes when it has ended, so that commands side by side are not mixed. */
function run(command, args, { live = false, quiet = false, env = {} } = {}) {
  return new Promise((resolve) => {
    const out = live ? "inherit" : "pipe";
    const child = spawn(command, args, {
      cwd: root,
      stdio: ["ignore", quiet ? "ignore" : out, out],
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1", SIEVE_BUNDLED: "1", ...env },
    });
    const printed = [];
    for (const stream of [child.stdout, child.stderr]) stream?.on("data", (piece) => printed.push(piece));
    child.once("error", () => resolve(false));
    child.once("close", (status) => {
      process.stdout.write(Buffer.concat(printed));
      resolve(status === 0);
    });
  });
}

function say(name, ok) {
  tell(`${name}: ${ok ? "passed" : "FAILED"}`);
}
async function check(name, ...command) {
  const ok = await run(...command);
  if (ok) passed++;
  else failed++;
  say(name, ok);
}

/** Runs some of the tests and counts them. */
async function runTests(name, args, options) {
  const results = join(mkdtempSync(join(tmpdir(), "sieve-tests-")), "results.json");
  const reporters = ["--reporter=default", "--reporter=json", `--outputFile.json=${results}`];
  const ok = await run(bin("vitest"), ["run", ...reporters, ...args], options);
  try {
    const counts = JSON.parse(readFileSync(results, "utf8"));
    passed += counts.numPassedTests;
    failed += counts.numFailedTests;
    // A file that can't be loaded counts no test of its own.
    if (!ok && counts.numFailedTests === 0) failed++;
  } catch {
    failed++;
  }
  say(name, ok);
}
const project = (...names) => names.map((name) => `--project=${name}`);

await check("bundles", process.execPath, ["scripts/build.mjs"]);
const chosen = process.argv.slice(2);
const webBuild = () =>
  check("web build", process.execPath, ["node_modules/next/dist/bin/next", "build"], { quiet: true });
if (chosen.length > 0) {
  await webBuild();
  await runTests("tests", chosen, { live: true });
} else {
  // Side by side: browsers wait for servers, and tests of the database for the database.
  const built = webBuild();
  const browsers = async () => {
    await built;
    await runTests("browser tests", project("browser"));
  };
  const others = async () => {
    await check("lint", bin("oxlint"), ["--deny-warnings", "--report-unused-disable-directives", "."]);
    await check("layers", bin("depcruise"), ["--config", ".dependency-cruiser.mjs", "src"]);
    await check("format", bin("oxfmt"), ["--check", "."]);
    // The build writes types of its own, and some tests of the database start the web application too.
    await built;
    await check("types", process.execPath, ["node_modules/typescript-native/bin/tsc", "--noEmit"]);
    await runTests("tests without a browser", project("core", "parts", "long", "system"), { live: true });
  };
  await Promise.all([browsers(), others()]);
}
process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exit(failed === 0 ? 0 : 1);
