import { limitsOf, type LimitsInUse } from "@/core/match/limits.ts";
import { resolvePairs } from "@/core/match/resolve.ts";
import type { MatchSection } from "@/core/match/schema.ts";
import { matchModelFor } from "@/store/matches.ts";
import { columnsByName, sameKey, tableOf } from "../writing/target.ts";
import { PairSearch } from "./pairs.ts";
import {
  ComparedRecords,
  ROWS,
  RowValues,
  decisionsOf,
  labelsOf,
  pairRow,
  type Comparison,
  type PairRow,
} from "./records.ts";

/** Rows with which records are compared at a release: more would not fit into the memory that a release may have. */
export const MOST_COMPARED = 300_000;

/**
 * Pairs of staged records that are to be released with what the target and the list of the plan's match have, and
 * with one another: those that may be the same, and that nobody has said to be different. By record, the likeliest
 * first; a pair with another staged record is that of the one with the higher number. Nothing is joined by itself
 * here, as a person is at hand. A record that an upsert writes over its own row comes not anew, and is not asked about.
 * Null where there are more than `MOST_COMPARED` rows to compare with, so that nothing can be said.
 */
export async function findLookAlikes(run: Comparison): Promise<Map<number, PairRow[]> | null> {
  const section = run.compiled.plan.match;
  if (!section) return new Map();
  const rows = rowsCompared(run, section);
  if (rows !== null && (await areMore(run, rows))) return null;
  const search = new PairSearch(section.fields, { among: true }, null);
  try {
    return await lookAlikesBy(search, run, section, rows);
  } finally {
    await search.end();
  }
}

async function lookAlikesBy(
  search: PairSearch,
  run: Comparison,
  section: MatchSection,
  rows: string | null,
): Promise<Map<number, PairRow[]>> {
  const { matcher } = search;
  const records = new ComparedRecords(run, section, search);
  if (rows !== null) await records.addTarget(rows);
  records.addEntries();
  const { known } = records;
  await records.addStaged(await comesAnew(run));
  const found = new Map<number, PairRow[]>();
  if (matcher.incoming.length === known) return found;
  const sources = records.sources();
  const limits = await judgeBy(search, run, section, known);
  const pairs = await search.find({ from: known });
  const values = new RowValues(run, sources, known, records.columns);
  const decisions = await decisionsOf(run, matcher, pairs, values);
  const resolution = resolvePairs(matcher, pairs, limits, (i) => decisions.get(i) ?? null);
  const asked = Array.from({ length: pairs.count }, (_, i) => i).filter((i) => resolution.bands[i]! < 2);
  for (let at = 0; at < asked.length; at += ROWS) {
    const part = asked.slice(at, at + ROWS);
    await values.want(part.flatMap((i) => [pairs.a[i]!, pairs.b[i]!]));
    for (const i of part) {
      const pair: PairRow = {
        ...pairRow(run, pairs, i, { found: resolution, sources, values }),
        band: "ask",
        decision: null,
      };
      const list = found.get(pair.record);
      if (list) list.push(pair);
      else found.set(pair.record, [pair]);
    }
  }
  for (const list of found.values()) list.sort((a, b) => b.score - a.score);
  return found;
}

/** A condition about the rows of the target `t` that are compared: what came with a record is there by now. Null where none are. */
function rowsCompared({ id }: Comparison, { against }: MatchSection): string | null {
  if (against.includes("target")) return "true";
  return against.includes("delivery") ? `t."_load" = ${id}` : null;
}

async function areMore({ client, compiled }: Comparison, where: string): Promise<boolean> {
  const { rows } = await client.query<{ n: number }>(
    `select count(*)::int as n from (select from ${tableOf(compiled.plan)} t where ${where} limit ${MOST_COMPARED + 1}) x`,
  );
  return rows[0]!.n > MOST_COMPARED;
}

/** A condition about a staged record `s`: that there is no row with its key, which an upsert would write over. */
async function comesAnew({ client, compiled }: Comparison): Promise<string> {
  const { plan } = compiled;
  if (plan.load.mode !== "upsert" || plan.load.key.length === 0) return "true";
  const columns = await columnsByName(client, tableOf(plan));
  const same = sameKey(plan.load.key, columns);
  return `not exists (select from ${tableOf(plan)} t where ${same})`;
}

/**
 * Has the pairs judged by what those of the records' load were, else those of the feed's latest load: a handful of
 * records say nothing of what pairs are like. Where no load has compared these fields yet it is estimated from what is there.
 */
async function judgeBy(
  search: PairSearch,
  { client, id, feed }: Comparison,
  section: MatchSection,
  known: number,
): Promise<LimitsInUse> {
  const kept = await matchModelFor(client, { feed, load: id, fields: section.fields });
  if (kept) {
    // Where all were compared with one another there is but one kind of meeting.
    const meetings = kept.model.kinds[0]!.prior.length;
    await search.use({ ...kept.model, start: meetings > 1 ? known : 0 });
    return kept.limits;
  }
  const { choice } = await search.estimate({
    start: known,
    delivery: section.against.includes("delivery"),
    wanted: section.limits,
    labels: await labelsOf(client, feed, section),
  });
  return limitsOf(section.limits, choice);
}
