/** The command line: builds it when need be, then runs it. */
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { build, root } from "./build.mjs";

if (!existsSync(join(root, "node_modules"))) {
  process.stderr.write("error: the packages are not installed\nhint: run npm ci\n");
  process.exit(3);
}
process.env.DATABASE_URL ??= storedUrl();
await build();
await import(join(root, "dist/cli.js"));

/** The database that the start command runs, when none is set. */
function storedUrl() {
  const file = join(root, ".data/database-url");
  return existsSync(file) ? readFileSync(file, "utf8").trim() : "";
}
