import type { HistoryEntry } from "@/core/gate/part.ts";
import { HISTORY_LOADS } from "@/core/gate/usual.ts";
import { OUTCOMES, type Outcome } from "@/core/kernel/ledger.ts";
import type { Queryable } from "./db.ts";
import type { Load } from "./loads.ts";

/** How often a check of a feed has found something, over its loads. */
export interface CheckHistory {
  readonly key: string;
  readonly fault: string;
  /** Loads that made it, those in which it found something, and the last of them. */
  readonly loads: number;
  readonly fired: number;
  readonly last: number | null;
  readonly problems: number;
}

/** The newest loads that are looked at. */
const HISTORY_OF_CHECKS = 200;

export async function checkHistory(db: Queryable, feed: string): Promise<CheckHistory[]> {
  const { rows } = await db.query<CheckHistory>(
    `select c->>'key' as key, (array_agg(c->>'fault' order by l.id desc))[1] as fault, count(*)::int as loads,
       count(*) filter (where (c->>'problems')::bigint > 0)::int as fired,
       max(l.id) filter (where (c->>'problems')::bigint > 0) as last,
       sum((c->>'problems')::bigint)::float8 as problems
     from (select id, report from sieve.load where feed = $1 and kind = 'load' and state = 'loaded'
         order by id desc limit $2) l, jsonb_array_elements(l.report->'checks') c
     where not c ? 'off'
     group by 1 order by problems desc, 1`,
    [feed, HISTORY_OF_CHECKS],
  );
  return rows;
}

/** A trial that said what a load would come to, and what has changed between the two. */
export interface TrialBefore {
  readonly id: number;
  /** Outcomes of which the load has another number than the trial said; none where it came as said. */
  readonly apart: readonly { readonly outcome: Outcome; readonly tried: number; readonly loaded: number }[];
  /** Loads that went into the same target between them, and lists that had another version. */
  readonly loads: readonly number[];
  readonly lists: readonly { readonly list: string; readonly tried: number; readonly loaded: number }[];
}

/** The last trial of the same plan over the same delivery that ended before a load closed; null where there was none. */
export async function trialBefore(db: Queryable, id: number): Promise<TrialBefore | null> {
  const counts = (alias: string): string =>
    `array[${alias}.inserted, ${alias}.updated, ${alias}.unchanged, ${alias}.merged, ${alias}.held, ${alias}.waiting, ${alias}.left_out]::int[]`;
  const { rows } = await db.query<{ id: number; tried: number[]; loaded: number[]; loads: number[] | null }>(
    `select t.id, ${counts("t")} as tried, ${counts("l")} as loaded,
       (select array_agg(o.id order by o.id) from sieve.load o join sieve.plan po on po.id = o.plan
        where o.kind = 'load' and o.state = 'loaded' and o.id <> l.id and o.ended_at > t.ended_at and o.ended_at < l.ended_at
          and po.document->'load'->'target' = pl.document->'load'->'target') as loads
     from sieve.load l join sieve.plan pl on pl.id = l.plan
       join sieve.load t on t.delivery = l.delivery and t.kind = 'trial' and t.state = 'tried' and t.ended_at < l.ended_at
       join sieve.plan pt on pt.id = t.plan and pt.document = pl.document
     where l.id = $1 and l.kind = 'load' and l.state = 'loaded' and l.checks_off = '{}' order by t.id desc limit 1`,
    [id],
  );
  const found = rows[0];
  if (!found) return null;
  const { rows: lists } = await db.query<{ list: string; tried: number; loaded: number }>(
    `select a.list, a.version as tried, b.version as loaded from sieve.load_reference a
     join sieve.load_reference b on b.list = a.list and b.load = $2
     where a.load = $1 and a.version <> b.version order by 1`,
    [found.id, id],
  );
  return {
    id: found.id,
    apart: OUTCOMES.map((outcome, i) => ({ outcome, tried: found.tried[i]!, loaded: found.loaded[i]! })).filter(
      (o) => o.tried !== o.loaded,
    ),
    loads: found.loads ?? [],
    lists,
  };
}

/** The columns of each file in the load before this one of what the same sender sent to the feed. */
export async function columnsBefore(
  db: Queryable,
  load: Pick<Load, "id" | "feed">,
  sender: string,
): Promise<string[][]> {
  const { rows } = await db.query<{ columns: string[][] }>(
    `select (select jsonb_agg(f->'columns') from jsonb_array_elements(l.report->'files') f) as columns
     from sieve.load l join sieve.delivery d on d.id = l.delivery
     where l.feed = $1 and l.id < $2 and l.state = 'loaded' and d.sender = $3 order by l.id desc limit 1`,
    [load.feed, load.id, sender],
  );
  return rows[0]?.columns ?? [];
}

/** What the loads of a sender before one had, the newest first. */
export async function historyBefore(
  db: Queryable,
  load: Pick<Load, "id" | "feed">,
  sender: string,
  limit = HISTORY_LOADS,
): Promise<HistoryEntry[]> {
  const { rows } = await db.query<HistoryEntry>(
    `select l.read, coalesce((select jsonb_agg(jsonb_build_object('name', f->'name', 'filled', f->'filled', 'of', f->'of'))
       from jsonb_array_elements(l.report->'fields') f), '[]') as filled,
       coalesce(l.report->'figures', '[]') as figures
     from sieve.load l join sieve.delivery d on d.id = l.delivery
     where l.feed = $1 and l.id < $2 and l.state = 'loaded' and l.kind = 'load' and d.sender = $3
     order by l.id desc limit $4`,
    [load.feed, load.id, sender, limit],
  );
  return rows;
}

/** When a value of a code field first and last came, over the feed's loads. */
export interface CodeSeen {
  readonly field: string;
  readonly value: string;
  readonly first: Date;
  readonly last: Date;
  readonly loads: number;
}

export async function codesSeen(db: Queryable, feed: string): Promise<CodeSeen[]> {
  const { rows } = await db.query<CodeSeen>(
    `select c->>'field' as field, v.value, min(l.ended_at) as first, max(l.ended_at) as last, count(*)::int as loads
     from sieve.load l, jsonb_array_elements(l.report->'codes') c, jsonb_array_elements_text(c->'seen') v
     where l.feed = $1 and l.state = 'loaded' and l.report ? 'codes'
     group by 1, 2 order by 1, min(l.id), 2`,
    [feed],
  );
  return rows;
}
