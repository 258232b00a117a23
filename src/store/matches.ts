import type { NamedFormulas } from "@/core/formula/named.ts";
import type { Field } from "@/core/field/field.ts";
import type { PairOrder } from "@/core/match/model/asked.ts";
import type { MatchMetrics } from "@/core/match/metrics.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import { withWordLists, wordListsOf } from "@/core/match/word-lists.ts";
import type { LimitsInUse } from "@/core/match/limits.ts";
import type { PairModel } from "@/core/match/model/model.ts";
import type { MatchField, MatchSection } from "@/core/match/schema.ts";
import type { Answers } from "@/core/match/model/measured.ts";
import type { Decision } from "@/core/match/resolve.ts";
import { readReference, versionAsked } from "./references.ts";
import type { Queryable } from "./db.ts";

/** Which pairs are meant. */
export interface PairFilter {
  feed?: string | undefined;
  load?: number | undefined;
}

/** A pair of records that a person decides about, with all that is needed to show it. */
export interface AskedPair {
  id: number;
  load: number;
  feed: string;
  record: number;
  /** The other record of the load; null: a row of the target, or an entry of a list. */
  other: number | null;
  rowLoad: number | null;
  rowRecord: number | null;
  /** An entry of a reference list instead: the list's name and the entry's key. */
  entry: [string, string] | null;
  values: string[];
  otherValues: string[];
  score: number;
  /** How far it is ahead of the record's next pair; null where there is no other. */
  lead: number | null;
  /** Bits of evidence by compared field. */
  shares: number[];
  decision: Decision | null;
  decidedBy: string;
  decidedAt: Date | null;
  /** The plan that its values are of. */
  plan: number;
}

/** What the pairs of a load were compared by: a plan's fields and match section. */
export interface PairPlan {
  load: number;
  plan: number;
  fields: Field[];
  formulas?: NamedFormulas;
  match: MatchSection;
  key: string[];
  /** What the whole match of the load found. */
  matches: MatchMetrics | null;
}

const PAIR = `p.id, p.load, p.feed, p.record, p.other, p.row_load as "rowLoad", p.row_record as "rowRecord", p.entry,
  p.own_values as values, p.other_values as "otherValues", p.score, p.shares, p.decision, p.decided_by as "decidedBy",
  p.decided_at as "decidedAt",
  coalesce(p.plan, (select l.plan from sieve.load l where l.id = p.load)) as plan,
  p.score - (select max(q.score) from sieve.match_pair q where q.load = p.load and q.record = p.record and q.id <> p.id) as lead`;

const WHERE = `p.band = 'ask' and ($1::text is null or p.feed = $1) and ($2::int is null or p.load = $2)`;

/**
 * What pairs are ordered by. Those nearest to even odds, which is a score of 50, teach the estimate most
 * (uncertainty sampling, Lewis and Gale 1994).
 */
const ORDER: Record<PairOrder, string> = { alike: "p.score desc", unsure: "abs(p.score - 50)" };

/** Pairs that nobody has decided yet. */
export async function askedPairs(
  db: Queryable,
  { feed, load }: PairFilter,
  { limit = 300, order = "alike" }: { limit?: number; order?: PairOrder | undefined } = {},
): Promise<AskedPair[]> {
  const { rows } = await db.query<AskedPair>(
    `select ${PAIR} from sieve.match_pair p join sieve.waiting w on w.load = p.load and w.record = p.record
     where ${WHERE} and p.decision is null and w.state = 'waiting' order by ${ORDER[order]}, p.id limit $3`,
    [feed ?? null, load ?? null, limit],
  );
  return rows;
}

/** Pairs that people have decided, the latest first. */
export async function decidedPairs(db: Queryable, { feed, load }: PairFilter, limit = 100): Promise<AskedPair[]> {
  const { rows } = await db.query<AskedPair>(
    `select ${PAIR} from sieve.match_pair p where ${WHERE} and p.decision is not null and p.decided_at is not null
     order by p.decided_at desc, p.id desc limit $3`,
    [feed ?? null, load ?? null, limit],
  );
  return rows;
}

/** How many pairs are to be decided, how many were, and how many records wait. */
export async function countPairs(
  db: Queryable,
  { feed, load }: PairFilter = {},
): Promise<{ open: number; decided: number; records: number }> {
  const { rows } = await db.query<{ open: number; decided: number; records: number }>(
    `select count(*) filter (where p.decision is null and w.state = 'waiting')::int as open,
       count(*) filter (where p.decided_at is not null)::int as decided,
       count(distinct (p.load, p.record)) filter (where w.state = 'waiting')::int as records
     from sieve.match_pair p join sieve.waiting w on w.load = p.load and w.record = p.record where ${WHERE}`,
    [feed ?? null, load ?? null],
  );
  return rows[0]!;
}

/** What people said about the pairs of a load, beside what their scores said. */
export async function answersAbout(db: Queryable, load: number): Promise<Answers> {
  const { rows } = await db.query<Answers>(
    `select count(*) filter (where p.decided_at is not null)::int as answered,
       count(*) filter (where p.decided_at is not null and p.decision = 'same')::int as same,
       coalesce(sum(p.score / 100) filter (where p.decided_at is not null), 0)::float8 as expected,
       count(*) filter (where p.decided_at is not null and (p.score >= 50) <> (p.decision = 'same'))::int as otherwise,
       count(*) filter (where p.band = 'same')::int as joined,
       count(*) filter (where p.band = 'same' and p.decided_at is null and exists (select from sieve.match_decision d
         where d.feed = p.feed and d.low = least(p.own_mark, p.other_mark) and d.high = greatest(p.own_mark, p.other_mark)
           and d.decision = 'different'))::int as parted
     from sieve.match_pair p where p.load = $1`,
    [load],
  );
  return rows[0]!;
}

/** The plans that the loads of some pairs had, and those by which records of them were released. */
export async function pairPlans(
  db: Queryable,
  loads: readonly number[],
  plans: readonly number[] = [],
): Promise<PairPlan[]> {
  const { rows } = await db.query<PairPlan>(
    `select l.id as load, p.id as plan, p.document->'contract'->'fields' as fields, p.document->'match' as match, p.document->'formulas' as formulas,
       coalesce(p.document->'load'->'key', '[]') as key, l.report->'matches' as matches
     from sieve.load l join sieve.plan p on p.id = l.plan or (p.feed = l.feed and p.id = any($2))
     where l.id = any($1) and p.document ? 'match' order by l.id, p.id = l.plan desc`,
    [[...new Set(loads)], [...new Set(plans)]],
  );
  for (const row of rows) {
    const lists = new Map<string, Reference>();
    for (const name of wordListsOf(row.match.fields))
      lists.set(name, await readReference(db, name, await versionAsked(db, row.load, name)));
    row.match = withWordLists(row.match, lists);
  }
  return rows;
}

/** Of the pairs that people decided, how many were the same, by score in stretches of ten. */
export async function decidedByScore(
  db: Queryable,
  feed: string,
): Promise<{ from: number; same: number; all: number }[]> {
  const { rows } = await db.query<{ from: number; same: number; all: number }>(
    `select (floor(score / 10) * 10)::int as from, count(*) filter (where decision = 'same')::int as same, count(*)::int as all
     from sieve.match_pair where feed = $1 and decided_at is not null and decision is not null group by 1 order by 1`,
    [feed],
  );
  return rows;
}

/** A pair that a person has decided, with the values of both records by the names of the fields that they had. */
export interface DecidedValues {
  names: string[];
  a: string[];
  b: string[];
  decision: Decision;
}

/** The pairs of a feed that people have decided, the latest first. */
export async function decidedValues(db: Queryable, feed: string, limit: number): Promise<DecidedValues[]> {
  const { rows } = await db.query<DecidedValues>(
    `select array(select f->>'name' from jsonb_array_elements(p.document->'contract'->'fields') with ordinality as x (f, n) order by n) as names,
       m.own_values as a, m.other_values as b, m.decision
     from sieve.match_pair m join sieve.load l on l.id = m.load join sieve.plan p on p.id = coalesce(m.plan, l.plan)
     where m.feed = $1 and m.decided_at is not null and m.decision is not null
     order by m.decided_at desc, m.id desc limit $2`,
    [feed, limit],
  );
  return rows;
}

/** What the pairs of a load were judged by. */
export interface KeptModel {
  /** The compared fields, which say what the model's numbers are of. */
  readonly fields: readonly MatchField[];
  readonly model: PairModel;
  readonly limits: LimitsInUse;
}

export async function putMatchModel(db: Queryable, load: number, { fields, model, limits }: KeptModel): Promise<void> {
  await db.query("insert into sieve.match_model (load, fields, model, limits) values ($1, $2, $3, $4)", [
    load,
    JSON.stringify(fields),
    JSON.stringify(model),
    JSON.stringify(limits),
  ]);
}

/**
 * By what records of a load that are released later are judged: what its own pairs were judged by, else those of the
 * feed's latest load, as long as the same fields are compared. Null where there is none.
 */
export async function matchModelFor(
  db: Queryable,
  { feed, load, fields }: { feed: string; load: number; fields: readonly MatchField[] },
): Promise<KeptModel | null> {
  const { rows } = await db.query<KeptModel>(
    `select m.fields, m.model, m.limits from sieve.match_model m join sieve.load l on l.id = m.load
     where l.feed = $1 and m.fields = $2::jsonb order by l.id = $3 desc, l.id desc limit 1`,
    [feed, JSON.stringify(fields), load],
  );
  return rows[0] ?? null;
}

/** What the feed's newest load or trial that compared anything found. */
export async function matchesSeen(
  db: Queryable,
  feed: string,
): Promise<{ load: number; metrics: MatchMetrics } | null> {
  const { rows } = await db.query<{ load: number; metrics: MatchMetrics }>(
    `select id as load, report->'matches' as metrics from sieve.load where feed = $1 and report ? 'matches'
     order by id desc limit 1`,
    [feed],
  );
  return rows[0] ?? null;
}

/** A record of a cluster as it came: a record of the load, or a row of the target by the load and record it is from. */
export interface ClusterMember {
  record: number | null;
  row: [number, number] | null;
  /** An entry of a reference list instead: the list's name and the entry's key. */
  entry?: [string, string];
  values: string[];
  /** Who has split it off since. */
  split?: string;
}

/** Records that a load made one of, and what was kept. */
export interface Cluster {
  first: number;
  members: ClusterMember[];
  kept: string[];
  origins: number[];
}

export async function loadClusters(db: Queryable, load: number, after = -1, limit = 100): Promise<Cluster[]> {
  const { rows } = await db.query<Cluster>(
    `select first, members, kept, origins from sieve.cluster where load = $1 and first > $2 order by first limit $3`,
    [load, after, limit],
  );
  return rows;
}

export async function countClusters(db: Queryable, load: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>("select count(*)::int as n from sieve.cluster where load = $1", [
    load,
  ]);
  return rows[0]!.n;
}
