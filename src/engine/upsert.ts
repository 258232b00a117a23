import { BYTE, type Balance } from "@/core/ledger.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { byPlace, ident, withSettings, type Client, type Db } from "@/store/db.ts";
import { ledgerBlocks, putOutcomes } from "@/store/ledger.ts";
import { assertWritten, recordColumns, staged, tableOf, targetColumns } from "./target.ts";
import { dropKept, keepFirstRows, keepsBefore } from "./undo.ts";

/** Memory in which the database may join an upsert's records with the target's rows. */
const JOIN_MEMORY = "64MB";
/** PostgreSQL's code of a lock that is not to be had at once. */
const LOCK_NOT_AVAILABLE = "55P03";

/** Staged records that an upsert writes. */
export interface Upsert {
  /** In the closing transaction. */
  readonly client: Client;
  readonly load: number;
  readonly plan: Plan;
  /** The quoted name of the staged records' table. */
  readonly staging: string;
  /** The quoted name of the table that names the records and the places of the rows that they meet. */
  readonly met: string;
}

/**
 * Finds what staged records meet in the target by its key: those that are new, which have no place,
 * and those that differ from the row they meet. A record that is as its row already is, is left out.
 */
export async function meetTarget({ plan, staging, met }: Upsert, client: Client): Promise<void> {
  const target = tableOf(plan);
  const have = new Map((await targetColumns(client, target)).map((c) => [c.name, c]));
  const { key } = plan.load;
  const same = key.map((k) => `${staged(k, have.get(k))} = t.${ident(k)}`);
  const differs = recordColumns(plan)
    .filter((n) => !key.includes(n))
    .map((n) =>
      have.has(n) ? `${staged(n, have.get(n))} is distinct from t.${ident(n)}` : `s.${ident(n)} is not null`,
    );
  // Just filled, so nothing is known of it; a look at a few hundred of its rows is enough.
  await withSettings(client, { default_statistics_target: "1" }, () => client.query(`analyze ${staging}`));
  const { rows } = await client.query<{ few: boolean; memory: boolean }>(
    `select pg_table_size($1::regclass) * 2 < pg_table_size($2::regclass) as few,
       pg_size_bytes(current_setting('work_mem')) < pg_size_bytes('${JOIN_MEMORY}') as memory`,
    [staging, target],
  );
  const settings = {
    parallel_setup_cost: "0",
    parallel_tuple_cost: "0",
    ...(rows[0]!.memory ? { work_mem: JOIN_MEMORY } : {}),
    // A few records look their rows up one by one; many are met in one pass over the target.
    ...(rows[0]!.few ? { enable_hashjoin: "off", enable_mergejoin: "off" } : { enable_nestloop: "off" }),
  };
  await withSettings(client, settings, () =>
    client.query(
      `create unlogged table ${met} as select s._record as record, t.ctid as place, t.tableoid as part
       from ${staging} s left join ${target} t on ${same.join(" and ")}
       where ${["t.ctid is null", ...differs].join(" or ")}`,
    ),
  );
}

/** Keeps the rows that are met as they are, for an undo. */
async function keepMet({ load, plan, met }: Upsert, client: Client): Promise<void> {
  await keepFirstRows(client, load, plan, `select place, part from ${met} where place is not null`);
}

/** Writes records over the rows that they meet, and those that are new beside them. */
async function writeMet({ client, load, plan, staging, met }: Upsert): Promise<void> {
  const target = tableOf(plan);
  const have = new Map((await targetColumns(client, target)).map((c) => [c.name, c]));
  const values = [
    ...recordColumns(plan).map((name) => ({ name, value: staged(name, have.get(name)) })),
    { name: "_load", value: String(load) },
    { name: "_record", value: "s._record" },
  ];
  const set = values.filter((v) => !plan.load.key.includes(v.name)).map((v) => `${ident(v.name)} = ${v.value}`);
  const updated = await byPlace(client, () =>
    client.query(
      `update ${target} t set ${set.join(", ")} from ${met} m join ${staging} s on s._record = m.record
       where t.ctid = m.place and t.tableoid = m.part`,
    ),
  );
  const inserted = await client.query(
    `insert into ${target} (${values.map((v) => ident(v.name)).join(", ")})
     select ${values.map((v) => v.value).join(", ")} from ${staging} s join ${met} m on m.record = s._record
     where m.place is null`,
  );
  const { rows } = await client.query<{ old: number; all: number }>(
    `select count(place)::int as old, count(*)::int as all from ${met}`,
  );
  const { old, all } = rows[0]!;
  assertWritten(plan, "updated", updated.rowCount ?? 0, old);
  assertWritten(plan, "inserted", inserted.rowCount ?? 0, all - old);
}

/** Lets a connection read the target and the staged records for a transaction, unless it would have to wait for that. */
async function beginBeside(client: Client, { plan, staging }: Upsert): Promise<boolean> {
  await client.query("begin");
  try {
    // The two connections wait for each other outside of the database, which would not see that they do.
    await client.query("set local lock_timeout = '5s'");
    await client.query(`lock table ${tableOf(plan)}, ${staging} in access share mode nowait`);
    return true;
  } catch (error) {
    await client.query("rollback");
    if ((error as { code?: string }).code === LOCK_NOT_AVAILABLE) return false;
    throw error;
  }
}

/**
 * Writes staged records into the target, which must be locked against other writers, as rows are
 * found by their places, and puts what it did into the ledger and the balance. Where nothing stands in
 * the way, rows are kept for an undo, and the ledger written, through a connection of `beside` while
 * the target is written over here. That connection does not see what this transaction has done, so
 * that is for loads whose staged records and ledger are as they were committed.
 */
export async function upsertStaged(upsert: Upsert, beside: Db | null, balance: Balance): Promise<void> {
  const { client, plan, load } = upsert;
  const alone = async (): Promise<void> => {
    if (keepsBefore(plan)) await keepMet(upsert, client);
    await writeMet(upsert);
    await countUpsert(upsert, client, balance);
  };
  if (!beside || !keepsBefore(plan)) {
    await meetTarget(upsert, client);
    return await alone();
  }
  const other = await beside.connect();
  let broken = true;
  try {
    const met = await beginBeside(other, upsert);
    if (met) {
      await meetTarget(upsert, other);
      await other.query("commit");
    } else await meetTarget(upsert, client);
    if (met && (await beginBeside(other, upsert))) {
      // An attempt that was killed may have kept rows too.
      await dropKept(other, load);
      const kept = async (): Promise<void> => {
        await keepMet(upsert, other);
        // Until the load ends well, what the ledger says of it counts for nothing.
        await countUpsert(upsert, other, balance);
        await other.query("commit");
      };
      const ends = await Promise.allSettled([writeMet(upsert), kept()]);
      for (const end of ends) if (end.status === "rejected") throw end.reason;
    } else await alone();
    broken = false;
  } finally {
    other.release(broken);
  }
}

/** Puts what an upsert did, or would do, into the ledger and the balance. */
export async function countUpsert({ load, met }: Upsert, client: Client, balance: Balance): Promise<void> {
  // Packed into bytes by the database, a fifth of the time that rows would take; sorted here, half of the rest.
  await client.query(
    `declare upserted_records no scroll cursor for
     select string_agg(int4send(record * 2 + (place is null)::int), ''::bytea) as packed
     from ${met} group by record / 65536 order by record / 65536`,
  );
  let batch = new Uint32Array(0);
  let at = 0;
  const fetch = async (): Promise<void> => {
    const { rows } = await client.query<{ packed: Buffer }>("fetch 1 from upserted_records");
    const packed = rows[0]?.packed ?? Buffer.alloc(0);
    batch = Uint32Array.from({ length: packed.length / 4 }, (_, i) => packed.readUInt32BE(i * 4)).sort();
    at = 0;
  };
  await fetch();
  balance.outcomes.inserted = 0;
  for await (const block of ledgerBlocks(client, load)) {
    const { outcomes, firstRecord } = block;
    for (let r = 0; r < outcomes.length; r++) {
      if (outcomes[r] !== BYTE.inserted) continue;
      if (at === batch.length && at > 0) await fetch();
      const packed = at < batch.length ? batch[at]! : 0;
      if (at === batch.length || packed >>> 1 !== firstRecord + r) {
        outcomes[r] = BYTE.unchanged;
        balance.outcomes.unchanged++;
        continue;
      }
      const fresh = (packed & 1) === 1;
      outcomes[r] = fresh ? BYTE.inserted : BYTE.updated;
      balance.outcomes[fresh ? "inserted" : "updated"]++;
      at++;
    }
    await putOutcomes(client, load, block);
  }
  if (at === batch.length && at > 0) await fetch();
  await client.query("close upserted_records");
  if (at < batch.length) {
    throw new Error(`record ${batch[at]! >>> 1} was written and the ledger does not have it`);
  }
}
