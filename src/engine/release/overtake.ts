import pg from "pg";
import { printCheck } from "@/core/check/identity.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { ident, withSettings, type Client } from "@/store/db.ts";
import { noteBefore } from "@/store/writings.ts";
import { columnOf } from "../writing/target.ts";
import { WRITING, type Writing } from "../writing/writing.ts";

/** Types whose values, once they have passed, are written as the database reads them; dates and the like are not. */
const PLAIN: readonly Field["type"][] = ["text", "code", "integer", "decimal"];

/**
 * That the row `t` of a plan's target has the key of the held record `h`, in SQL; null where that can't be told in the
 * database. `fields`: those of the plan by which the record was held; a key that is not of its type meets nothing.
 */
export function heldMeetsRow(plan: Plan, fields: readonly Field[]): string | null {
  const key = heldKey(plan, fields);
  return key && plan.load.key.map((name, i) => `t.${ident(name)} = ${key[i]!}`).join(" and ");
}

/** The key of the held record `h` in SQL, by field of the plan's key; null where that can't be told in the database. */
function heldKey(plan: Plan, fields: readonly Field[]): string[] | null {
  const key = plan.load.key.map((name) => ({ name, at: fields.findIndex((f) => f.name === name) }));
  if (key.length === 0 || key.some(({ at }) => at < 0 || !PLAIN.includes(fields[at]!.type))) return null;
  const faulty = key.map(({ name }) => `'${printCheck({ kind: "field", fields: [name], check: "type" })}'`).join(", ");
  // What a person has typed may be anything.
  const typed = key.map(({ name }) => `'${name}'`).join(", ");
  const sound = `h.cells is not null and not coalesce(h.mended ?| array[${typed}], false) and not h.checks && array[${faulty}]`;
  return key.map(({ at }) => {
    const { type } = columnOf(fields[at]!);
    return `case when ${sound} then nullif(h.field_values->>${at}, '')::${type} end`;
  });
}

/**
 * The load, the record and the key of a feed's held records, as a query; null where there are none, or their keys can't
 * be told in the database. `where`: a condition about the held record `h`.
 */
export async function keysOfHeld(
  client: Client,
  { feed, plan, where }: { feed: string; plan: Plan; where: string },
): Promise<string | null> {
  const of = `h.feed = ${pg.escapeLiteral(feed)} and ${where}`;
  const { rows: plans } = await client.query<{ id: number; fields: Field[] }>(
    `select p.id, p.document->'contract'->'fields' as fields from sieve.plan p
     where p.id in (select l.plan from sieve.load l where l.id in (select distinct h.load from sieve.held h where ${of}))`,
  );
  const own = plans.flatMap(({ id, fields }) => {
    const values = heldKey(plan, fields);
    if (!values) return [];
    const list = values.map((v, i) => `${v} as ${ident(plan.load.key[i]!)}`).join(", ");
    return `select h.load, h.record, ${list} from sieve.held h join sieve.load l on l.id = h.load and l.plan = ${id} where ${of}`;
  });
  return own.length === 0 ? null : own.join(" union all ");
}

/**
 * Held records of a feed's earlier loads whose key a load has just written are overtaken by it. `staging`: the load's
 * staged records.
 */
export async function overtakeHeld(client: Client, writing: Writing, staging: string): Promise<void> {
  const { feed, load, plan } = writing.about;
  const { key } = plan.load;
  const names = key.map((k) => ident(k)).join(", ");
  const keys = await keysOfHeld(client, { feed, plan, where: `h.state = 'held' and h.load < ${load}` });
  if (keys === null) return;
  await client.query(`create temp table held_keys on commit drop as ${keys}`);
  await client.query("analyze held_keys");
  // What the load has brought is met first, for nothing is known yet of which rows of the target are its own.
  const { rows } = await client.query<{ there: boolean }>("select to_regclass($1) is not null as there", [staging]);
  const brought = rows[0]!.there ? staging : writing.table;
  await withSettings(client, { enable_nestloop: "off", jit: "off" }, () =>
    client.query(
      `create temp table overtaken_records on commit drop as select k.* from held_keys k join (select ${names} from ${brought}) s using (${names})`,
    ),
  );
  const row = key.map((k) => `t.${ident(k)} = o.${ident(k)}`).join(" and ");
  await withSettings(client, { enable_hashjoin: "off", enable_mergejoin: "off", jit: "off" }, () =>
    client.query(
      `delete from overtaken_records o where not exists (
         select from ${writing.table} t where ${row} and t.${ident(WRITING)} = ${writing.id})`,
    ),
  );
  await client.query("analyze overtaken_records");
  await noteBefore(client, writing.id, "held", "(r.load, r.record) in (select load, record from overtaken_records)");
  await client.query(
    `update sieve.held h set state = 'overtaken', writing = ${writing.id} from overtaken_records o
     where h.load = o.load and h.record = o.record`,
  );
}
