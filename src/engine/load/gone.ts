import { printCheck } from "@/core/check/identity.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import type { GoneRows } from "@/core/gate/part.ts";
import type { Gone } from "@/core/plan/gone.ts";
import { byHash, ident, type Client } from "@/store/db.ts";
import { lockReferring, referringKeys, refersTo } from "../writing/existing-table.ts";
import type { Expected } from "../writing/reconcile.ts";
import { columnsByName, staged, tableOf } from "../writing/target.ts";
import type { Writing } from "../writing/writing.ts";

/** The keys that came with a delivery, sound or held, and the values by which rows are looked for. */
const CAME = "came_now";
const CAME_WITHIN = "came_within";

interface Looked {
  readonly client: Client;
  readonly feed: string;
  readonly compiled: Compiled;
  /** Quoted names of the staged records' table and of that of the held ones. */
  readonly staging: string;
  readonly stagingHeld: string;
}

/**
 * The rows of a target that do not come any more: those that loads of the feed wrote, and whose key no record of the
 * delivery has, be it held. To be made before records are taken out of staging, in the closing transaction.
 */
export class GoneFromTarget {
  private constructor(
    private readonly of: Looked,
    private readonly gone: Gone,
    private readonly unsure: number,
  ) {}

  /** Null where the plan does not look for them. */
  static async look(of: Looked): Promise<GoneFromTarget | null> {
    const { gone, key } = of.compiled.plan.load;
    if (!gone) return null;
    // A table of others that no load has written yet has no rows of any.
    if (!(await columnsByName(of.client, tableOf(of.compiled.plan))).has("_load")) return null;
    const unsure = await noteKeys(of, key);
    if (gone.within) {
      const columns = await columnsByName(of.client, tableOf(of.compiled.plan));
      const values = gone.within.map((n) => `${staged(n, columns.get(n))} as ${ident(n)}`).join(", ");
      await of.client.query(
        `create temp table ${CAME_WITHIN} on commit drop as select distinct ${values} from ${of.staging} s`,
      );
    }
    return new GoneFromTarget(of, gone, unsure);
  }

  /** Where it is not known which rows held records are of, none is touched unless the plan says so. */
  private get left(): boolean {
    return this.unsure > 0 && this.gone.unsure === "leave";
  }

  /** Conditions of a row `t` that is looked for. */
  private get scope(): string {
    const { gone, of } = this;
    const same = (gone.within ?? []).map((n) => `w.${ident(n)} is not distinct from t.${ident(n)}`);
    return [
      `t."_load" in (select id from sieve.load where feed = ${of.client.escapeLiteral(of.feed)})`,
      ...(same.length > 0 ? [`exists (select from ${CAME_WITHIN} w where ${same.join(" and ")})`] : []),
      ...(gone.do === "mark" ? [`t.${ident(gone.field)} is null`] : []),
    ].join(" and ");
  }

  /** That no record of the delivery has the key of the row `t`. */
  private get absent(): string {
    const { key } = this.of.compiled.plan.load;
    return `not exists (select from ${CAME} c where ${key.map((k) => `c.${ident(k)} = t.${ident(k)}`).join(" and ")})`;
  }

  /** That another table refers to the row `t`, or null where none can. */
  private async referred(): Promise<string | null> {
    const keys = await referringKeys(this.of.client, tableOf(this.of.compiled.plan));
    if (this.gone.do !== "remove" || keys.length === 0) return null;
    return keys.map((k) => `exists (select from ${k.child} c where ${refersTo(k)})`).join(" or ");
  }

  /** How many there are. */
  async count(): Promise<GoneRows> {
    const { client, compiled } = this.of;
    const referred = await this.referred();
    const { rows } = await byHash(client, () =>
      client.query<{ of: number; rows: number; referred: number }>(
        `select count(*)::int as of, count(*) filter (where x.gone)::int as rows,
           count(*) filter (where x.gone and x.referred)::int as referred
         from (select ${this.absent} as gone, ${referred ? `(${referred})` : "false"} as referred
           from ${tableOf(compiled.plan)} t where ${this.scope}) x`,
      ),
    );
    return { did: this.gone.do, ...rows[0]!, unsure: this.unsure, left: this.left };
  }

  /** The marks that rows will get, as what the target must have afterwards. To be asked before the first of them. */
  async expect(expected: Expected): Promise<void> {
    const { gone, of } = this;
    if (gone.do !== "mark" || this.left) return;
    const columns = expected.columns((n) => (n === gone.field ? `${this.day}` : `t.${ident(n)}`));
    await byHash(of.client, () =>
      of.client.query(
        `create temp table gone_now on commit drop as
         select ${columns} from ${tableOf(of.compiled.plan)} t where ${this.scope} and ${this.absent}`,
      ),
    );
    expected.add("select * from gone_now");
  }

  /** Removes them, or marks them; rows that others refer to are never removed. */
  async write(writing: Writing): Promise<void> {
    if (this.left) return;
    const { gone, of } = this;
    const { client } = of;
    if (gone.do === "remove") await lockReferring(client, await referringKeys(client, writing.table));
    const referred = await this.referred();
    const which = [this.scope, this.absent, ...(referred ? [`not (${referred})`] : [])].join(" and ");
    await byHash(client, () =>
      client.query(
        `create temp table gone_rows on commit drop as
         select t.ctid as place, t.tableoid as part from ${writing.table} t where ${which}`,
      ),
    );
    await client.query("analyze gone_rows");
    const places = "select place, part from gone_rows";
    if (gone.do === "remove") await writing.remove(places);
    else await writing.mark(places, gone.field, this.day);
  }

  /** The day of the load, as SQL. */
  private get day(): string {
    return `date '${this.of.compiled.day ?? ""}'`;
  }
}

/** Notes the keys that came; gives how many held records have none that is known. */
async function noteKeys({ client, compiled, staging, stagingHeld }: Looked, key: readonly string[]): Promise<number> {
  const columns = await columnsByName(client, tableOf(compiled.plan));
  const values = key.map((k) => `${staged(k, columns.get(k))} as ${ident(k)}`).join(", ");
  await client.query(`create temp table ${CAME} on commit drop as select ${values} from ${staging} s`);
  const places = key.map((k) => compiled.fields.findIndex((f) => f.name === k));
  const text = places.map((at) => `s.field_values ->> ${at}`);
  // A record that came twice has a key; any other fault of its key leaves open which row it is of.
  const once = [
    ...key.map((k) => printCheck({ kind: "field", fields: [k], check: "unique" })),
    printCheck({ kind: "field", fields: [...key], check: "unique" }),
  ];
  const known = `s.cells is not null and ${text.map((t) => `coalesce(${t}, '') <> ''`).join(" and ")}
    and not exists (select from jsonb_array_elements(s.problems) p
      where p->>'field' = any ($1) and p->>'onFailure' <> 'note' and p->>'check' <> all ($2))`;
  const typed = key.map((k, i) => `(${text[i]!})::${columns.get(k)?.type ?? "text"}`);
  await client.query(`insert into ${CAME} select ${typed.join(", ")} from ${stagingHeld} s where ${known}`, [
    [...key],
    once,
  ]);
  await client.query(`analyze ${CAME}`);
  const { rows } = await client.query<{ n: number }>(
    `select count(*)::int as n from ${stagingHeld} s where not (${known})`,
    [[...key], once],
  );
  return rows[0]!.n;
}
