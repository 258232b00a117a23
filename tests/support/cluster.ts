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
    /** A second cluster, whose server can't prepare transactions; not for tests of pages. */
    far: { base: string; folder: string };
  }
}

/** Clusters of the tests' own, on ports that are free; each test file makes its databases in them. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  // The script of all tests has made the bundles, and other tests run what is in them by now.
  if (process.env["SIEVE_BUNDLED"] === undefined) await build();
  const start = async (name: string, settings: Record<string, string>): ReturnType<typeof startCluster> =>
    await startCluster(`test-${name}`, await freePort(), {
      settings: { fsync: "off", full_page_writes: "off", ...settings },
      quiet: true,
    });
  const cluster = await start(project.name, { max_connections: "250" });
  const place = { base: cluster.base, folder: cluster.folder };
  project.provide("cluster", place);
  const template = `template_of_tests_${process.pid}`;
  await storeIn(place, template);
  project.provide("template", template);
  // Not for each file that needs it: the folder of one can't be told from that of another which is still ending.
  const far = project.name === "system" ? await start("far", { max_prepared_transactions: "0" }) : null;
  if (far) project.provide("far", { base: far.base, folder: far.folder });
  return async () => void (await Promise.all([cluster.stop(), far?.stop()]));
}
