import { MOST_PAIRS_DECIDED } from "@/core/kernel/limits.ts";
import { keepCluster } from "@/core/match/survive.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { ident, transaction, type Client, type Db } from "@/store/db.ts";
import { getPlan } from "@/store/feeds.ts";
import type { Decision } from "@/core/match/resolve.ts";
import { noteBefore, noteRows, rowNow, turnOf, type NotedRow } from "@/store/writings.ts";
import { changeAt } from "../writing/meet.ts";
import { tableOf } from "../writing/target.ts";
import { undoLocked } from "../undo/undo.ts";
import { writeRecord } from "../writing/write-record.ts";
import { Writing, lockTarget } from "../writing/writing.ts";

/** What became of a record that waited. */
export interface Settled {
  load: number;
  record: number;
  state: "waiting" | "inserted" | "merged";
  /** Why it still waits although all is decided. */
  problem: string | null;
}

interface PairRow {
  id: number;
  load: number;
  feed: string;
  record: number;
  other: number | null;
  row_load: number | null;
  row_record: number | null;
  entry: [string, string] | null;
  other_values: string[];
  own_mark: string;
  other_mark: string;
  decision: Decision | null;
  /** The plan that its values are of. */
  plan: number;
  /** What the store had of its decision before this one. */
  before?: NotedRow[];
}

const PAIR = `id, load, feed, record, other, row_load, row_record, entry, other_values, own_mark, other_mark, decision,
  coalesce(plan, (select l.plan from sieve.load l where l.id = load)) as plan`;

interface WaitingRow {
  load: number;
  record: number;
  field_values: string[];
  state: Settled["state"];
  before: string[] | null;
  into_load: number | null;
  into_record: number | null;
  writing: number | null;
  /** The plan that its values are of. */
  plan: number;
}

/**
 * Takes a person's decisions about pairs, keeps them for all loads to come, and sends on the
 * records that waited for them: merged into the record that they are the same as, or inserted when
 * they are none of those that were asked about. All in one transaction.
 */
export async function decidePairs(
  db: Db,
  decisions: readonly { pair: number; decision: Decision }[],
  by: string,
): Promise<Settled[]> {
  if (decisions.length > MOST_PAIRS_DECIDED) {
    throw new SieveError("too-many", `At most ${MOST_PAIRS_DECIDED} pairs can be decided at once.`);
  }
  return await transaction(db, async (client) => {
    await lockPairs(
      client,
      decisions.map((d) => d.pair),
    );
    const asked: PairRow[] = [];
    for (const { pair, decision } of [...decisions].sort((a, b) => a.pair - b.pair)) {
      const row = await pairOf(client, pair);
      row.before = await standsOf(client, row);
      await putDecision(client, row, decision, by);
      asked.push(row);
    }
    return await settleAll(client, asked, by);
  });
}

/** Takes decisions back: what followed from them is undone, and the records wait again. */
export async function withdrawPairs(db: Db, pairs: readonly number[], by: string): Promise<Settled[]> {
  return await transaction(db, async (client) => {
    await lockPairs(client, pairs);
    const asked: PairRow[] = [];
    // The latest first, so that what was merged into a row comes off in the other order.
    for (const id of [...pairs].sort((a, b) => b - a)) {
      const row = await pairOf(client, id);
      if (row.decision === null) continue;
      await revert(client, row, by);
      await client.query(
        "update sieve.match_pair set decision = null, decided_by = '', decided_at = null where id = $1",
        [id],
      );
      await client.query("delete from sieve.match_decision where feed = $1 and low = $2 and high = $3", [
        row.feed,
        ...[row.own_mark, row.other_mark].sort(),
      ]);
      asked.push(row);
    }
    return await settleAll(client, asked, by);
  });
}

/** Keeps a decision, with the pair and for its contents. */
async function putDecision(client: Client, pair: PairRow, decision: Decision, by: string): Promise<void> {
  await client.query("update sieve.match_pair set decision = $2, decided_by = $3, decided_at = now() where id = $1", [
    pair.id,
    decision,
    by,
  ]);
  await client.query(
    `insert into sieve.match_decision (feed, low, high, decision, decided_by) values ($1, $2, $3, $4, $5)
     on conflict (feed, low, high) do update set decision = excluded.decision, decided_by = excluded.decided_by, decided_at = now()`,
    [pair.feed, ...[pair.own_mark, pair.other_mark].sort(), decision, by],
  );
}

/** Locks the targets that pairs are about, before anything of theirs is. */
async function lockPairs(client: Client, pairs: readonly number[]): Promise<void> {
  const { rows } = await client.query<{ feed: string; plan: number }>(
    `select distinct on (feed) feed, plan from (select ${PAIR} from sieve.match_pair where id = any($1)) p order by feed, load`,
    [pairs],
  );
  for (const { feed, plan } of rows) await lockTarget(client, feed, (await compiledOf(client, plan)).plan);
}

/** What the store has of a pair's decision, as notes of a writing keep it. */
async function standsOf(client: Client, pair: PairRow): Promise<NotedRow[]> {
  const [low, high] = [pair.own_mark, pair.other_mark].sort();
  return [
    await rowNow(client, "match_pair", { id: pair.id }),
    await rowNow(client, "match_decision", { feed: pair.feed, low, high }),
  ];
}

async function pairOf(client: Client, id: number): Promise<PairRow> {
  const { rows } = await client.query<PairRow>(
    `select ${PAIR}
     from sieve.match_pair where id = $1 and band = 'ask' for update`,
    [id],
  );
  if (!rows[0])
    throw new SieveError("no-pair", `There is no pair ${id} to decide.`, { hint: "Look at the matches again." });
  return rows[0];
}

async function waitingOf(client: Client, load: number, record: number): Promise<WaitingRow | null> {
  const { rows } = await client.query<WaitingRow>(
    `select load, record, field_values, state, before, into_load, into_record, writing,
       coalesce(plan, (select l.plan from sieve.load l where l.id = load)) as plan
     from sieve.waiting where load = $1 and record = $2 for update`,
    [load, record],
  );
  return rows[0] ?? null;
}

async function compiledOf(client: Client, plan: number): Promise<Compiled> {
  return compilePlan((await getPlan(client, plan)).document);
}

async function settleAll(client: Client, pairs: readonly PairRow[], by: string): Promise<Settled[]> {
  const plans = new Map<number, Compiled>();
  const results: Settled[] = [];
  const seen = new Set<string>();
  for (const { load, record, plan } of pairs) {
    if (seen.has(`${load}:${record}`)) continue;
    seen.add(`${load}:${record}`);
    const compiled = plans.get(plan) ?? (await compiledOf(client, plan));
    plans.set(plan, compiled);
    const before = pairs.filter((p) => p.load === load && p.record === record).flatMap((p) => p.before ?? []);
    results.push(await settle(client, { compiled, plan, load, record, by, before }));
  }
  return results;
}

interface Settling {
  readonly compiled: Compiled;
  readonly plan: number;
  readonly load: number;
  readonly record: number;
  readonly by: string;
  /** What the store had of the decisions that settle it. */
  readonly before: readonly NotedRow[];
}

/** Sends a waiting record on when all that it waits for is decided. */
async function settle(client: Client, settling: Settling): Promise<Settled> {
  const { compiled, load, record, by } = settling;
  const waiting = await waitingOf(client, load, record);
  if (!waiting) throw new SieveError("no-record", `Record ${record} of load ${load} does not wait for a decision.`);
  const result = (state: Settled["state"], problem: string | null = null): Settled => ({
    load,
    record,
    state,
    problem,
  });
  if (waiting.state !== "waiting") return result(waiting.state);
  const insert = async (values: readonly string[]): Promise<Settled> => {
    const { writing, after } = await beginDecision(client, settling);
    const refused = await writeRecord(writing, compiled, { load, record, values, after });
    if (refused) return result("waiting", refused.message);
    await endDecision(client, writing, settling);
    await end(client, waiting, "inserted", { by, writing: writing.id });
    return result("inserted");
  };
  const { rows: pairs } = await client.query<PairRow>(
    `select ${PAIR}
     from sieve.match_pair where load = $1 and record = $2 and band = 'ask' order by score desc, id`,
    [load, record],
  );
  const same = pairs.find((p) => p.decision === "same");
  if (same?.entry) return await insert(keepOne(compiled, waiting.field_values, same.other_values));
  if (same) {
    const problem = await merge(client, settling, waiting, same);
    return result(problem === null ? "merged" : "waiting", problem);
  }
  if (pairs.some((p) => p.decision === null)) return result("waiting");
  return await insert(waiting.field_values);
}

/** What is kept of two records that are one; the key is the first one's. */
function keepOne({ plan, fields }: Compiled, first: readonly string[], second: readonly string[]): string[] {
  return keepCluster(plan.match!, fields, plan.load.key, [first, second], plan.formulas).values;
}

async function end(
  client: Client,
  { load, record }: WaitingRow,
  state: Settled["state"],
  { by, writing }: { by: string; writing: number | null },
  into: { before: readonly string[]; load: number; record: number } | null = null,
): Promise<void> {
  await client.query(
    `update sieve.waiting set state = $3, before = $4, into_load = $5, into_record = $6, ended_by = $7, writing = $8,
       ended_at = case when $3 = 'waiting' then null else now() end where load = $1 and record = $2`,
    [
      load,
      record,
      state,
      into ? JSON.stringify(into.before) : null,
      into?.load ?? null,
      into?.record ?? null,
      by,
      writing,
    ],
  );
}

/** Puts a waiting record to the one that it is the same as; gives what is in the way, or null. */
async function merge(client: Client, settling: Settling, waiting: WaitingRow, pair: PairRow): Promise<string | null> {
  const { compiled, by } = settling;
  const keep = (before: readonly string[]): string[] => keepOne(compiled, before, waiting.field_values);
  const other = pair.other === null ? null : await waitingOf(client, pair.load, pair.other);
  if (other?.state === "waiting") {
    await client.query("update sieve.waiting set field_values = $3 where load = $1 and record = $2", [
      other.load,
      other.record,
      JSON.stringify(keep(other.field_values)),
    ]);
    const into = { before: other.field_values, load: other.load, record: other.record };
    await end(client, waiting, "merged", { by, writing: null }, into);
    return null;
  }
  const [load, record] = await placeOf(client, pair);
  const row = await targetRow(client, compiled, load, record);
  if (!row)
    return "The record that it is the same as is no longer in the target: decide that they are different, or load it again.";
  const { writing } = await beginDecision(client, settling);
  await changeAt(writing, [{ at: row.at, values: keep(row.values) }]);
  await endDecision(client, writing, settling);
  await end(client, waiting, "merged", { by, writing: writing.id }, { before: row.values, load, record });
  return null;
}

/** The writing that a decision about a record becomes, and the turn of its load's. */
async function beginDecision(
  client: Client,
  { compiled, plan, load, by }: Settling,
): Promise<{ writing: Writing; after: number }> {
  const { rows } = await client.query<{ feed: string; after: number }>(
    `select feed, ${turnOf("writing")} as after from sieve.load where id = $1`,
    [load],
  );
  const { feed, after } = rows[0]!;
  const about = { kind: "decision", feed, load, plan: compiled.plan, planId: plan, by } as const;
  return { writing: await Writing.begin(client, about), after };
}

/** Writes the decision down, with what the store had before it. */
async function endDecision(client: Client, writing: Writing, { load, record, before }: Settling): Promise<void> {
  await writing.end();
  await noteBefore(client, writing.id, "waiting", `r.load = ${load} and r.record = ${record}`);
  await noteRows(client, writing.id, before);
}

/** The load and record that the target's row has which stands for the other record of a pair. */
async function placeOf(client: Client, pair: PairRow): Promise<[number, number]> {
  if (pair.other === null) return [pair.row_load ?? -1, pair.row_record ?? -1];
  let [load, record] = [pair.load, pair.other];
  // A record that was put to another stands where that one stands.
  for (let i = 0; i < 100; i++) {
    const waited = await waitingOf(client, load, record);
    if (waited?.state === "merged") [load, record] = [waited.into_load!, waited.into_record!];
    else break;
  }
  const { rows } = await client.query<{ first: number; row: [number, number] | null }>(
    `select first, members->0->'row' as row from sieve.cluster where load = $1 and members @> $2::jsonb`,
    [load, JSON.stringify([{ record }])],
  );
  if (!rows[0]) return [load, record];
  return rows[0].row && rows[0].row[0] !== undefined ? rows[0].row : [load, rows[0].first];
}

async function targetRow(
  client: Client,
  { fields, plan }: Compiled,
  load: number,
  record: number,
): Promise<{ at: string; values: string[] } | null> {
  const list = fields.map((f) => `coalesce(t.${ident(f.name)}::text, '')`).join(", ");
  const { rows } = await client.query<{ at: string; values: string[] }>(
    `select t.ctid::text as at, array[${list}] as values from ${tableOf(plan)} t
     where coalesce(t._load, -1) = $1 and coalesce(t._record, -1) = $2 for update limit 2`,
    [load, record],
  );
  return rows.length === 1 ? rows[0]! : null;
}

/** Undoes what followed from a decision about a record, so that it waits again; its other decisions stay. */
async function revert(client: Client, pair: PairRow, by: string): Promise<void> {
  const waiting = await waitingOf(client, pair.load, pair.record);
  if (!waiting || waiting.state === "waiting") return;
  if (waiting.writing !== null) {
    const { rows: pairs } = await client.query<PairRow & { by: string }>(
      `select ${PAIR}, decided_by as by from sieve.match_pair where load = $1 and record = $2 and decision is not null`,
      [pair.load, pair.record],
    );
    await undoLocked(client, waiting.writing, { reason: "the decision was taken back", by });
    for (const other of pairs) if (other.id !== pair.id) await putDecision(client, other, other.decision!, other.by);
    return;
  }
  const into = await waitingOf(client, waiting.into_load!, waiting.into_record!);
  if (into?.state !== "waiting") {
    throw new SieveError(
      "row-gone",
      `The record that record ${pair.record} of load ${pair.load} was put to has been decided about since.`,
      { hint: "Take that decision back first." },
    );
  }
  await end(client, waiting, "waiting", { by, writing: null });
  await keepWaiting(client, await compiledOf(client, into.plan), into);
}

/** Makes the values of a record that waits anew of its own and of those that were put to it, in the order in which they were. */
async function keepWaiting(client: Client, compiled: Compiled, { load, record }: WaitingRow): Promise<void> {
  const { rows: own } = await client.query<{ values: string[] }>(
    "select own_values as values from sieve.match_pair where load = $1 and record = $2 limit 1",
    [load, record],
  );
  const { rows: others } = await client.query<{ values: string[] }>(
    `select field_values as values from sieve.waiting where into_load = $1 and into_record = $2 and state = 'merged'
     order by ended_at, load, record`,
    [load, record],
  );
  const kept = others.reduce((first, other) => keepOne(compiled, first, other.values), own[0]!.values);
  await client.query("update sieve.waiting set field_values = $3 where load = $1 and record = $2", [
    load,
    record,
    JSON.stringify(kept),
  ]);
}
