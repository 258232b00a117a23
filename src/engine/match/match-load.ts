import { type Pairs } from "@/core/match/match.ts";
import { limitsOf } from "@/core/match/limits.ts";
import { estimateOfLimits, joinedBy, resolvePairs, type JoinedBy, type Resolution } from "@/core/match/resolve.ts";
import { comparedOf, type MatchSection } from "@/core/match/schema.ts";
import { keepCluster, withJoinedBy } from "@/core/match/survive.ts";
import { type MatchMetrics, type PairSample, metricsOf, samplePairs } from "@/core/match/metrics.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { ledgerBlocks, putOutcomes } from "@/store/ledger.ts";
import { BYTE } from "@/core/kernel/ledger.ts";
import { putMatchModel, type ClusterMember } from "@/store/matches.ts";
import { PairSearch } from "./pairs.ts";
import {
  ComparedRecords,
  ROWS,
  RowValues,
  decisionsOf,
  entryOf,
  labelsOf,
  pairRow,
  putPairs,
  putWaiting,
  type Comparison,
  type Source,
} from "./records.ts";
import { changeAt } from "../writing/meet.ts";
import type { Expected } from "../writing/reconcile.ts";
import type { Writing } from "../writing/writing.ts";
import { targetColumns } from "../writing/target.ts";
import { alterTarget } from "../writing/alterations.ts";

/** Pairs that are kept to be looked at; of more, those that a person must decide and the least sure ones. */
const MOST_PAIRS = 100_000;

export interface MatchLoad extends Comparison {
  readonly targetExists: boolean;
  /** Null where nothing but the numbers is wanted: the target is not written, and nothing is kept for people to decide. */
  readonly writing: Writing | null;
  /** What the target is to have of it. */
  readonly expected: Expected;
  /** The bundled pairs-thread. */
  readonly pairsThread: URL;
  progress(): Promise<void>;
}

/** What a match did with the staged records. */
export interface Matched {
  readonly metrics: MatchMetrics;
  readonly merged: readonly number[];
  readonly waiting: readonly number[];
}

/**
 * Compares the staged records with one another, with the target, and with the entries of a reference
 * list, as the plan says. Same records become one: the kept record stays staged, or is written to the
 * target's row, the others are no longer staged. An entry gives its values to what is kept, holds
 * together what is the same as it, and is never written. Records that a person must decide about are
 * put aside to wait. Runs inside the closing transaction.
 */
export async function matchStaged(run: MatchLoad): Promise<Matched> {
  const section = run.compiled.plan.match!;
  const search = new PairSearch(section.fields, { among: true }, run.pairsThread);
  try {
    return await matchBy(search, run, section);
  } finally {
    await search.end();
  }
}

async function matchBy(search: PairSearch, run: MatchLoad, section: MatchSection): Promise<Matched> {
  const { client, compiled, staging } = run;
  const { matcher } = search;
  const { plan } = compiled;
  const records = new ComparedRecords(run, section, search);
  if (section.against.includes("target") && run.targetExists && plan.load.mode !== "replace") {
    // What is kept may be written to rows of the target, which must have a column for each field then.
    if (run.writing) await alterTarget(client, plan);
    // A row that an upsert will write over is the record's own; it is no other one.
    const own = plan.load.key.map((k) => `s.${ident(k)} = t.${ident(k)}`).join(" and ");
    const upserts = plan.load.mode === "upsert" && own !== "";
    await records.addTarget(upserts ? `not exists (select from ${staging} s where ${own})` : "true");
  }
  records.addEntries();
  const { known } = records;
  await records.addStaged();
  const sources = records.sources();
  const { entries } = sources;
  const delivery = section.against.includes("delivery");
  const { choice, summary, model } = await search.estimate({
    start: known,
    delivery,
    mixed: entries.length > 0 && known > entries.length,
    wanted: section.limits,
    labels: await labelsOf(client, run.feed, section),
  });
  await run.progress();
  const before = delivery ? matcher.incoming.length : known;
  const pairs = await search.find({ from: known, before }, () => run.progress());
  const values = new RowValues(run, sources, known, records.columns);
  const decisions = await decisionsOf(run, matcher, pairs, values);
  const limits = limitsOf(section.limits, choice);
  const found = resolvePairs(matcher, pairs, limits, (i) => decisions.get(i) ?? null);
  const { clusters, asks } = found;
  const clustered = new Uint8Array(matcher.incoming.length);
  clusters.forEach((first, r) => {
    if (first !== r) clustered[first] = clustered[r] = 1;
  });
  const waits = (r: number): boolean => asks[r] === 1 && clustered[r] === 0;
  const members = new Map<number, number[]>();
  clusters.forEach((first, r) => {
    if (clustered[r] === 0) return;
    const list = members.get(first);
    if (list) list.push(r);
    else members.set(first, [r]);
  });
  // What the others are put to comes first, which an entry never is.
  for (const [first, list] of members) {
    const home = list.findIndex((n) => entryOf(sources, n) === null);
    if (home > 0) members.set(first, [list[home]!, ...list.filter((_, i) => i !== home)]);
  }
  const merged: number[] = [];
  for (const list of members.values()) for (const r of list.slice(1)) if (r >= known) merged.push(sources.record[r]!);
  const waiting: number[] = [];
  for (let r = known; r < matcher.incoming.length; r++) if (waits(r)) waiting.push(sources.record[r]!);
  const samples = await samplesOf(section, compiled, pairs, found, values);
  if (run.writing) {
    await keepPairs(run, pairs, found, sources, values, waits);
    await putWaiting(run, waiting, null);
    await putMatchModel(client, run.id, { fields: section.fields, model, limits });
  }
  await keepClusters(run, section, members, sources, values, joinedBy(matcher, pairs, found));
  await client.query(`delete from ${staging} where _record = any($1)`, [[...merged, ...waiting]]);
  const metrics = metricsOf({
    section,
    model: summary,
    pairs,
    found,
    compared: matcher.incoming.length - known,
    known: known - entries.length,
    entries: entries.length,
    merged: merged.length,
    waiting: waiting.length,
    limits,
    choice,
    estimate: estimateOfLimits(pairs, limits, choice),
    samples,
  });
  return { metrics, merged: merged.sort((a, b) => a - b), waiting };
}

/** Some pairs of each stretch of the scores, for setting the limits by. */
async function samplesOf(
  section: MatchSection,
  compiled: Compiled,
  pairs: Pairs,
  found: Resolution,
  values: RowValues,
): Promise<PairSample[]> {
  const chosen = samplePairs(found.scores);
  await values.want(chosen.flatMap((i) => [pairs.a[i]!, pairs.b[i]!]));
  const width = section.fields.length;
  const compared = comparedOf(section, compiled.fields);
  return chosen.map((i) => ({
    score: Math.round(found.scores[i]! * 10) / 10,
    a: compared(values.of(pairs.a[i]!)),
    b: compared(values.of(pairs.b[i]!)),
    shares: Array.from(pairs.shares.subarray(i * width, (i + 1) * width), (s) => Math.round(s * 10) / 10),
  }));
}

async function keepPairs(
  run: MatchLoad,
  pairs: Pairs,
  found: Resolution,
  sources: Source,
  values: RowValues,
  waits: (r: number) => boolean,
): Promise<void> {
  const ask: number[] = [];
  const same: number[] = [];
  for (let i = 0; i < pairs.count; i++) {
    if (found.bands[i] === 0) same.push(i);
    else if (found.bands[i] === 1 && waits(pairs.a[i]!)) ask.push(i);
  }
  same.sort((i, j) => pairs.bits[i]! - pairs.bits[j]!);
  const chosen = [...ask, ...same].slice(0, MOST_PAIRS).sort((i, j) => i - j);
  for (let at = 0; at < chosen.length; at += ROWS) {
    const part = chosen.slice(at, at + ROWS);
    await values.want(part.flatMap((i) => [pairs.a[i]!, pairs.b[i]!]));
    await putPairs(
      run.client,
      { load: run.id, feed: run.feed, plan: null },
      part.map((i) => pairRow(run, pairs, i, { found, sources, values })),
    );
  }
}

/** Makes one record of each cluster: written to the staged record that comes first, or to the target's row. */
async function keepClusters(
  run: MatchLoad,
  section: MatchSection,
  members: ReadonlyMap<number, readonly number[]>,
  sources: Source,
  values: RowValues,
  by: ReadonlyMap<number, JoinedBy>,
): Promise<void> {
  const { compiled, client } = run;
  const { plan, fields } = compiled;
  const all = [...members];
  for (let at = 0; at < all.length; at += 1000) {
    const part = all.slice(at, at + 1000);
    await values.want(part.flatMap(([, list]) => list));
    const clusters = part.map(([first, list]) => {
      const records = list.map((n) => values.of(n));
      // The key is of the record that the others are put to: nothing else may have it.
      const kept = keepCluster(section, fields, plan.load.key, records, plan.formulas);
      return { list, records, kept: withJoinedBy(section, fields, kept, by.get(first)) };
    });
    if (run.writing)
      await client.query(
        `insert into sieve.cluster (load, first, members, kept, origins)
       select $1, first, members, kept, origins from jsonb_to_recordset($2::jsonb) as x (first int, members jsonb, kept jsonb, origins jsonb)`,
        [
          run.id,
          JSON.stringify(
            clusters.map(({ list, records, kept }) => ({
              first: sources.record[list.find((n) => sources.record[n]! >= 0)!]!,
              members: list.map((n, i) => memberOf(sources, n, records[i]!)),
              kept: kept.values,
              origins: kept.from,
            })),
          ),
        ],
      );
    const [staged, there] = [clusters, clusters].map((both, i) =>
      both.filter(({ list }) => sources.record[list[0]!]! >= 0 === (i === 0)),
    );
    await writeKept(
      client,
      compiled,
      run.staging,
      staged!.map(({ list, kept }) => ({ at: String(sources.record[list[0]!]!), values: kept.values })),
    );
    if (!run.writing) continue;
    const { writing } = run;
    await changeAt(
      writing,
      there!.map(({ list, kept }) => ({ at: sources.place[list[0]!]!, values: kept.values })),
      { before: (met) => run.expected.addChanged(client, met, writing.table) },
    );
  }
}

/** A member of a cluster as the store keeps it. */
function memberOf(sources: Source, n: number, values: string[]): ClusterMember {
  const entry = entryOf(sources, n);
  if (entry) return { record: null, row: null, entry: [entry.list, entry.key], values };
  const record = sources.record[n]!;
  return record >= 0
    ? { record, row: null, values }
    : { record: null, row: [sources.rowLoad[n]!, sources.rowRecord[n]!], values };
}

/** Sets the values of staged records to what was kept, where they differ. */
async function writeKept(
  client: Queryable,
  { fields, plan }: Compiled,
  staging: string,
  rows: readonly { at: string; values: readonly string[] }[],
): Promise<void> {
  const numbered = fields.map((f, i) => ({ name: f.name, i })).filter(({ name }) => !plan.load.key.includes(name));
  if (rows.length === 0 || numbered.length === 0) return;
  const types = new Map((await targetColumns(client, staging)).map((c) => [c.name, c.type]));
  const value = ({ name, i }: { name: string; i: number }): string =>
    `nullif(x.v->>${i}, '')::${types.get(name) ?? "text"}`;
  const own = numbered.map(({ name }) => `t.${ident(name)}`);
  await client.query(
    `update ${staging} t set ${numbered.map((n) => `${ident(n.name)} = ${value(n)}`).join(", ")}
     from jsonb_to_recordset($1::jsonb) as x (at text, v jsonb)
     where t._record = x.at::int
       and (${own.join(", ")}) is distinct from (${numbered.map(value).join(", ")})`,
    [JSON.stringify(rows.map((r) => ({ at: r.at, v: r.values })))],
  );
}

/** Says in the ledger which staged records were put to another one, and which wait for a decision. */
export async function noteMatched(
  client: Client,
  load: number,
  merged: ReadonlySet<number>,
  waiting: ReadonlySet<number>,
): Promise<void> {
  if (merged.size + waiting.size === 0) return;
  for await (const block of ledgerBlocks(client, load)) {
    let changed = false;
    for (let r = 0; r < block.outcomes.length; r++) {
      if (block.outcomes[r] !== BYTE.inserted) continue;
      const record = block.firstRecord + r;
      const byte = merged.has(record) ? BYTE.merged : waiting.has(record) ? BYTE.waiting : BYTE.inserted;
      if (byte === BYTE.inserted) continue;
      block.outcomes[r] = byte;
      changed = true;
    }
    if (changed) await putOutcomes(client, load, block);
  }
}
