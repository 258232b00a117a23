import type { TableColumn } from "@/core/interop/table.ts";
import type { Plan } from "@/core/plan/document.ts";
import { byHash, byPlace, ident, type Client, type Queryable } from "@/store/db.ts";
import { targetPlans } from "@/core/plan/further.ts";
import { nextWriting, ownTransactions, putWriting, transactionNumber, type WritingKind } from "@/store/writings.ts";
import { copyOut } from "../copies/copies.ts";
import { assertWritten, columnsByName, recordColumns, sameKey, staged, tableOf, targetColumns } from "./target.ts";

/** The column of rows of a target that says which writing left them as they are. */
export const WRITING = "_writing";
/** Columns that rows of what a writing is about to write have besides the target's. */
export const PLACE = '"_ place"';
export const PART = '"_ part"';
export const DIFFERS = '"_ differs"';
export const KEPT = '"_ kept"';
/** Columns that rows as they were have besides the target's. */
export const DID = '"_ did"';
export const LEFT_AS = '"_ left as"';
/** False for a row whose version was somebody else's: whatever its column says, it is as no writing left it. */
export const OURS = '"_ ours"';

const UNDO = "undo";
/** More rows than these that a writing changes are kept in a table of their own. */
const MANY = 1000;

/** What a writing is, before it begins. */
export interface AboutWriting {
  readonly kind: WritingKind;
  readonly feed: string;
  readonly load: number;
  readonly plan: Plan;
  /** The number of the plan's version. */
  readonly planId: number;
  readonly by: string;
  readonly reason?: string;
  readonly undoes?: number;
  /** The number that it shares with other writings of the same act; its own unless said. */
  readonly act?: number;
}

/** Whether a writing that replaces rows knows how many those were; where all go and none is kept, nobody counts them. */
export function countsRemoved(plan: Plan): boolean {
  return plan.load.slice !== undefined || keepsBefore(plan);
}

/** The table in which the rows are that a writing found, where those were many. */
export function undoTable(writing: number): string {
  return ident(UNDO, `writing ${writing}`);
}

/** Whether rows of the target are kept as they were before the plan's loads change them. */
export function keepsBefore(plan: Plan): boolean {
  return plan.load.undo !== false;
}

/** Drops what an attempt at a load kept that came to no end. */
export async function dropKept(db: Queryable, writing: number): Promise<void> {
  await db.query(`drop table if exists ${undoTable(writing)}`);
}

/** The columns that tell a row of a plan's target from the others: the key, or the load and record that it came from. */
export function rowKey(plan: Plan): readonly string[] {
  return plan.load.key.length > 0 ? plan.load.key : ["_load", "_record"];
}

/** That rows under two aliases are the same row. */
export function sameRow(plan: Plan, a: string, b: string): string {
  return rowKey(plan)
    .map((k) => `${a}.${ident(k)} = ${b}.${ident(k)}`)
    .join(" and ");
}

/** Quoted names of the columns of a row that can be written. */
function keptColumns(columns: readonly TableColumn[]): string[] {
  return columns.filter((c) => !c.computed).map((c) => ident(c.name));
}

/**
 * A change of a target: everything that writes rows there goes through one of these, in the
 * transaction that holds the target locked against other writers (`lockTarget`). Rows are kept as they were before they are
 * changed or taken away, and carry the writing's number afterwards.
 */
export class Writing {
  inserted = 0;
  updated = 0;
  removed = 0;
  leftRows = 0;
  private many = false;
  private origins = 0;

  private constructor(
    readonly client: Client,
    readonly id: number,
    readonly about: AboutWriting,
    private readonly xids: string[],
    /** The transactions of all of the target's writings, this one too, as SQL. */
    readonly ours: string,
    /** Pages that the target had before. */
    readonly pages: number,
  ) {}

  /** `id`: a number that was taken before; `xids`: transactions before this one that wrote rows for it. */
  static async begin(
    client: Client,
    about: AboutWriting,
    { id, xids = [] }: { id?: number; xids?: readonly string[] } = {},
  ): Promise<Writing> {
    const all = [...new Set([...xids, await transactionNumber(client)])];
    const table = tableOf(about.plan);
    const ours = await ownTransactions(client, table, all);
    const { rows } = await client.query<{ pages: number }>(
      "select coalesce(pg_relation_size(to_regclass($1)) / current_setting('block_size')::int, 0)::int as pages",
      [table],
    );
    return new Writing(client, id ?? (await nextWriting(client)), about, all, ours, rows[0]!.pages);
  }

  get table(): string {
    return tableOf(this.about.plan);
  }

  /** Where rows are kept that this writing changes: beside many, a table of its own is faster. */
  private get form(): "table" | "rows" {
    return this.many || this.about.kind === "load" ? "table" : "rows";
  }

  /** How many rows are going to be written; to be said before the first of them. */
  expect(rows: number): void {
    this.many ||= rows > MANY;
  }

  /**
   * Keeps rows of the target as they are. `places` is a query that gives them as `place` and `part`, and
   * may say of each what was `did` and as whose it is `left_as`. `through`: another client that reads
   * the target while this one's writes.
   */
  async keep(places: string, did: "changed" | "removed" | "as told", through: Client = this.client): Promise<void> {
    if (!keepsBefore(this.about.plan)) return;
    const columns = keptColumns(await targetColumns(through, this.table));
    const from = `from (${places}) p join ${this.table} t on t.ctid = p.place and t.tableoid = p.part`;
    const values = columns.map((c) => `t.${c}`).join(", ");
    const [done, left] = did === "as told" ? ["p.did", "p.left_as"] : [`'${did}'::text`, "null::integer"];
    const ours = `t.xmin = any(${this.ours})`;
    if (this.form === "rows") {
      await byPlace(through, () =>
        through.query(
          `insert into sieve.row_before (writing, did, left_as, ours, document)
           select ${this.id}, ${done}, ${left}, ${ours}, row_to_json((select x from (select ${values}) x)) ${from}`,
        ),
      );
      return;
    }
    const there = (await targetColumns(through, undoTable(this.id))).length > 0;
    const all = `select ${values}, ${done} as ${DID}, ${left} as ${LEFT_AS}, ${ours} as ${OURS} ${from}`;
    await byPlace(through, () =>
      through.query(
        there
          ? `insert into ${undoTable(this.id)} (${[...columns, DID, LEFT_AS, OURS].join(", ")}) ${all}`
          : `create table ${undoTable(this.id)} as ${all}`,
      ),
    );
  }

  /** Notes rows that are about to come and carry another writing's number: `rows` gives their keys and as whose they are left. */
  async keepMade(rows: string): Promise<void> {
    const { client, id, about } = this;
    const key = rowKey(about.plan).map((k) => ident(k));
    if (this.form === "rows") {
      const document = `row_to_json((select x from (select ${key.map((k) => `r.${k}`).join(", ")}) x))`;
      await client.query(
        `insert into sieve.row_before (writing, did, left_as, document) select ${id}, 'made', r.${LEFT_AS}, ${document} from (${rows}) r`,
      );
      return;
    }
    if ((await targetColumns(client, undoTable(id))).length === 0) {
      const columns = keptColumns(await targetColumns(client, this.table));
      await client.query(
        `create table ${undoTable(id)} as select ${columns.map((c) => `t.${c}`).join(", ")}, ''::text as ${DID},
           null::integer as ${LEFT_AS}, true as ${OURS} from ${this.table} t limit 0`,
      );
    }
    const names = [...key, LEFT_AS].map((k) => `r.${k}`).join(", ");
    await client.query(
      `insert into ${undoTable(id)} (${[...key, LEFT_AS, DID].join(", ")}) select ${names}, 'made' from (${rows}) r`,
    );
  }

  /** That a row `t` of the target has the key of a staged record `s`; null where no key tells so. */
  private async comesAgain(): Promise<string | null> {
    const { key } = this.about.plan.load;
    const have = await columnsByName(this.client, this.table);
    return key.length > 0 && key.every((k) => have.has(k)) ? sameKey(key, have) : null;
  }

  /**
   * Keeps all of the target's rows, before they go. Those whose keys come again among the records that are `coming` are
   * kept as changed, not as removed: who deletes such a row later has deleted the record, which an undo does not bring
   * back unasked.
   */
  async keepAll(coming: string): Promise<void> {
    const { client, table } = this;
    if (!keepsBefore(this.about.plan)) return;
    const columns = keptColumns(await targetColumns(client, table));
    const again = await this.comesAgain();
    const { rowCount } = await byHash(client, () =>
      client.query(
        `create table ${undoTable(this.id)} as select ${columns.map((c) => `t.${c}`).join(", ")},
           case when ${again === null ? "true" : 's."_record" is null'} then 'removed' else 'changed' end as ${DID},
           null::integer as ${LEFT_AS}, t.xmin = any(${this.ours}) as ${OURS}
         from ${table} t${again === null ? "" : ` left join ${coming} s on ${again}`}`,
      ),
    );
    this.removed += rowCount ?? 0;
  }

  /**
   * Keeps the target's table itself, as that of the records that are `coming` takes its place; where there is none, nothing
   * is kept. Its rows are kept as with `keepAll`.
   */
  async keepTable(coming: string): Promise<void> {
    const { client, table, about } = this;
    if ((await targetColumns(client, table)).length === 0) return;
    // Where rows are only added, the table whose place is taken is empty.
    if (!keepsBefore(about.plan) || about.plan.load.mode !== "replace") {
      await client.query(`drop table ${table}`);
      return;
    }
    // Its key's index would stand in the way of the next one that is kept.
    const { rows } = await client.query<{ name: string }>(
      "select conname as name from pg_constraint where conrelid = to_regclass($1) and contype = 'p'",
      [table],
    );
    if (rows[0]) await client.query(`alter table ${table} drop constraint ${ident(rows[0].name)}`);
    const count = await client.query<{ n: number }>(`select count(*)::int as n from ${table}`);
    this.removed += count.rows[0]!.n;
    const again = await this.comesAgain();
    await client.query(
      `alter table ${table} add column ${DID} text default '${again === null ? "removed" : "changed"}', add column ${LEFT_AS} integer, add column ${OURS} boolean default true`,
    );
    // Before anything else is changed: a row that is written here is then of this transaction.
    await client.query(`update ${table} t set ${OURS} = false where not t.xmin = any(${this.ours})`);
    // Few keys do not come again, and only their rows are written for it.
    if (again !== null) {
      await byHash(client, () =>
        client.query(
          `update ${table} t set ${DID} = 'removed' where not exists (select from ${coming} s where ${again})`,
        ),
      );
    }
    await client.query(`alter table ${table} set schema ${ident(UNDO)}`);
    await client.query(`alter table ${ident(UNDO, about.plan.load.target)} rename to ${ident(`writing ${this.id}`)}`);
  }

  /**
   * Puts rows into the target: `from` is a query that gives the values in the order of `columns`, quoted names, then
   * load, record and this writing's number. `expected`: how many, or a query that gives that as `n`; null where
   * the caller holds `inserted` against what it knows.
   */
  private async insert(columns: readonly string[], from: string, expected: number | string | null): Promise<void> {
    const { client, about, table } = this;
    const { rowCount } = await client.query(
      `insert into ${table} (${[...columns, `"_load"`, `"_record"`, ident(WRITING)].join(", ")}) ${from}`,
    );
    const written = rowCount ?? 0;
    if (expected !== null) assertWritten(about.plan, "inserted", written, await this.count(expected));
    this.inserted += written;
  }

  /** Puts staged records into the target; `from` is a from-clause of them as `s`. `load`: whose they are. */
  async insertStaged(from: string, expected: number | string | null, load = this.about.load): Promise<void> {
    const names = recordColumns(this.about.plan);
    const have = await columnsByName(this.client, this.table);
    const values = names.map((n) => staged(n, have.get(n))).join(", ");
    await this.insert(
      names.map((n) => ident(n)),
      `select ${values}, ${load}, s."_record", ${this.id} from ${from}`,
      expected,
    );
  }

  /**
   * Changes rows at their places to what was found by `meet` for those that differ. With `origin` a changed row is
   * the record's from now on; with `sure` the caller holds `updated` against what it knows.
   */
  async change(
    met: string,
    columns: readonly string[],
    { origin, sure }: { origin: boolean; sure: boolean },
  ): Promise<void> {
    const { client, id, about, table } = this;
    const set = [
      ...columns.map((n) => `${ident(n)} = m.${ident(n)}`),
      ...(origin ? [`"_load" = ${about.load}`, `"_record" = m."_record"`] : []),
      `${ident(WRITING)} = ${id}`,
    ];
    const { rowCount } = await byPlace(client, () =>
      client.query(
        `update ${table} t set ${set.join(", ")} from ${met} m
         where t.ctid = m.${PLACE} and t.tableoid = m.${PART} and m.${DIFFERS}`,
      ),
    );
    const written = rowCount ?? 0;
    const query = `select count(*)::int as n from ${met} where ${DIFFERS}`;
    if (!sure) assertWritten(about.plan, "updated", written, await this.count(query));
    this.updated += written;
  }

  private async count(expected: number | string): Promise<number> {
    if (typeof expected === "number") return expected;
    return (await this.client.query<{ n: number }>(expected)).rows[0]!.n;
  }

  /** Keeps the rows that `meet` found as they are, those that will be changed. */
  async keepMet(met: string, through: Client = this.client): Promise<void> {
    await this.keep(`select ${PLACE} as place, ${PART} as part from ${met} where ${DIFFERS}`, "changed", through);
  }

  /** Gives a column of rows one value, in SQL; they stay of the records that they came from. `places` as in `remove`. */
  async mark(places: string, column: string, value: string): Promise<void> {
    await this.keep(places, "changed");
    const { rowCount } = await byPlace(this.client, () =>
      this.client.query(
        `update ${this.table} t set ${ident(column)} = ${value}, ${ident(WRITING)} = ${this.id} from (${places}) p
         where t.ctid = p.place and t.tableoid = p.part`,
      ),
    );
    this.updated += rowCount ?? 0;
  }

  /** Takes rows of the target away; `places` is a query that gives them as `place` and `part`, and as told by `did` what `keep` asks for. */
  async remove(places: string, did: "removed" | "as told" = "removed"): Promise<void> {
    await this.keep(places, did);
    const { rowCount } = await byPlace(this.client, () =>
      this.client.query(
        `delete from ${this.table} t using (${places}) p where t.ctid = p.place and t.tableoid = p.part`,
      ),
    );
    this.removed += rowCount ?? 0;
  }

  /**
   * Gives rows that nothing tells from others (the target has no key, and another program put them
   * there) a load and a record below 0, so that they can be found again. Gives their new places.
   */
  async giveOrigins(places: readonly string[]): Promise<Map<string, string>> {
    const found = new Map<string, string>();
    if (this.about.plan.load.key.length > 0 || places.length === 0) return found;
    const { rows } = await this.client.query<{ was: string; now: string }>(
      `update ${this.table} t set "_load" = ${this.about.load}, "_record" = -x.n - ${this.origins}
       from unnest($1::tid[]) with ordinality x (place, n) where t.ctid = x.place and t."_load" is null
       returning x.place::text as was, t.ctid::text as now`,
      [places],
    );
    this.origins += places.length;
    for (const { was, now } of rows) found.set(was, now);
    return found;
  }

  /** Writes down what the writing was and did, and brings it into the copies of the target. */
  async end(): Promise<void> {
    const { about, id, table, xids, inserted, updated, removed, leftRows } = this;
    await putWriting(this.client, {
      id,
      kind: about.kind,
      feed: about.feed,
      target: table,
      load: about.load,
      plan: about.planId,
      act: about.act ?? id,
      undoes: about.undoes ?? null,
      by: about.by,
      reason: about.reason ?? "",
      xids,
      inserted,
      updated,
      removed,
      leftRows,
    });
    await copyOut({ client: this.client, id, table, key: about.plan.load.key, kept: undoTable(id), did: DID });
  }
}

/**
 * Locks a feed, then its targets in the order of their names, for a writing: in this order wherever something writes. With
 * `only` the feed, for what writes nothing. Returns whether the plan's own target is there.
 */
export async function lockTarget(client: Client, feed: string, plan: Plan, only?: "the feed"): Promise<boolean> {
  await client.query("select 1 from sieve.feed where name = $1 for update", [feed]);
  const own = tableOf(plan);
  let exists = false;
  for (const table of targetPlans(plan).map(tableOf).sort()) {
    const there = (await targetColumns(client, table)).length > 0;
    if (there && !only) await client.query(`lock table ${table} in share row exclusive mode`);
    if (table === own) exists = there;
  }
  return exists;
}
