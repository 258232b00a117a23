import type { TestProject } from "vitest/node";
import { build } from "../../scripts/build.mjs";
import { startCluster } from "../../scripts/lib/cluster.mjs";
import { freePort } from "../../scripts/lib/machine.mjs";
import { storeIn } from "./store-in.ts";

declare module "vitest" {
  export interface ProvidedContext {
    cluster: { base: string; folder: string };
    /** The name of a database with a store in it that others are copied from, so that migrations run once. */
    template: string;
  }
}

/** A cluster of the tests' own, on a port that is free; each test file makes a database in it. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  // The script of all tests has made the bundles, and other tests run what is in them by now.
  if (process.env["SIEVE_BUNDLED"] === undefined) await build();
  const cluster = await startCluster(`test-${project.name}`, await freePort(), {
    settings: { fsync: "off", full_page_writes: "off", max_connections: "250" },
    quiet: true,
  });
  const place = { base: cluster.base, folder: cluster.folder };
  project.provide("cluster", place);
  const template = `template_of_tests_${process.pid}`;
  await storeIn(place, template);
  project.provide("template", template);
  return async () => await cluster.stop();
}
