import { SieveError, counted } from "@/core/kernel/problem.ts";
import { balanceLine } from "@/core/kernel/ledger.ts";
import { openDb } from "@/store/db.ts";
import { getFeed } from "@/store/feeds.ts";
import { deliveriesSince, runDeliveries } from "@/store/runs.ts";
import { watchLoad } from "./load.ts";
import { runRequestOf, type RunFlags } from "./run-flags.ts";

export interface AgainOptions extends RunFlags {
  since?: string;
  delivery?: string[];
  trial?: boolean;
}

/**
 * Runs a feed's deliveries again by the plan in force, those since a day or those that are named, in the order in which
 * they arrived, and tells what each comes to beside its last load. Returns the exit code.
 */
export async function runAgain(feed: string, options: AgainOptions): Promise<number> {
  if (options.since === undefined && !options.delivery) {
    throw new SieveError("usage", "Which deliveries are to be run again is not said.", {
      hint: "Give --since with a day, or --delivery with numbers.",
    });
  }
  const db = openDb(undefined, 3);
  try {
    await getFeed(db, feed);
    const since = await deliveriesSince(db, feed, options.since ?? "1970-01-01", 1000);
    const ids = options.delivery?.map(Number) ?? since.map((d) => d.id);
    if (ids.length === 0) {
      process.stdout.write(`no delivery of ${feed} came since ${options.since}\n`);
      return 0;
    }
    const kind = options.trial ? "trial" : "load";
    const runs = await runDeliveries(db, feed, ids, kind, runRequestOf(options), "command line");
    process.stderr.write(`${counted(runs.length, kind)}, one after the other\n`);
    let code = 0;
    for (const { delivery, load: id } of runs) {
      const before = since.find((d) => d.id === delivery)?.load;
      const load = await watchLoad(db, id, (text) => process.stderr.write(text));
      const came = load.report ? balanceLine(load.report.balance, options.trial ? "would be " : "") : load.state;
      const was = before?.outcomes
        ? `; load ${before.id} had ${before.outcomes.held} held of ${before.read ?? 0}`
        : "; not loaded before";
      process.stdout.write(`delivery ${delivery}, ${kind} ${id} ${load.state}: ${came}${was}\n`);
      if (load.state === "stopped") code = Math.max(code, 1);
      if (load.state === "failed" || load.state === "cancelled") {
        process.stdout.write(`${load.error?.message ?? "It was cancelled."}\n`);
        code = 3;
      }
    }
    return code;
  } finally {
    await db.end();
  }
}
