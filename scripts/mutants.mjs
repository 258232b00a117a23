/**
 * What the tests would notice: `npm run test:mutants -- FOLDER [SEED]` plants faults in a folder of
 * the core, at most 150 of them drawn by the seed, runs the tests that concern it on each, and says
 * which nobody noticed. Ends with 1 where too few were.
 */
import { spawnSync } from "node:child_process";
import { existsSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from "node:fs";
import { join, relative } from "node:path";
import { createInstrumenter } from "@stryker-mutator/instrumenter";
import { commonTokens } from "@stryker-mutator/api/plugin";
import { createInjector } from "typed-inject";
import { ensureModules, fail, root } from "./lib/machine.mjs";

/** Mutants of one run, and for how long others are begun, in minutes, so that it ends within some of them. */
const MOST = 150;
const MOST_MINUTES = 12;
/** Those that are run together, each time with all tests once before. */
const TOGETHER = 20;
/** The share that must be noticed: in the heart of the product, and elsewhere. */
const HEART = 0.8;
const ELSEWHERE = 0.65;

/** By folder: the tests that concern it; and whether it is the heart. */
const FOLDERS = {
  "core/kernel": {
    tests: [
      "kernel",
      "kernel-edges",
      "bytes",
      "value-filter",
      "unicode",
      "distinct",
      "repeats",
      "file-name",
      "likeness",
      "parts",
    ],
    heart: false,
  },
  "core/type": {
    tests: [
      "types",
      "type-edges",
      "parts",
      "values",
      "locale",
      "values-of-types",
      "exact",
      "outputs",
      "countries",
      "moments",
    ],
    heart: true,
  },
  "core/formula": { tests: ["formula", "formula-edges", "formula-cost", "named", "edit"], heart: false },
  "core/read": {
    tests: [
      "formats",
      "layouts",
      "heading-and-foot",
      "row-marks",
      "encodings",
      "detect",
      "damage",
      "hostile-files",
    ].concat([
      "delimited",
      "json-scan",
      "avro-bounds",
      "closes",
      "exact",
      "new-format",
      "read-edges",
      "read-whole",
      "read-documents",
    ]),
    heart: false,
  },
  "core/read/delimited": {
    tests: [
      "delimited",
      "delimited-limits",
      "delimited-lines",
      "guess",
      "detect",
      "damage",
      "sift",
      "row-marks",
      "layouts",
      "heading-and-foot",
      "encodings",
      "read-whole",
    ],
    heart: true,
  },
  "core/cleanse": {
    tests: ["parts", "step-words", "step-edges", "parts-added", "steps", "locale", "unicode", "spellings"],
    heart: true,
  },
  "core/field": {
    tests: ["field-checks", "check-limits", "check-added", "types", "plan", "sift"],
    heart: true,
  },
  "core/check": {
    tests: ["sift", "check-limits", "repeats", "between", "parts", "parts-added", "identity", "gates", "keys"],
    heart: true,
  },
  "core/match": {
    tests: [
      "match",
      "match-figures",
      "match-report",
      "match-entries",
      "match-candidates",
      "numbered-texts",
      "match-pieces",
      "match-limits",
      "cluster",
      "match-model",
      "patterns",
    ],
    heart: true,
  },
  "core/lookup": { tests: ["lookup", "look-up-counts", "look-up-shared", "likeness", "propose-look-up"], heart: false },
  "core/gate": { tests: ["gates", "gates-of-counts", "parts", "new-gate"], heart: true },
  "core/plan": {
    tests: [
      "plan",
      "plan-sound",
      "copies",
      "edit",
      "difference",
      "check-sets",
      "arriving",
      "parameters",
      "gone",
      "senders",
      "after",
      "slice",
      "further",
      "load-edits",
      "plan-history",
      "chain",
    ],
    heart: false,
  },
  "core/profile": {
    tests: [
      "profile",
      "profile-facts",
      "profile-edges",
      "profile-said",
      "profile-model",
      "counted-values",
      "profile-notes",
      "profile-words",
      "profile-proposals",
      "kinds",
      "keys",
      "suggest",
      "countries",
      "moments",
    ],
    heart: true,
  },
  "core/map": {
    tests: ["map-edges", "plan", "suggest", "drift", "sift", "kinds-of-files", "propose-look-up", "countries"],
    heart: false,
  },
  "core/course": {
    tests: [
      "course",
      "course-edges",
      "course-whole",
      "sift",
      "between",
      "lookup",
      "identity",
      "match-entries",
      "arriving",
      "steps",
    ].concat(["senders", "further", "copy-rows", "look-up-counts", "look-up-shared", "environment", "report"]),
    heart: true,
  },
  "core/report": {
    tests: ["report", "new-figure", "gates", "gates-of-counts", "drift", "report-compare", "sift"],
    heart: false,
  },
  "core/sample": { tests: ["preview", "sizes"], heart: false },
  "core/mend": {
    tests: ["mend", "remembered-mends", "align", "by-formula", "for-sender", "alike"],
    heart: false,
  },
  "core/write": {
    tests: ["outputs", "files-out", "destination", "file-name", "out-choice", "for-sender", "out-edges"],
    heart: false,
  },
  "core/interop": { tests: ["interop", "interop-whole", "contract", "table", "field-checks"], heart: false },
};

ensureModules();
const [folder = "", seedText = "1"] = process.argv.slice(2);
const known = FOLDERS[folder.replace(/^src\//, "").replace(/\/$/, "")];
const seed = Number(seedText);
if (!known || !Number.isInteger(seed)) {
  fail(
    2,
    "Which folder is to be looked at?",
    `npm run test:mutants -- FOLDER [SEED]`,
    `One of ${Object.keys(FOLDERS).join(", ")}.`,
  );
}
/** Where a test stands: among the quick ones, those that take their time, or those that add parts. */
function fileOfTest(name) {
  const files = ["core", "long", "parts"].map((folder) => `tests/${folder}/${name}.test.ts`);
  return files.find((file) => existsSync(join(root, file))) ?? fail(2, `There is no test ${name}.`);
}

const at = join(root, "src", folder.replace(/^src\//, ""));

function sources(path) {
  if (statSync(path).isFile()) return /\.ts$/.test(path) ? [path] : [];
  return readdirSync(path).flatMap((name) => sources(join(path, name)));
}

/** Words for people are many and not what a fault is about; a block that is emptied is seen by what is in it. */
const EXCLUDED = ["StringLiteral", "BlockStatement"];

/** All faults that could be planted, with their places. */
async function mutantsOf(files) {
  const quiet = Object.fromEntries(["trace", "debug", "info", "warn", "error", "fatal"].map((n) => [n, () => {}]));
  const off = ["Trace", "Debug", "Info", "Warn", "Error", "Fatal"].map((n) => [`is${n}Enabled`, () => false]);
  const log = { ...quiet, ...Object.fromEntries(off) };
  const injector = createInjector()
    .provideValue(commonTokens.logger, log)
    .provideValue(commonTokens.getLogger, () => log);
  const instrumenter = createInstrumenter(injector);
  const given = files.map((name) => ({ name, mutate: true, content: readFileSync(name, "utf8") }));
  const options = { plugins: null, excludedMutations: EXCLUDED, ignorers: [] };
  return (await instrumenter.instrument(given, options)).mutants;
}

/** Numbers from a seed (Steele, Lea and Flood 2014, SplitMix, with 32 bits). */
function randomOf(start) {
  let state = start >>> 0;
  return () => {
    state = (state + 0x9e3779b9) >>> 0;
    let z = state;
    z = Math.imul(z ^ (z >>> 16), 0x85ebca6b);
    z = Math.imul(z ^ (z >>> 13), 0xc2b2ae35);
    return ((z ^ (z >>> 16)) >>> 0) / 2 ** 32;
  };
}

const before = (a, b) => a.line < b.line || (a.line === b.line && a.column <= b.column);
const within = (inner, outer) =>
  inner.fileName === outer.fileName &&
  before(outer.location.start, inner.location.start) &&
  before(inner.location.end, outer.location.end);

const all = await mutantsOf(sources(at));
const random = randomOf(seed);
const order = all.map((mutant) => ({ mutant, by: random() })).sort((a, b) => a.by - b.by);
const drawn = [];
const taken = new Set();
for (const { mutant } of order) {
  if (taken.size >= MOST) break;
  const inside = all.filter((m) => within(m, mutant));
  // One that holds many others would be most of the sample.
  if (inside.length > 12) continue;
  drawn.push(mutant);
  for (const m of inside) taken.add(m);
}
// Lines are counted from 1 there and from 0 here, columns from 0 in both.
const place = ({ line, column }) => `${line + 1}:${column}`;
const mutate = drawn.map((m) => `${relative(root, m.fileName)}:${place(m.location.start)}-${place(m.location.end)}`);
process.stdout.write(`${all.length} faults could be planted in ${folder}; ${taken.size} are, by the seed ${seed}\n`);

const config = join(root, ".data-mutants.json");
const report = join(root, "reports-mutants.json");

/** Plants faults at some places, one after the other, and gives each with what became of it; null where that could not be done. */
function plant(places) {
  writeFileSync(
    config,
    JSON.stringify({
      testRunner: "vitest",
      vitest: { configFile: "vitest.mutants.ts", related: false },
      mutator: { excludedMutations: EXCLUDED },
      mutate: places,
      reporters: ["json"],
      jsonReporter: { fileName: report },
      coverageAnalysis: "perTest",
      // What is decided once when a module is loaded is mostly lists and examples.
      ignoreStatic: true,
      concurrency: 2,
      timeoutMS: 20_000,
      tempDirName: ".stryker-tmp",
      ignorePatterns: [".next", ".next-path", ".data", "dist", "docs", "reports"],
      disableTypeChecks: false,
      allowConsoleColors: false,
      logLevel: "warn",
    }),
  );
  const { status } = spawnSync(
    process.execPath,
    [join(root, "node_modules/@stryker-mutator/core/bin/stryker.js"), "run", config],
    {
      cwd: root,
      stdio: ["ignore", "inherit", "inherit"],
      env: { ...process.env, MUTANT_TESTS: known.tests.map(fileOfTest).join(",") },
    },
  );
  if (status !== 0) return null;
  const { files } = JSON.parse(readFileSync(report, "utf8"));
  return Object.entries(files).flatMap(([file, f]) =>
    f.mutants
      .filter((m) => m.status !== "Ignored")
      .map((m) => ({ ...m, file, line: f.source.split("\n")[m.location.start.line - 1] })),
  );
}

/** The share that would be noticed, with 95 % (Wilson 1927), of which so many of so many were. */
function between(noticed, of) {
  const z = 1.96;
  const share = noticed / of;
  const middle = share + (z * z) / (2 * of);
  const half = z * Math.sqrt((share * (1 - share)) / of + (z * z) / (4 * of * of));
  return [middle - half, middle + half].map((x) => ((x / (1 + (z * z) / of)) * 100).toFixed(0)).join(" to ");
}

try {
  const found = [];
  const began = Date.now();
  let at = 0;
  while (at < mutate.length && (at === 0 || Date.now() - began < MOST_MINUTES * 60_000)) {
    const some = plant(mutate.slice(at, at + TOGETHER));
    if (!some) process.exit(3);
    found.push(...some);
    at += TOGETHER;
  }
  if (at < mutate.length) {
    process.stdout.write(
      `After ${MOST_MINUTES} minutes no more were begun; ${mutate.length - at} places are left out.\n`,
    );
  }
  const noticed = found.filter((m) => m.status === "Killed" || m.status === "Timeout");
  for (const m of found.filter((x) => !noticed.includes(x))) {
    process.stdout.write(
      `unnoticed  ${m.file}:${m.location.start.line}  ${m.mutatorName}: ${m.replacement?.slice(0, 60) ?? ""}\n           ${m.line.trim().slice(0, 110)}\n`,
    );
  }
  const share = found.length === 0 ? 1 : noticed.length / found.length;
  const wanted = known.heart ? HEART : ELSEWHERE;
  const range = found.length === 0 ? "" : ` (${between(noticed.length, found.length)} %)`;
  process.stdout.write(
    `${folder}: ${noticed.length} of ${found.length} noticed, ${(share * 100).toFixed(1)} %${range}; ${wanted * 100} % are wanted\n`,
  );
  process.exitCode = share >= wanted ? 0 : 1;
} finally {
  for (const file of [config, report]) rmSync(file, { force: true });
}
