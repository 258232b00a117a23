import { defineConfig } from "vitest/config";
import { fileURLToPath } from "node:url";
export default defineConfig({ resolve: { alias: { "@": fileURLToPath(new URL("src", import.meta.url)) } }, test: { include: (process.env.PT ?? "tests/core/**/*.test.ts").split(","), isolate: false, maxWorkers: 2, testTimeout: 300000, setupFiles: ["/tmp/cnt-setup.ts"] } });
