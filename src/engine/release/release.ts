import { MOST_AT_ONCE } from "@/core/kernel/limits.ts";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { transaction, type Client, type Db } from "@/store/db.ts";
import { planInForce, type PlanVersion } from "@/store/feeds.ts";
import { lockTarget } from "../writing/writing.ts";
import { Release } from "./release-of-load.ts";
import type { HeldRow, Mend, ReleaseOptions, Released } from "./released.ts";

/**
 * Checks held records again by the plan in force, with the values that a person gave them, and
 * writes those that pass to the target, all in one transaction: a writing for each load that they are of.
 * Those that do not pass stay, with what is still wrong; what a person typed is kept with them. A record whose key
 * was written since by something newer stays too, unless `overtaken`. Throws `wrong-state` where none of them is held any more.
 */
export async function releaseRecords(
  db: Db,
  mends: readonly Mend[],
  by: string,
  options: ReleaseOptions = {},
): Promise<Released[]> {
  return await transaction(db, (client) => releaseIn(client, mends, by, options));
}

/** The same in a transaction that somebody else has begun. */
export async function releaseIn(
  client: Client,
  mends: readonly Mend[],
  by: string,
  options: ReleaseOptions = {},
): Promise<Released[]> {
  if (mends.length > MOST_AT_ONCE) {
    throw new SieveError("too-many", `At most ${grouped(MOST_AT_ONCE)} records can be released at once.`);
  }
  // Feeds, then targets, then records, always in the same order: whoever comes second waits and finds what was done.
  const { rows: feeds } = await client.query<{ feed: string }>(
    `select distinct h.feed from sieve.held h join unnest($1::int[], $2::int[]) x (load, record)
       on h.load = x.load and h.record = x.record order by 1`,
    [mends.map((m) => m.load), mends.map((m) => m.record)],
  );
  const versions = new Map<string, PlanVersion>();
  for (const { feed } of feeds) versions.set(feed, await planInForce(client, feed));
  for (const { feed } of feeds) await lockTarget(client, feed, versions.get(feed)!.document);
  const keepsExtra = [...versions.values()].some((v) => v.document.map.extra === "keep");
  /** What is asked of each load's records. */
  const wanted = new Map<number, Map<number, Mend>>();
  for (const mend of mends) {
    if (!wanted.has(mend.load)) wanted.set(mend.load, new Map());
    wanted.get(mend.load)!.set(mend.record, mend);
  }
  const results: Released[] = [];
  for (const [load, asked] of [...wanted].sort(([a], [b]) => a - b)) {
    const records = [...asked.keys()].sort((a, b) => a - b);
    const held = await heldOf(client, load, records, { cells: keepsExtra });
    if (held.length < records.length) {
      const there = new Set(held.map((h) => h.record));
      const record = records.find((r) => !there.has(r))!;
      throw new SieveError("no-record", `Record ${record} of load ${load} is not in the quarantine.`, {
        hint: "It may have been loaded; look at the load.",
      });
    }
    const open: HeldRow[] = [];
    for (const h of held) {
      if (h.state === "held" || h.state === "overtaken") open.push(h);
      else results.push({ load, record: h.record, released: false, problems: [], ended: endedWords(h) });
    }
    if (open.length === 0) continue;
    const release = await Release.begin(client, versions.get(open[0]!.feed)!, load, { ...options, by });
    results.push(...(await release.run(open, (h) => asked.get(h.record)?.values ?? {})));
  }
  if (results.every((r) => r.ended !== undefined)) {
    const [first] = results;
    throw new SieveError("wrong-state", `Record ${first!.record} of load ${first!.load} is ${first!.ended} already.`, {
      hint: "Look at the quarantine again.",
    });
  }
  return results;
}

function endedWords({ state, endedBy }: HeldRow): string {
  return endedBy === "" ? state : `${state} by ${endedBy}`;
}

async function heldOf(
  client: Client,
  load: number,
  records: readonly number[],
  { cells }: { cells: boolean },
): Promise<HeldRow[]> {
  const { rows } = await client.query<HeldRow>(
    `select record, feed, file, ${cells ? "cells" : "null as cells"}, field_values as values, mended, state, found, ended_by as "endedBy"
     from sieve.held where load = $1 and record = any($2) order by record for update`,
    [load, records],
  );
  return rows;
}
