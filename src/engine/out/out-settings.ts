import { join } from "node:path";
import type { Environment } from "@/store/environment.ts";

/** Where files go, and which hosts, each with its port, may be told or have files put to them. */
export interface OutSettings {
  readonly out: string;
  readonly receivers: readonly string[];
}

/** These, from the environment. */
export function outSettings(env: Environment): OutSettings {
  return {
    out: env["SIEVE_OUT"] ?? join(process.cwd(), ".data/out"),
    receivers: (env["SIEVE_RECEIVER_HOSTS"] ?? "127.0.0.1:4312,localhost:4312,127.0.0.1:4313,localhost:4313")
      .split(",")
      .map((h) => h.trim()),
  };
}
