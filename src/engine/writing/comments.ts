import { targetFields } from "@/core/plan/target-fields.ts";
import type { Plan } from "@/core/plan/document.ts";
import { ident, literal, type Queryable } from "@/store/db.ts";
import { tableOf } from "./target.ts";

/**
 * What says in the database, of each column of a target of Good Sieve's own, what its field is called, where the plan
 * wants that and it is not said yet.
 */
export async function commentStatements(db: Queryable, plan: Plan): Promise<string[]> {
  const { comments = false, schema } = plan.load;
  if (!comments || schema !== undefined) return [];
  const { rows } = await db.query<{ name: string; says: string | null }>(
    `select attname as name, col_description(attrelid, attnum) as says from pg_attribute
     where attrelid = to_regclass($1) and attnum > 0 and not attisdropped`,
    [tableOf(plan)],
  );
  const said = new Map(rows.map((r) => [r.name, r.says]));
  return targetFields(plan).flatMap(({ name, title = "" }) =>
    title === "" || said.get(name) === title
      ? []
      : [`comment on column ${tableOf(plan)}.${ident(name)} is ${literal(title)}`],
  );
}
