/**
 * Which code the tests run through: `npm run test:coverage` measures the core by its tests, and with
 * `-- core parts long system`, or some of these kinds, all that such tests run in their own process; what
 * a test starts as a program of its own is not counted. Prints lines, branches and functions by folder and
 * the files that are run through least, and writes all of it, line by line, as pages. What is run through
 * is not yet noticed: for that see `mutants.mjs`.
 */
import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join, relative } from "node:path";
import { ensureModules, ensurePackages, fail, root } from "./lib/machine.mjs";

const KINDS = ["core", "parts", "long", "system"];
/** Files that are named as those that are run through least. */
const LEAST = 12;

const kinds = process.argv.length > 2 ? process.argv.slice(2) : ["core", "parts", "long"];
const unknown = kinds.find((kind) => !KINDS.includes(kind));
if (unknown) fail(2, `no kind of tests “${unknown}” can be measured`, `the kinds are ${KINDS.join(", ")}`);
ensureModules();
if (kinds.includes("system")) ensurePackages();

const folder = join(root, ".data/coverage");
const { status } = spawnSync(
  process.execPath,
  [
    join(root, "node_modules/vitest/vitest.mjs"),
    "run",
    ...kinds.map((kind) => `--project=${kind}`),
    "--reporter=dot",
    "--coverage.enabled",
    `--coverage.include=${kinds.includes("system") ? "src/{core,store,engine,cli,routes,web}/**" : "src/core/**"}`,
    "--coverage.reporter=json-summary",
    "--coverage.reporter=html",
    `--coverage.reportsDirectory=${folder}`,
    "--coverage.reportOnFailure",
  ],
  { cwd: root, stdio: ["ignore", "inherit", "inherit"] },
);

const { total, ...files } = JSON.parse(readFileSync(join(folder, "coverage-summary.json"), "utf8"));
const MEASURES = ["lines", "branches", "functions"];
const rooms = new Map();
for (const [path, figures] of Object.entries(files)) {
  const room = relative(join(root, "src"), path).split("/").slice(0, 2).join("/");
  const sums = rooms.get(room) ?? Object.fromEntries(MEASURES.map((m) => [m, { covered: 0, total: 0 }]));
  for (const m of MEASURES) {
    sums[m].covered += figures[m].covered;
    sums[m].total += figures[m].total;
  }
  rooms.set(room, sums);
}
const print = (text) => process.stdout.write(`${text}\n`);
const percent = ({ covered, total: all }) => `${(all === 0 ? 100 : (100 * covered) / all).toFixed(1)} %`.padStart(11);
const row = (name, figures) => print(`${name.padEnd(22)}${MEASURES.map((m) => percent(figures[m])).join("")}`);
print(`${"".padEnd(22)}${MEASURES.map((m) => m.padStart(11)).join("")}`);
for (const name of [...rooms.keys()].sort()) row(name, rooms.get(name));
row("all", total);
print("Run through least, of ten lines or more:");
Object.entries(files)
  .filter(([, { lines }]) => lines.total >= 10)
  .sort(([, a], [, b]) => a.lines.pct - b.lines.pct)
  .slice(0, LEAST)
  .forEach(([path, { lines }]) => print(`${percent(lines)}  ${relative(root, path)}`));
print(`Line by line: ${relative(root, join(folder, "index.html"))}`);
process.exit(status ?? 1);
