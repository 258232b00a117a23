import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { FIRST_RETENTION } from "./retention.ts";
import { transaction, type Db, type Queryable } from "./db.ts";

export interface Feed {
  name: string;
  title: string;
  about: string;
}

export interface PlanVersion {
  id: number;
  feed: string;
  version: number | null;
  note: string;
  document: Plan;
  madeBy: string;
  madeAt: Date;
}

const PLAN = `id, feed, version, note, document, made_by as "madeBy", made_at as "madeAt"`;

export async function makeFeed(db: Queryable, feed: Feed): Promise<void> {
  const { bytesDays, ledgerDays, settledDays, undoLoads } = FIRST_RETENTION;
  await db.query(
    `with made as (insert into sieve.feed (name, title, about) values ($1, $2, $3) on conflict (name) do nothing returning name)
     insert into sieve.retention (feed, bytes_days, ledger_days, settled_days, undo_loads, made_by)
     select name, $4, $5, $6, $7, 'with the feed' from made`,
    [feed.name, feed.title, feed.about, bytesDays, ledgerDays, settledDays, undoLoads],
  );
}

export async function listFeeds(db: Queryable): Promise<Feed[]> {
  return (await db.query<Feed>("select name, title, about from sieve.feed order by title")).rows;
}

/** Throws `no-feed`. */
export async function getFeed(db: Queryable, name: string): Promise<Feed> {
  const { rows } = await db.query<Feed>("select name, title, about from sieve.feed where name = $1", [name]);
  if (rows[0]) return rows[0];
  const known = (await listFeeds(db)).map((f) => f.name);
  throw new SieveError("no-feed", `There is no feed “${name}”.`, {
    detail: known.length > 0 ? `The feeds are ${known.join(", ")}.` : "There are no feeds yet.",
    hint: "Check the name.",
  });
}

/** The names of the fields of a plan `p` in their order, in SQL. */
export const FIELD_NAMES =
  "array(select f->>'name' from jsonb_array_elements(p.document->'contract'->'fields') with ordinality x (f, n) order by n)";

/** The plan in force: the feed's newest version. Throws `no-plan`. */
export async function planInForce(db: Queryable, feed: string): Promise<PlanVersion> {
  const { rows } = await db.query<PlanVersion>(
    `select ${PLAN} from sieve.plan where feed = $1 and version is not null order by version desc limit 1`,
    [feed],
  );
  if (!rows[0]) throw new SieveError("no-plan", `The feed “${feed}” has no plan yet.`, { hint: "Save a plan first." });
  return rows[0];
}

export async function getPlan(db: Queryable, id: number): Promise<PlanVersion> {
  const { rows } = await db.query<PlanVersion>(`select ${PLAN} from sieve.plan where id = $1`, [id]);
  if (!rows[0]) throw new SieveError("no-plan", `There is no plan ${id}.`);
  return rows[0];
}

export async function getPlanVersion(db: Queryable, feed: string, version: number): Promise<PlanVersion> {
  const { rows } = await db.query<PlanVersion>(`select ${PLAN} from sieve.plan where feed = $1 and version = $2`, [
    feed,
    version,
  ]);
  if (!rows[0]) throw new SieveError("no-plan", `The feed “${feed}” has no plan version ${version}.`);
  return rows[0];
}

export async function listPlans(
  db: Queryable,
  feed: string,
): Promise<(Omit<PlanVersion, "document"> & { loads: number })[]> {
  const { rows } = await db.query<Omit<PlanVersion, "document"> & { loads: number }>(
    `select p.id, p.feed, p.version, p.note, p.made_by as "madeBy", p.made_at as "madeAt",
       (select count(*) from sieve.load l where l.plan = p.id and l.kind = 'load')::int as loads
     from sieve.plan p where p.feed = $1 and p.version is not null order by p.version desc`,
    [feed],
  );
  return rows;
}

/**
 * Saves a plan as the feed's next version. `from` is the version that it was made from: when another
 * has come in the meantime nothing is saved and `plan-moved` is thrown.
 */
export async function savePlan(
  db: Db,
  feed: string,
  document: unknown,
  note: string,
  by: string,
  from?: number,
): Promise<PlanVersion> {
  const plan = parsePlan(document);
  if (plan.feed !== feed) {
    throw new SieveError("plan-invalid", `The plan is for the feed “${plan.feed}”, not “${feed}”.`);
  }
  return await transaction(db, async (client) => {
    await client.query("select 1 from sieve.feed where name = $1 for update", [feed]);
    const { rows: last } = await client.query<{ version: number }>(
      "select coalesce(max(version), 0)::int as version from sieve.plan where feed = $1",
      [feed],
    );
    const newest = last[0]!.version;
    if (from !== undefined && newest !== from) {
      throw new SieveError("plan-moved", `Version ${newest} was saved since you began from version ${from}.`, {
        hint: `Open version ${newest} and make the change there.`,
      });
    }
    const { rows } = await client.query<PlanVersion>(
      `insert into sieve.plan (feed, version, note, document, made_by) values ($1, $2, $3, $4, $5) returning ${PLAN}`,
      [feed, newest + 1, note, JSON.stringify(plan), by],
    );
    return rows[0]!;
  });
}

/** Keeps a plan that is only to be tried. */
export async function keepDraft(db: Queryable, feed: string, document: unknown): Promise<PlanVersion> {
  const plan = parsePlan(document);
  const { rows } = await db.query<PlanVersion>(
    `insert into sieve.plan (feed, version, note, document) values ($1, null, 'a draft', $2) returning ${PLAN}`,
    [feed, JSON.stringify(plan)],
  );
  return rows[0]!;
}
