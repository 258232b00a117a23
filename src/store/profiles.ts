import type { Profile } from "@/core/profile/facts.ts";
import type { ReadSection } from "@/core/plan/document.ts";
import { SieveError, problemParts } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "./db.ts";
import { enqueueProfile } from "./queue.ts";

/** A profile of a delivery, done or on its way. */
export interface StoredProfile {
  id: number;
  feed: string;
  delivery: number;
  read: ReadSection | null;
  state: "queued" | "running" | "done" | "failed";
  bytesSoFar: number;
  bytesTotal: number;
  recordsSoFar: number;
  document: Profile | null;
  error: { code: string; message: string; detail: string; hint: string } | null;
  askedAt: Date;
}

const PROFILE = `id, feed, delivery, read, state, bytes_so_far as "bytesSoFar", bytes_total as "bytesTotal",
  records_so_far as "recordsSoFar", document, error, asked_at as "askedAt"`;

/** Asks for a profile; gives the one that is there already when the files were to be read the same way. */
export async function askForProfile(db: Db, delivery: number, read: ReadSection | null): Promise<number> {
  return await transaction(db, async (client) => {
    const { rows: there } = await client.query<{ id: number }>(
      `select id from sieve.profile where delivery = $1 and read is not distinct from $2::jsonb and state <> 'failed'
       order by id desc limit 1`,
      [delivery, read === null ? null : JSON.stringify(read)],
    );
    if (there[0]) return there[0].id;
    const { rows } = await client.query<{ id: number }>(
      `insert into sieve.profile (feed, delivery, read, bytes_total)
       select d.feed, d.id, $2, (select coalesce(sum(bytes), 0) from sieve.delivery_file f where f.delivery = d.id)
       from sieve.delivery d where d.id = $1 returning id`,
      [delivery, read === null ? null : JSON.stringify(read)],
    );
    if (!rows[0]) throw new SieveError("no-delivery", `There is no delivery ${delivery}.`);
    await enqueueProfile(client, rows[0].id);
    return rows[0].id;
  });
}

/** Throws `no-profile`. */
export async function getProfile(db: Queryable, id: number): Promise<StoredProfile> {
  const { rows } = await db.query<StoredProfile>(`select ${PROFILE} from sieve.profile where id = $1`, [id]);
  if (!rows[0]) throw new SieveError("no-profile", `There is no profile ${id}.`);
  return rows[0];
}

/** The newest profile of each of a feed's deliveries that is done, the newest delivery first. */
export async function profilesOf(
  db: Queryable,
  feed: string,
  limit = 24,
): Promise<(StoredProfile & { names: string })[]> {
  const { rows } = await db.query<StoredProfile & { names: string }>(
    `select distinct on (delivery) ${PROFILE},
       (select string_agg(name, ', ' order by position) from sieve.delivery_file f where f.delivery = p.delivery) as names
     from sieve.profile p where feed = $1 and state = 'done' order by delivery desc, id desc limit $2`,
    [feed, limit],
  );
  return rows;
}

/** False when the profile is done, or being made by another. */
export async function beginProfile(db: Queryable, id: number): Promise<boolean> {
  const { rowCount } = await db.query(
    "update sieve.profile set state = 'running', records_so_far = 0, bytes_so_far = 0 where id = $1 and state in ('queued', 'running')",
    [id],
  );
  return rowCount === 1;
}

export async function profileProgress(db: Queryable, id: number, records: number, bytes: number): Promise<void> {
  await db.query("update sieve.profile set records_so_far = $2, bytes_so_far = $3 where id = $1", [id, records, bytes]);
}

export async function endProfile(db: Queryable, id: number, end: Profile | { failed: unknown }): Promise<void> {
  const failed = "failed" in end;
  await db.query(
    "update sieve.profile set state = $2, document = $3, error = $4, ended_at = clock_timestamp() where id = $1",
    [
      id,
      failed ? "failed" : "done",
      failed ? null : JSON.stringify(end),
      failed ? JSON.stringify(problemParts(end.failed)) : null,
    ],
  );
}
