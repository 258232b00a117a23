import { targetFields } from "@/core/plan/target-fields.ts";
import type { Plan } from "@/core/plan/document.ts";
import { valueOfText } from "@/core/type/of-text.ts";
import { ident, literal, type Queryable } from "@/store/db.ts";
import { columnOf, tableOf } from "./target.ts";

/** Whether an expression of the database has nothing in it but a value, so that it may be asked what it is. */
function isPlain(expression: string): boolean {
  const rest = expression
    .replace(/'(?:[^']|'')*'/g, "")
    .replace(/::[a-z ]+(?:\(\d+(?:,\d+)?\))?(?:\[\])?/g, "")
    .replace(/\b(?:true|false)\b|-?\d+(?:\.\d+)?/g, "");
  return /^[()\s]*$/.test(rest);
}

/**
 * What gives columns of a target of Good Sieve's own the defaults that its plan says, for rows that others add, and takes
 * those away that only an earlier version of the plan had said.
 */
export async function defaultStatements(db: Queryable, plan: Plan): Promise<string[]> {
  const { defaults = {}, schema } = plan.load;
  if (schema !== undefined) return [];
  const { rows } = await db.query<{ name: string; says: string; said: boolean }>(
    `select a.attname as name, pg_get_expr(d.adbin, d.adrelid) as says, exists (
         select from sieve.plan p, lateral (
           select p.document->'load' as l
           union all select jsonb_array_elements(coalesce(p.document->'load'->'further', '[]'))) t
         where p.feed = $2 and p.version is not null and l->>'target' = $3 and l->'defaults' ? a.attname::text) as said
     from pg_attrdef d join pg_attribute a on a.attrelid = d.adrelid and a.attnum = d.adnum
     where d.adrelid = to_regclass($1) and a.attgenerated = '' and not a.attisdropped order by a.attnum`,
    [tableOf(plan), plan.feed, plan.load.target],
  );
  const there = new Map(rows.map((r) => [r.name, r]));
  const table = tableOf(plan);
  const statements: string[] = [];
  for (const field of targetFields(plan)) {
    const { name } = field;
    const column = `alter table ${table} alter column ${ident(name)}`;
    const have = there.get(name);
    const text = defaults[name];
    if (text === undefined) {
      if (have?.said && isPlain(have.says)) statements.push(`${column} drop default`);
      continue;
    }
    const wanted = `${literal(valueOfText(field, text) ?? text)}::${columnOf(field).type}`;
    if (have && isPlain(have.says)) {
      const { rows: same } = await db.query<{ same: boolean }>(
        `select (${have.says})::text is not distinct from (${wanted})::text as same`,
      );
      if (same[0]!.same) continue;
    }
    statements.push(`${column} set default ${wanted}`);
  }
  return statements;
}
