import { BYTE } from "@/core/kernel/ledger.ts";
import type { Returned } from "@/core/mend/for-sender.ts";
import type { ReturnedCounts } from "@/core/report/report.ts";
import { byHash, ident, type Client } from "@/store/db.ts";
import { ledgerBlocks } from "@/store/ledger.ts";
import { senderOfHeld } from "@/store/senders-of-load.ts";
import { noteBefore } from "@/store/writings.ts";
import type { Writing } from "../writing/writing.ts";
import { keysOfHeld } from "./overtake.ts";

/** Of an outcome's byte the part that says which it is. */
const OUTCOME_BITS = 15;
const ACCEPTED: ReadonlySet<number> = new Set([BYTE.inserted, BYTE.updated, BYTE.unchanged, BYTE.merged, BYTE.waiting]);

/**
 * Closes held records of a feed's earlier loads that a load has brought back: by the mark that a record has beside it, and,
 * of those that are held again, by their key, or, where the plan has none, by being the same in every cell. Only what
 * the same sender sent, or where it is not known who did. A record that is still wrong lives on as the one that came last, so that
 * nobody counts it twice. Goes back with the load's undo. To be called in the closing transaction, after the load's own
 * held records are in the quarantine.
 */
export async function closeReturned(
  client: Client,
  writing: Writing,
  marks: readonly Returned[],
): Promise<ReturnedCounts> {
  const { load } = writing.about;
  await client.query(
    "create temp table came_back (load integer, record integer, again integer, accepted boolean) on commit drop",
  );
  await byMark(client, load, marks);
  await byContent(client, writing);
  await client.query("analyze came_back");
  // Each is found by its key, however few records the planner believes to be held: it would go through all of them for each.
  await client.query(
    `create temp table to_close on commit drop as
     select distinct on (c.load, c.record) c.load, c.record, c.again, c.accepted
     from came_back c cross join lateral (
         select h.feed, h.state, h.sender from sieve.held h where h.load = c.load and h.record = c.record offset 0) h
       join sieve.load old on old.id = c.load join sieve.delivery before on before.id = old.delivery
       join sieve.load new on new.id = $1 join sieve.delivery now on now.id = new.delivery
       cross join lateral (select ${senderOfHeld("before")} as sender) whose
     where h.feed = $2 and c.load < $1 and h.state in ('held', 'overtaken')
       and ('' in (whose.sender, now.sender) or whose.sender = now.sender
         or exists (select from sieve.load_sender s where s.load = $1 and s.sender = whose.sender))
     order by c.load, c.record, c.accepted desc, c.again`,
    [load, writing.about.feed],
  );
  await client.query("analyze to_close");
  const { rows } = await client.query<ReturnedCounts>(
    "select count(*) filter (where accepted)::int as accepted, count(*) filter (where not accepted)::int as again from to_close",
  );
  const counts = rows[0]!;
  if (counts.accepted + counts.again > 0) {
    await noteBefore(client, writing.id, "held", "(r.load, r.record) in (select load, record from to_close)");
    await client.query(
      `update sieve.held h set state = 'closed', writing = ${writing.id}, ended_by = $1, ended_at = now(), came_as = c.again,
         reason = case when c.accepted then $2 else $3 end || (c.again + 1)
       from to_close c where h.load = c.load and h.record = c.record`,
      [`load ${load}`, `load ${load} accepted it as its record `, `came again, still wrong, as record `],
    );
  }
  await client.query("drop table to_close, came_back");
  return counts;
}

/** Records with a mark, and whether the load accepted them. */
async function byMark(client: Client, load: number, marks: readonly Returned[]): Promise<void> {
  if (marks.length === 0) return;
  const sorted = [...marks].sort((a, b) => a.record - b.record);
  const rows: { load: number; record: number; again: number; accepted: boolean }[] = [];
  let at = 0;
  for await (const { firstRecord, outcomes } of ledgerBlocks(client, load)) {
    for (; at < sorted.length && sorted[at]!.record < firstRecord + outcomes.length; at++) {
      const { record: again, load: of, held: record } = sorted[at]!;
      const outcome = outcomes[again - firstRecord]! & OUTCOME_BITS;
      // What a step leaves out has not come back.
      if (ACCEPTED.has(outcome)) rows.push({ load: of, record, again, accepted: true });
      else if (outcome === BYTE.held) rows.push({ load: of, record, again, accepted: false });
    }
    if (at === sorted.length) break;
  }
  await client.query(
    `insert into came_back select load, record, again, accepted
     from jsonb_to_recordset($1::jsonb) as x (load int, record int, again int, accepted boolean)`,
    [JSON.stringify(rows)],
  );
}

/**
 * Records that are held and were held before: of the same key, or, without one, of the very same cells. The planner
 * believes a load's held records to be few, and would compare each with each: of 3,000 and 3,000 that took eight seconds.
 */
async function byContent(client: Client, writing: Writing): Promise<void> {
  const { feed, load, plan } = writing.about;
  const { key } = plan.load;
  if (key.length === 0) {
    await byHash(client, () =>
      client.query(
        `insert into came_back select o.load, o.record, min(n.record), false from sieve.held n join sieve.held o
           on o.feed = n.feed and o.load < n.load and o.state in ('held', 'overtaken') and md5(o.cells::text) = md5(n.cells::text) and o.cells = n.cells
         where n.feed = $1 and n.load = $2 and n.cells is not null group by 1, 2`,
        [feed, load],
      ),
    );
    return;
  }
  const states = "h.state in ('held', 'overtaken')";
  const before = await keysOfHeld(client, { feed, plan, where: `${states} and h.load < ${load}` });
  const now = await keysOfHeld(client, { feed, plan, where: `${states} and h.load = ${load}` });
  if (before === null || now === null) return;
  const names = key.map((k) => ident(k)).join(", ");
  await byHash(client, () =>
    client.query(
      `insert into came_back select o.load, o.record, min(n.record), false
       from (${before}) o join (${now}) n using (${names}) group by 1, 2`,
    ),
  );
}
