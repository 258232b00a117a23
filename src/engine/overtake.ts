import type { Field, Plan } from "@/core/plan/schema.ts";
import { ident, type Client } from "@/store/db.ts";
import { noteBefore } from "@/store/writings.ts";
import { columnOf, tableOf } from "./target.ts";
import { WRITING, type Writing } from "./writing.ts";

/** Types whose values, once they have passed, are written as the database reads them; dates and the like are not. */
const PLAIN: readonly Field["type"][] = ["text", "code", "integer", "decimal"];

/**
 * That the row `t` of a plan's target has the key of the held record `h`, in SQL; null where that can't be told in the
 * database. `fields`: those of the plan by which the record was held; a key that is not of its type meets nothing.
 */
export function heldMeetsRow(plan: Plan, fields: readonly Field[]): string | null {
  const key = plan.load.key.map((name) => ({ name, at: fields.findIndex((f) => f.name === name) }));
  if (key.length === 0 || key.some(({ at }) => at < 0 || !PLAIN.includes(fields[at]!.type))) return null;
  const faulty = key.map(({ name }) => `'${name}:type'`).join(", ");
  // What a person has typed may be anything.
  const typed = key.map(({ name }) => `'${name}'`).join(", ");
  const sound = `h.cells is not null and not coalesce(h.mended ?| array[${typed}], false) and not h.checks && array[${faulty}]`;
  return key
    .map(({ name, at }) => {
      const { type } = columnOf(fields[at]!);
      return `t.${ident(name)} = case when ${sound} then nullif(h.field_values->>${at}, '')::${type} end`;
    })
    .join(" and ");
}

/** Held records of a feed's earlier loads whose key a load has just written are overtaken by it. Returns how many. */
export async function overtakeHeld(client: Client, writing: Writing): Promise<number> {
  const { feed, load, plan } = writing.about;
  const { rows: plans } = await client.query<{ id: number; fields: Field[] }>(
    `select p.id, p.document->'contract'->'fields' as fields from sieve.plan p where p.id in (
       select l.plan from sieve.load l where l.id in (select distinct load from sieve.held where feed = $1 and state = 'held' and load < $2))`,
    [feed, load],
  );
  await client.query("create temp table overtaken_records (load integer, record integer) on commit drop");
  for (const { id, fields } of plans) {
    const meets = heldMeetsRow(plan, fields);
    if (meets === null) continue;
    await client.query(
      `insert into overtaken_records select h.load, h.record from sieve.held h join sieve.load l on l.id = h.load and l.plan = ${id}
         join ${tableOf(plan)} t on ${meets}
       where h.feed = $1 and h.state = 'held' and h.load < $2 and t.${ident(WRITING)} = ${writing.id}`,
      [feed, load],
    );
  }
  await noteBefore(client, writing.id, "held", "(r.load, r.record) in (select load, record from overtaken_records)");
  const { rowCount } = await client.query(
    `update sieve.held h set state = 'overtaken', writing = ${writing.id} from overtaken_records o
     where h.load = o.load and h.record = o.record`,
  );
  return rowCount ?? 0;
}
