import type { Balance } from "@/core/kernel/ledger.ts";
import type { KeptCells } from "@/core/plan/arriving.ts";
import type { Plan } from "@/core/plan/document.ts";
import { byHash, ident, type Client, type Db } from "@/store/db.ts";
import { emptyTable } from "../writing/existing-table.ts";
import { countKept, type Meeting } from "../writing/meet.ts";
import { upsertStaged } from "../writing/upsert.ts";
import type { Expected } from "../writing/reconcile.ts";
import { inSlices } from "../writing/slice.ts";
import { TARGET, columnsByName, sameKey, staged, tableOf } from "../writing/target.ts";
import { successorOf, type Successor } from "../writing/successor.ts";
import { WRITING, type Writing } from "../writing/writing.ts";
import { staging } from "./staging.ts";

/** Memory in which the database may sort a key's values. */
const INDEX_MEMORY = "128MB";
/** Fewer records than this are added to a key's index one by one. */
const MANY_RECORDS = 10_000;

/** What stands ready to be written in a load's closing transaction. */
export interface Ready {
  readonly client: Client;
  readonly id: number;
  readonly plan: Plan;
  readonly balance: Balance;
  readonly writing: Writing;
  /** What the target must then have, by which it is reconciled. */
  readonly expected: Expected;
  /** Whether the target was there before, so that it has rows whose place may be taken. */
  readonly exists: boolean;
}

/** Writes the staged records of a load into its target, in the way that its plan says. */
export class IntoTarget {
  constructor(private readonly of: Ready) {}

  /** Puts the staged table in the target's place, if it was made for that and still may; false when it is not. */
  async takePlace(successor: Successor | null): Promise<boolean> {
    if (!successor) return false;
    const { client, id, plan, balance, writing, expected } = this.of;
    const now = await successorOf(client, plan, { load: id, writing: writing.id }, staging(id));
    if (JSON.stringify(now) !== JSON.stringify(successor)) return false;
    const { target } = plan.load;
    const { rows } = await client.query<{ n: number }>(`select count(*)::int as n from ${staging(id)}`);
    if (rows[0]!.n !== balance.outcomes.inserted) {
      throw new Error(`${rows[0]!.n} records are staged, and the ledger has ${balance.outcomes.inserted}`);
    }
    if (successor.key !== "") {
      await client.query(
        `select set_config('maintenance_work_mem', '${INDEX_MEMORY}', true)
         where pg_size_bytes(current_setting('maintenance_work_mem')) < pg_size_bytes('${INDEX_MEMORY}')`,
      );
      await client.query(`alter table ${staging(id)} add ${successor.key}`);
    }
    await client.query(
      `alter table ${staging(id)} alter column "_load" drop default, alter column ${ident(WRITING)} drop default`,
    );
    await writing.keepTable(staging(id));
    await client.query(`alter table ${staging(id)} set schema ${ident(TARGET)}`);
    await client.query(`alter table ${ident(TARGET, `load ${id}`)} rename to ${ident(target)}`);
    writing.inserted += balance.outcomes.inserted;
    expected.add(`select ${expected.columns((n) => `t.${ident(n)}`)} from ${tableOf(plan)} t`);
    return true;
  }

  /**
   * Puts the staged records over the rows that they meet, and beside them; gives the cells that changed nothing.
   * @param beside another way into the store, where the ledger and the staged records are as they were committed
   */
  async upsert(meeting: Meeting, beside: Db | null): Promise<KeptCells[]> {
    const { client: own, id, balance, writing, expected } = this.of;
    const have = await columnsByName(own, writing.table);
    expected.addUpsert(meeting, id, (n) => staged(n, have.get(n)));
    let kept: KeptCells[] = [];
    const also = async (client: Client): Promise<void> => {
      kept = await countKept(meeting, client, id);
      await expected.settle(client);
    };
    await upsertStaged(writing, meeting, { beside, balance, also });
    return kept;
  }

  /** Puts the staged records beside the target's rows, or in the place of all of them. */
  async add(): Promise<void> {
    const { client, id, plan, balance, writing, expected, exists } = this.of;
    const target = tableOf(plan);
    if (plan.load.slice !== undefined) {
      if (exists) await this.removeSlices();
    } else if (plan.load.mode === "replace") {
      await writing.keepAll(staging(id));
      await emptyTable(client, target);
    }
    const key = await this.setKeyAside(target, balance.outcomes.inserted);
    await writing.insertStaged(`${staging(id)} s`, balance.outcomes.inserted);
    if (key) await client.query(`alter table ${target} add constraint ${ident(key.name)} ${key.definition}`);
    const have = await columnsByName(client, target);
    const own = (n: string): string =>
      n === "_load" ? `${id}` : n === "_record" ? `s."_record"` : staged(n, have.get(n));
    expected.add(`select ${expected.columns(own)} from ${staging(id)} s`);
  }

  /**
   * Takes away the rows of the slices that came. Those whose keys come again are kept as changed, not as removed: who
   * deletes such a row later has deleted the record, which an undo does not bring back unasked.
   */
  private async removeSlices(): Promise<void> {
    const { client, id, plan, writing } = this.of;
    const which = await inSlices(client, plan);
    const { key } = plan.load;
    const again = key.length > 0 ? sameKey(key, await columnsByName(client, writing.table)) : "false";
    await byHash(client, () =>
      client.query(
        `create temp table replaced_rows on commit drop as
         select t.ctid as place, t.tableoid as part, null::integer as left_as,
           case when s."_record" is null then 'removed' else 'changed' end as did
         from ${writing.table} t left join ${staging(id)} s on ${again} where ${which}`,
      ),
    );
    await client.query("analyze replaced_rows");
    await writing.remove("select * from replaced_rows", "as told");
  }

  /**
   * Where more records come than are there, making the key's index anew is twice as fast as adding
   * to it record by record. Readers see none of it: it is all in the closing transaction.
   */
  private async setKeyAside(target: string, incoming: number): Promise<{ name: string; definition: string } | null> {
    const { client, plan } = this.of;
    if (plan.load.schema !== undefined) return null;
    const { rows: there } = await client.query<{ n: number }>(
      `select count(*)::int as n from (select from ${target} limit $1) t`,
      [incoming],
    );
    if (incoming < MANY_RECORDS || there[0]!.n >= incoming) return null;
    const { rows } = await client.query<{ name: string; definition: string }>(
      `select conname as name, pg_get_constraintdef(oid) as definition from pg_constraint c
       where conrelid = to_regclass($1) and contype = 'p'
         and not exists (select from pg_constraint f where f.confrelid = c.conrelid and f.contype = 'f')`,
      [target],
    );
    const key = rows[0];
    if (!key) return null;
    await client.query(`alter table ${target} drop constraint ${ident(key.name)}`);
    return key;
  }
}
