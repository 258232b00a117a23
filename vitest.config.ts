import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

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

/** What needs no more than this machine's processors: pure, or the command line. */
const pure = { testTimeout: 120_000, maxWorkers: 2, sequence: { groupOrder: 0 } };

export default defineConfig({
  ...shared,
  test: {
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
      ...["system", "browser"].map((name) => ({
        ...shared,
        test: {
          name,
          include: [`tests/${name}/**/*.test.ts`],
          // A database cluster of its own.
          globalSetup: "tests/support/cluster.ts",
          fileParallelism: false,
          // Files share what they import, which takes as long as many of them.
          isolate: false,
          setupFiles: ["tests/support/own-environment.ts"],
          sequence: { groupOrder: 1 },
          testTimeout: name === "browser" ? 300_000 : 90_000,
          hookTimeout: 180_000,
        },
      })),
    ],
  },
});
