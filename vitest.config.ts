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

export default defineConfig({
  ...shared,
  test: {
    projects: [
      {
        ...shared,
        test: { name: "core", include: ["tests/core/**/*.test.ts", "tests/*.test.ts"], testTimeout: 60_000 },
      },
      ...["system", "browser"].map((name) => ({
        ...shared,
        test: {
          name,
          include: [`tests/${name}/**/*.test.ts`],
          // A database cluster of its own.
          globalSetup: "tests/support/cluster.ts",
          fileParallelism: false,
          testTimeout: name === "browser" ? 300_000 : 90_000,
          hookTimeout: 180_000,
        },
      })),
    ],
  },
});
