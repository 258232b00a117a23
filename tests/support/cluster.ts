import type { TestProject } from "vitest/node";
import { build } from "../../scripts/build.mjs";
import { startCluster } from "../../scripts/lib/cluster.mjs";
import { freePort } from "../../scripts/lib/machine.mjs";

declare module "vitest" {
  export interface ProvidedContext {
    cluster: { base: string; folder: string };
  }
}

/** A cluster of the tests' own, on a port that is free; each test file makes a database in it. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  // The script of all tests has made the bundles, and other tests run what is in them by now.
  if (process.env["SIEVE_BUNDLED"] === undefined) await build();
  const cluster = await startCluster(`test-${process.env["SIEVE_TEST_CLUSTER"] ?? project.name}`, await freePort(), {
    settings: { fsync: "off" },
    quiet: true,
  });
  project.provide("cluster", { base: cluster.base, folder: cluster.folder });
  return async () => await cluster.stop();
}
