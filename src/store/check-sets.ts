import { CHECK_SET_LOCK } from "./locks.ts";
import type { CheckSet, SetCheck } from "@/core/plan/check-sets.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "./db.ts";

/** A set of checks at its newest version, and the feeds whose plans in force use it. */
export interface StoredCheckSet extends CheckSet {
  readonly note: string;
  readonly madeBy: string;
  readonly madeAt: Date;
  readonly used: readonly { readonly feed: string; readonly version: number }[];
}

export async function listCheckSets(db: Queryable): Promise<StoredCheckSet[]> {
  const { rows } = await db.query<StoredCheckSet>(
    `select distinct on (s.name) s.name, s.version, s.checks, s.note, s.made_by as "madeBy", s.made_at as "madeAt",
       coalesce((select jsonb_agg(distinct jsonb_build_object('feed', f.name, 'version', c->'from_set'->'version'))
         from sieve.feed f
         join lateral (select document from sieve.plan p where p.feed = f.name and p.version is not null
           order by p.version desc limit 1) p on true
         cross join lateral jsonb_array_elements(p.document->'check') c
         where c->'from_set'->>'name' = s.name), '[]') as used
     from sieve.check_set s order by s.name, s.version desc`,
  );
  return rows;
}

/** Saves a set's next version. Throws `set-moved` when somebody has changed it since. */
export async function saveCheckSet(
  db: Db,
  name: string,
  from: number,
  checks: readonly SetCheck[],
  note: string,
  by: string,
): Promise<number> {
  return await transaction(db, async (client) => {
    await client.query("select pg_advisory_xact_lock($1, hashtext($2))", [CHECK_SET_LOCK, name]);
    const { rows } = await client.query<{ version: number }>(
      "select coalesce(max(version), 0)::int as version from sieve.check_set where name = $1",
      [name],
    );
    const newest = rows[0]!.version;
    if (newest !== from) {
      throw new SieveError("set-moved", `The set ${name} is at version ${newest} by now, not ${from}.`, {
        hint: "Look at it again, and make the change once more.",
      });
    }
    await client.query(
      "insert into sieve.check_set (name, version, checks, note, made_by) values ($1, $2, $3, $4, $5)",
      [name, from + 1, JSON.stringify(checks), note, by],
    );
    return from + 1;
  });
}
