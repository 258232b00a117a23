import { createHash } from "node:crypto";
import type { Plan } from "@/core/plan/document.ts";
import { ident, literal, type Queryable } from "@/store/db.ts";
import { tableOf, TARGET } from "./target.ts";

/** What an index says of itself that was made for a plan, by which it is known for one that may be taken away again. */
const MARK = "Made by Good Sieve for the plan of its table";
/** Bytes of a name in PostgreSQL. */
const LONGEST_NAME = 63;

/** The name of an index; of one that would be too long, its end tells it from others. */
function nameOf(target: string, fields: readonly string[]): string {
  const name = `${target}_by_${fields.join("_")}`;
  if (Buffer.byteLength(name) <= LONGEST_NAME) return name;
  const end = createHash("sha256").update(name).digest("hex").slice(0, 8);
  return `${Buffer.from(name)
    .subarray(0, LONGEST_NAME - 9)
    .toString()
    .replace(/\ufffd+$/, "")}_${end}`;
}

/**
 * What gives a target of Good Sieve's own the indexes that its plan says, and takes away those that a plan of before had
 * said. One that somebody else has made over the same columns serves as well, and is left.
 */
export async function indexStatements(db: Queryable, plan: Plan): Promise<string[]> {
  const { target, schema, indexes = [] } = plan.load;
  if (schema !== undefined) return [];
  const { rows } = await db.query<{ name: string; columns: string[]; ours: boolean }>(
    `select c.relname as name, obj_description(c.oid, 'pg_class') is not distinct from $2 as ours,
       array(select a.attname::text from unnest(i.indkey::int2[]) with ordinality k (n, at)
         join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.n order by k.at) as columns
     from pg_index i join pg_class c on c.oid = i.indexrelid join pg_am m on m.oid = c.relam
     where i.indrelid = to_regclass($1) and i.indisvalid and m.amname = 'btree' and i.indpred is null and i.indexprs is null
     order by 1`,
    [tableOf(plan), MARK],
  );
  const keyOf = (columns: readonly string[]): string => JSON.stringify(columns);
  const wanted = new Map(indexes.map((fields) => [keyOf(fields), fields]));
  const there = new Set(rows.map((r) => keyOf(r.columns)));
  return [
    ...rows.filter((r) => r.ours && !wanted.has(keyOf(r.columns))).map((r) => `drop index ${ident(TARGET, r.name)}`),
    ...[...wanted].flatMap(([key, fields]) => {
      // The key of a table that is still to be made has an index of its own.
      if (there.has(key) || key === keyOf(plan.load.key)) return [];
      const name = nameOf(target, fields);
      return [
        `create index ${ident(name)} on ${tableOf(plan)} (${fields.map((f) => ident(f)).join(", ")})`,
        `comment on index ${ident(TARGET, name)} is ${literal(MARK)}`,
      ];
    }),
  ];
}
