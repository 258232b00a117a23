import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";
import { BaseSequencer, type TestSpecification } from "vitest/node";

const sql = {
  name: "sql-as-text",
  load(id: string): string | undefined {
    return id.endsWith(".sql") ? `export default ${JSON.stringify(readFileSync(id, "utf8"))}` : undefined;
  },
};
const shared = {
  plugins: [sql],
  resolve: { alias: { "@": fileURLToPath(new URL("src", import.meta.url)) } },
};

/** Files that take longest, the longest first: begun before all others of theirs, so that nobody waits for one at the end. */
const LONGEST = [
  "circumstances",
  "survive",
  "kills",
  "model",
  "pairs",
  "send-to-senders",
  "match",
  "model-further",
].concat(["writings", "copies", "encodings", "match-model", "release-all", "upgrade", "match-released"]);

/** One kind of tests after the other, as files of a kind share what they import; of a kind those that take longest first. */
class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const rank = ({ moduleId }: TestSpecification): number => {
      const at = LONGEST.indexOf(/([^/]+)\.test\.ts$/.exec(moduleId)?.[1] ?? "");
      return at < 0 ? LONGEST.length : at;
    };
    const kinds = ["long", "core", "parts", "system", "browser"];
    const sorted = await super.sort(files);
    return sorted.sort((a, b) => kinds.indexOf(a.project.name) - kinds.indexOf(b.project.name) || rank(a) - rank(b));
  }
}

/** Processes that run tests: more on a machine of few processors wait for one another. */
const WORKERS = 2;

/** What needs no more than this machine's processors: pure, or the command line. */
const pure = { testTimeout: 120_000, maxWorkers: WORKERS, sequence: { groupOrder: 0 } };

const withDatabase = {
  globalSetup: "tests/support/cluster.ts",
  // Files share what they import, which takes as long as many of them.
  isolate: false,
  // One more, as such tests wait for the database, and some of them for what dies to be noticed.
  maxWorkers: WORKERS + 1,
  setupFiles: ["tests/support/own-environment.ts"],
  sequence: { groupOrder: 1 },
  hookTimeout: 180_000,
};

export default defineConfig({
  ...shared,
  test: {
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        ...shared,
        test: {
          ...pure,
          name: "core",
          include: ["tests/core/**/*.test.ts", "tests/*.test.ts"],
          // What is tested is pure, so that files can share what they import.
          isolate: false,
        },
      },
      // Parts that are added to the lists of parts, which no other test may see.
      { ...shared, test: { ...pure, name: "parts", include: ["tests/parts/**/*.test.ts"] } },
      // What takes its time: many files, records or processes; more of it where other loads share the machine.
      {
        ...shared,
        test: { ...pure, testTimeout: 300_000, name: "long", include: ["tests/long/**/*.test.ts"], isolate: false },
      },
      // A database for each file, in one cluster.
      {
        ...shared,
        test: { ...withDatabase, name: "system", include: ["tests/system/**/*.test.ts"], testTimeout: 90_000 },
      },
      // One after the other, in one process with one browser.
      {
        ...shared,
        test: {
          ...withDatabase,
          name: "browser",
          include: ["tests/browser/**/*.test.ts"],
          fileParallelism: false,
          maxWorkers: 1,
          sequence: { groupOrder: 2 },
          testTimeout: 300_000,
        },
      },
    ],
  },
});
