import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

/** The tests that concern what a mutant is planted in (`scripts/mutants.mjs`). */
export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("src", import.meta.url)) } },
  test: {
    include: (process.env["MUTANT_TESTS"] ?? "").split(",").filter((t) => t !== ""),
    testTimeout: 60_000,
  },
});
