import type { MendMade } from "@/core/mend/remembered.ts";
import type { Queryable } from "./db.ts";

/** Mends that are told. */
const MOST = 500;

/**
 * The mends that were made in a feed: values that people have set to another value in records that were released. The
 * most frequent first.
 */
export async function mendsMade(db: Queryable, feed: string): Promise<MendMade[]> {
  const { rows } = await db.query<MendMade>(
    `with mended as (
       select h.load, h.writing, h.field_values, l.plan, m.key as field, m.value as "to"
       from sieve.held h join sieve.load l on l.id = h.load, jsonb_each_text(h.mended) m
       where h.feed = $1 and h.state = 'released' and h.mended is not null and h.expired_at is null and h.cells is not null
     ), placed as (
       -- Values stand in the order of the fields of the plan by which the record was held.
       select m.*, f.n - 1 as place from mended m join sieve.plan p on p.id = m.plan,
         jsonb_array_elements(p.document->'contract'->'fields') with ordinality f (field, n)
       where f.field->>'name' = m.field
     )
     select field, field_values->>(place::int) as "from", "to", count(*)::int as records, count(distinct load)::int as loads,
       count(distinct writing)::int as times
     from placed where field_values->>(place::int) <> "to"
     group by 1, 2, 3
     order by 4 desc, 1, 2, 3 limit ${MOST}`,
    [feed],
  );
  return rows;
}
