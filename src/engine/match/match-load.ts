import { createHash } from "node:crypto";
import type { References } from "@/core/kernel/reference.ts";
import { entriesAsRecords, type KnownEntry } from "@/core/course/match-entries.ts";
import { Matcher, limitsOf, type Label, type Pairs } from "@/core/match/match.ts";
import {
  estimateOfLimits,
  joinedBy,
  resolvePairs,
  type JoinedBy,
  type Decision,
  type Resolution,
} from "@/core/match/resolve.ts";
import { comparedOf, comparedText, type MatchSection } from "@/core/match/schema.ts";
import { keepCluster, withJoinedBy } from "@/core/match/survive.ts";
import { type MatchMetrics, type PairSample, metricsOf, samplePairs } from "@/core/match/metrics.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { decidedValues, type ClusterMember } from "@/store/matches.ts";
import { PairSearch } from "./pairs.ts";
import { changeAt } from "../writing/meet.ts";
import type { Expected } from "../writing/reconcile.ts";
import type { Writing } from "../writing/writing.ts";
import { alterTarget, tableOf, targetColumns } from "../writing/target.ts";

/** Rows that are fetched, or written, at a time. */
const ROWS = 5_000;
/** Pairs that are kept to be looked at; of more, those that a person must decide and the least sure ones. */
const MOST_PAIRS = 100_000;

/** So many decided pairs teach; of more the latest. */
const MOST_LABELS = 1_000;

/** A record of the comparison: a row of the target, an entry of a reference list, or a staged one, in this order. */
interface Source {
  /** Its number in the load; -1 for any other. */
  readonly record: Int32Array;
  /** The load and record that a row of the target came from; -1 where that is not known. */
  readonly rowLoad: Int32Array;
  readonly rowRecord: Int32Array;
  /** Where a row of the target stands; it stands there as long as this transaction does not write it. */
  readonly place: readonly string[];
  /** The entries, which stand after the rows of the target. */
  readonly entries: readonly KnownEntry[];
}

/** The entry that a number of the comparison is, or null. */
function entryOf({ place, entries }: Source, n: number): KnownEntry | null {
  return entries[n - place.length] ?? null;
}

export interface MatchLoad {
  readonly client: Client;
  readonly id: number;
  readonly feed: string;
  readonly compiled: Compiled;
  /** The quoted name of the staging table. */
  readonly staging: string;
  readonly targetExists: boolean;
  /** The reference lists of the load. */
  readonly lists: References;
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
  const add = (compared: readonly (string | null)[]): void =>
    search.add(
      matcher.incoming,
      compared.map((v) => v ?? ""),
    );
  const withTarget = section.against.includes("target") && run.targetExists && compiled.plan.load.mode !== "replace";
  const source = { record: [] as number[], rowLoad: [] as number[], rowRecord: [] as number[], place: [] as string[] };
  const columns = new Set<string>();
  if (withTarget) {
    const { plan } = compiled;
    // What is kept may be written to rows of the target, which must have a column for each field then.
    if (run.writing) await alterTarget(client, plan);
    for (const column of await targetColumns(client, tableOf(plan))) columns.add(column.name);
    // A row that an upsert will write over is the record's own; it is no other one.
    const own =
      plan.load.mode === "upsert" && plan.load.key.length > 0
        ? ` where not exists (select from ${staging} s where ${plan.load.key.map((k) => `s.${ident(k)} = t.${ident(k)}`).join(" and ")})`
        : "";
    const origin = (name: string): string => (columns.has(name) ? `coalesce(t.${ident(name)}, -1)` : "-1");
    await readRows(
      client,
      `select t.ctid::text as place, ${origin("_load")} as load, ${origin("_record")} as record, ${comparedSql(section, "t", columns)}
       from ${tableOf(plan)} t${own} order by load, record`,
      (row) => {
        source.record.push(-1);
        source.rowLoad.push(row.load!);
        source.rowRecord.push(row.record);
        source.place.push(row.place!);
        add(row.compared);
      },
    );
  }
  const entries = entriesOf(run, section);
  const compared = comparedOf(section, compiled.fields);
  for (const entry of entries) {
    source.record.push(-1);
    source.rowLoad.push(-1);
    source.rowRecord.push(-1);
    add(compared(entry.values));
  }
  const known = matcher.incoming.length;
  await readRows(
    client,
    `select _record as record, ${comparedSql(section, "s", null)} from ${staging} s order by _record`,
    (row) => {
      source.record.push(row.record);
      source.rowLoad.push(-1);
      source.rowRecord.push(-1);
      add(row.compared);
    },
  );
  const sources: Source = {
    record: Int32Array.from(source.record),
    rowLoad: Int32Array.from(source.rowLoad),
    rowRecord: Int32Array.from(source.rowRecord),
    place: source.place,
    entries,
  };
  const delivery = section.against.includes("delivery");
  const { choice, summary } = await search.estimate({
    start: known,
    delivery,
    mixed: entries.length > 0 && known > entries.length,
    wanted: section.limits,
    labels: await labelsOf(client, run.feed, section),
  });
  await run.progress();
  const before = delivery ? matcher.incoming.length : known;
  const pairs = await search.find({ from: known, before }, () => run.progress());
  const values = new RowValues(run, sources, known, columns);
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
    await keepWaiting(run, waiting);
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

/** The entries that records are compared with: those that hold today. */
function entriesOf({ compiled, lists }: MatchLoad, section: MatchSection): KnownEntry[] {
  if (!section.list || !section.against.includes("list")) return [];
  const list = lists.get(section.list.name);
  if (!list) throw new Error(`the list ${section.list.name} is not at hand`);
  return entriesAsRecords(compiled, section, list, new Date().toISOString().slice(0, 10));
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

/** The texts that are compared, as one array. */
function comparedSql(section: MatchSection, alias: string, columns: ReadonlySet<string> | null): string {
  const one = (name: string): string => (columns && !columns.has(name) ? "null" : `${alias}.${ident(name)}::text`);
  const list = section.fields.map((f) =>
    f.in.length === 1 ? one(f.in[0]!) : `concat_ws(' ', ${f.in.map(one).join(", ")})`,
  );
  return `array[${list.join(", ")}]::text[] as compared`;
}

interface ComparedRow {
  place?: string;
  load?: number;
  record: number;
  compared: (string | null)[];
}

async function readRows(client: Client, sql: string, take: (row: ComparedRow) => void): Promise<void> {
  await client.query(`declare compared_rows no scroll cursor for ${sql}`);
  for (;;) {
    const { rows } = await client.query<ComparedRow>(`fetch ${ROWS} from compared_rows`);
    for (const row of rows) take(row);
    if (rows.length === 0) break;
  }
  await client.query("close compared_rows");
}

/** The values of whole records by their numbers in the comparison, fetched when they are needed. */
class RowValues {
  private readonly kept = new Map<number, string[]>();

  constructor(
    private readonly run: MatchLoad,
    private readonly sources: Source,
    private readonly known: number,
    private readonly there: ReadonlySet<string>,
  ) {}

  /** Fetches what is not there yet; to be called before `of`. Few are kept at a time, however many clusters there are. */
  async want(numbers: readonly number[]): Promise<void> {
    const { run, sources, known, kept } = this;
    if (kept.size > 4 * ROWS) kept.clear();
    const missing = [...new Set(numbers)].filter((n) => {
      const entry = entryOf(sources, n);
      if (entry) kept.set(n, [...entry.values]);
      return !kept.has(n);
    });
    const fetch = async (
      part: readonly number[],
      table: string,
      at: string,
      is: (n: number) => string,
    ): Promise<void> => {
      const { client, compiled } = run;
      const has = (name: string): boolean => table === run.staging || this.there.has(name);
      const list = compiled.fields.map((f) => (has(f.name) ? `coalesce(t.${ident(f.name)}::text, '')` : "''"));
      const number = new Map(part.map((n) => [is(n), n]));
      for (let i = 0; i < part.length; i += ROWS) {
        const { rows } = await client.query<{ at: string; v: string[] }>(
          `select t.${at}::text as at, array[${list.join(", ")}] as v from ${table} t where t.${at} = any($1)`,
          [part.slice(i, i + ROWS).map(is)],
        );
        for (const row of rows) kept.set(number.get(row.at)!, row.v);
      }
    };
    await fetch(
      missing.filter((n) => n >= known),
      run.staging,
      "_record",
      (n) => String(sources.record[n]!),
    );
    await fetch(
      missing.filter((n) => n < known),
      tableOf(run.compiled.plan),
      "ctid",
      (n) => sources.place[n]!,
    );
  }

  of(n: number): string[] {
    const values = this.kept.get(n);
    if (!values) throw new Error(`the values of record ${n} of the comparison were not fetched`);
    return values;
  }
}

/** What tells a record's content from another's, as far as it matters to a decision: its key and all that is compared. */
export function contentMark(compiled: Compiled, values: readonly string[]): string {
  const { plan, fields } = compiled;
  const names = new Set([...plan.load.key, ...(plan.match?.fields.flatMap((f) => f.in) ?? [])]);
  const hash = createHash("sha256");
  fields.forEach((f, i) => names.has(f.name) && hash.update(JSON.stringify([f.name, values[i]])));
  return hash.digest("base64url").slice(0, 27);
}

/** What people decided before about pairs of these contents, by the pair's number. */
async function decisionsOf(
  run: MatchLoad,
  matcher: Matcher,
  pairs: Pairs,
  values: RowValues,
): Promise<Map<number, Decision>> {
  const found = new Map<number, Decision>();
  const known = new Map<string, Decision>();
  const { rows } = await run.client.query<{ low: string; high: string; decision: Decision }>(
    "select low, high, decision from sieve.match_decision where feed = $1",
    [run.feed],
  );
  if (rows.length === 0 || matcher.incoming.length === 0) return found;
  for (const { low, high, decision } of rows) known.set(`${low} ${high}`, decision);
  for (let from = 0; from < pairs.count; from += ROWS) {
    const to = Math.min(pairs.count, from + ROWS);
    const numbers: number[] = [];
    for (let i = from; i < to; i++) numbers.push(pairs.a[i]!, pairs.b[i]!);
    await values.want(numbers);
    for (let i = from; i < to; i++) {
      const marks = [pairs.a[i]!, pairs.b[i]!].map((n) => contentMark(run.compiled, values.of(n))).sort();
      const decision = known.get(marks.join(" "));
      if (decision) found.set(i, decision);
    }
  }
  return found;
}

/** What people have decided about pairs of the feed, the latest, as their records are compared now: it teaches what pairs are like. */
async function labelsOf(client: Queryable, feed: string, section: MatchSection): Promise<Label[]> {
  const decided = await decidedValues(client, feed, MOST_LABELS);
  return decided.flatMap(({ names, a, b, decision }) => {
    if (!section.fields.every((f) => f.in.some((name) => names.includes(name)))) return [];
    const compared = (values: readonly string[]): string[] =>
      section.fields.map((f) => comparedText(f, (name) => values[names.indexOf(name)] ?? ""));
    return [{ a: compared(a), b: compared(b), same: decision === "same" }];
  });
}

async function keepPairs(
  run: MatchLoad,
  pairs: Pairs,
  found: Resolution,
  sources: Source,
  values: RowValues,
  waits: (r: number) => boolean,
): Promise<void> {
  const width = run.compiled.plan.match!.fields.length;
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
    const rows = part.map((i) => {
      const [a, b] = [pairs.a[i]!, pairs.b[i]!];
      const [own, other] = [values.of(a), values.of(b)];
      const inLoad = sources.record[b]! >= 0;
      const entry = entryOf(sources, b);
      const inTarget = !inLoad && entry === null;
      return {
        record: sources.record[a]!,
        other: inLoad ? sources.record[b]! : null,
        row_load: inTarget ? sources.rowLoad[b]! : null,
        row_record: inTarget ? sources.rowRecord[b]! : null,
        entry: entry && [entry.list, entry.key],
        own_values: own,
        other_values: other,
        own_mark: contentMark(run.compiled, own),
        other_mark: contentMark(run.compiled, other),
        score: found.scores[i]!,
        shares: Array.from(pairs.shares.subarray(i * width, (i + 1) * width)),
        band: found.bands[i] === 0 ? "same" : "ask",
        decision: found.decided[i] === 1 ? "same" : null,
      };
    });
    await run.client.query(
      `insert into sieve.match_pair (load, feed, record, other, row_load, row_record, entry, own_values, other_values, own_mark,
         other_mark, score, shares, band, decision)
       select $1, $2, record, other, row_load, row_record, entry, own_values, other_values, own_mark, other_mark, score, shares,
         band, decision from jsonb_to_recordset($3::jsonb) as x (record int, other int, row_load int, row_record int,
         entry text[], own_values jsonb, other_values jsonb, own_mark text, other_mark text, score real, shares real[], band text, decision text)`,
      [run.id, run.feed, JSON.stringify(rows)],
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

async function keepWaiting(run: MatchLoad, waiting: readonly number[]): Promise<void> {
  const { compiled, client, staging, id, feed } = run;
  const columns = compiled.fields.map((f) => `coalesce(t.${ident(f.name)}::text, '')`).join(", ");
  await client.query(
    `insert into sieve.waiting (load, record, feed, field_values)
     select $1, t._record, $2, jsonb_build_array(${columns}) from ${staging} t where t._record = any($3)`,
    [id, feed, waiting],
  );
}
