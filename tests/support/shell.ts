import { spawnSync, type SpawnSyncReturns } from "node:child_process";
import { join } from "node:path";
import { root } from "../../scripts/lib/machine.mjs";
import type { System } from "./system.ts";

/** Runs the command line on a system's store. */
export function sieve({ url }: System, ...args: string[]): SpawnSyncReturns<string> {
  return spawnSync(process.execPath, [join(root, "dist/cli.js"), ...args], {
    encoding: "utf8",
    env: { ...process.env, DATABASE_URL: url },
  });
}
