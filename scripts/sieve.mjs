/** The command line: builds it when need be, then runs it. */
import { existsSync } from "node:fs";
import { join } from "node:path";
import { build, root } from "./build.mjs";

if (!existsSync(join(root, "node_modules"))) {
  process.stderr.write("error: the packages are not installed\nhint: run npm ci\n");
  process.exit(3);
}
await build();
await import(join(root, "dist/cli.js"));
