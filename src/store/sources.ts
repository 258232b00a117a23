import { z } from "zod";
import { SieveError, problemParts } from "@/core/kernel/problem.ts";
import { LONGEST_SENDER } from "@/core/plan/senders.ts";
import { CONNECTION_NAME } from "@/core/write/files/destination.ts";
import type { Queryable } from "./db.ts";

const connection = z.string().regex(CONNECTION_NAME, "The name of a connection");

const sender = z.string().trim().min(1).max(LONGEST_SENDER).optional();

/** Stands in an inbox's sender for the folder below in which a file lies. */
export const OF_FOLDER = "{folder}";

/** What a source of each kind needs to know. No secrets: those are in the connection that it names. */
export const SOURCE_OPTIONS = {
  inbox: z.strictObject({
    folder: z
      .string()
      .regex(/^[A-Za-z0-9_-][A-Za-z0-9_.-]{0,80}$/, "A folder's name, without slashes")
      .describe("A folder below the inbox folder of the worker"),
    pattern: z
      .string()
      .min(1)
      .max(200)
      .default("*")
      .describe("Names of files that are taken: * for anything, ? for one character"),
    sender: sender.describe(
      `Who sends them; with ${OF_FOLDER} the folders below are looked into as well, and it stands for the name of the one in which a file lies`,
    ),
  }),
  outbox: z.strictObject({
    address: z
      .url({ protocol: /^https?$/ })
      .max(500)
      .refine((a) => !/^https?:\/\/[^/]*@/.test(a), "An address here has no password: name a connection that has it")
      .describe("Where the partner's list of files begins"),
    connection: connection.optional().describe("The connection that has the credentials for it, where it asks for any"),
    pattern: z.string().min(1).max(200).default("*"),
    sender: sender.describe("Who sends what is in it"),
  }),
  query: z.strictObject({
    connection: connection.describe("The connection to the database"),
    sql: z
      .string()
      .min(1)
      .max(10_000)
      .describe(
        "A query that only reads; current_setting('sieve.since') is the parameter since of the plan in force, as that has it",
      ),
    cursor: z
      .string()
      .regex(/^[A-Za-z_][A-Za-z0-9_]{0,62}$/)
      .describe("A column of the query that only grows; records past the greatest one taken are new"),
    back_seconds: z
      .string()
      .regex(/^\d{1,7}$/)
      .optional()
      .describe(
        "Where the column is a time: each look goes back so far and takes those records again, instead of waiting for transactions that are still writing",
      ),
    sender: sender.describe("Who sends what it gives"),
  }),
} as const;
export type SourceKind = keyof typeof SOURCE_OPTIONS;

export interface Source {
  id: number;
  feed: string;
  kind: SourceKind;
  options: Record<string, string>;
  everySeconds: number;
  lookedAt: Date | null;
  error: { message: string; detail: string; hint: string } | null;
  reached: string | null;
}

export interface Taken {
  item: string;
  mark: string;
  delivery: number | null;
  load: number | null;
  note: string;
  takenAt: Date;
}

const SOURCE = `id, feed, kind, options, every_seconds as "everySeconds", looked_at as "lookedAt", error, reached`;

/** Makes a source. Throws ZodError for options that do not fit its kind. */
export async function makeSource(
  db: Queryable,
  feed: string,
  kind: SourceKind,
  options: unknown,
  everySeconds: number,
  by: string,
): Promise<number> {
  const fit = SOURCE_OPTIONS[kind].parse(options);
  const { rows } = await db.query<{ id: number }>(
    "insert into sieve.source (feed, kind, options, every_seconds, made_by) values ($1, $2, $3, $4, $5) returning id",
    [feed, kind, JSON.stringify(fit), everySeconds, by],
  );
  return rows[0]!.id;
}

/** Takes a source away, and what is known of what it gave; the deliveries stay. */
export async function dropSource(db: Queryable, id: number): Promise<void> {
  const { rowCount } = await db.query("delete from sieve.source where id = $1", [id]);
  if (rowCount === 0) throw new SieveError("no-source", `There is no source ${id}.`);
}

export async function listSources(db: Queryable, feed: string): Promise<(Source & { taken: number; last: Taken[] })[]> {
  const { rows } = await db.query<Source & { taken: number; last: Taken[] }>(
    `select ${SOURCE}, (select count(*)::int from sieve.taken t where t.source = s.id) as taken,
       coalesce((select jsonb_agg(x) from (select item, mark, delivery, load, note, taken_at as "takenAt" from sieve.taken t
         where t.source = s.id order by taken_at desc limit 5) x), '[]') as last
     from sieve.source s where feed = $1 order by id`,
    [feed],
  );
  return rows;
}

/** Sources that are to be looked at now, each claimed for its time by the one who asks. */
export async function claimDue(db: Queryable, only?: number): Promise<Source[]> {
  const { rows } = await db.query<Source>(
    `update sieve.source set looked_at = clock_timestamp() where id in (
       select id from sieve.source where id = $1 or ($1 is null
         and (looked_at is null or looked_at < now() - make_interval(secs => every_seconds)))
       for update skip locked)
     returning ${SOURCE}`,
    [only ?? null],
  );
  return rows;
}

export async function isTaken(db: Queryable, source: number, item: string, mark: string): Promise<boolean> {
  const { rows } = await db.query<{ known: boolean }>(
    "select exists (select from sieve.taken where source = $1 and item = $2 and mark = $3) as known",
    [source, item, mark],
  );
  return rows[0]!.known;
}

export async function noteTaken(db: Queryable, source: number, taken: Omit<Taken, "takenAt">): Promise<void> {
  await db.query(
    `insert into sieve.taken (source, item, mark, delivery, load, note) values ($1, $2, $3, $4, $5, $6)
     on conflict (source, item, mark) do nothing`,
    [source, taken.item, taken.mark, taken.delivery, taken.load, taken.note],
  );
}

export async function endLook(db: Queryable, id: number, error: unknown, reached?: string): Promise<void> {
  await db.query("update sieve.source set error = $2, reached = coalesce($3, reached) where id = $1", [
    id,
    error === null ? null : JSON.stringify(problemParts(error)),
    reached ?? null,
  ]);
}

/** Lets the source's time come now. */
export async function lookSoon(db: Queryable, id: number): Promise<void> {
  const { rowCount } = await db.query("update sieve.source set looked_at = null where id = $1", [id]);
  if (rowCount === 0) throw new SieveError("no-source", `There is no source ${id}.`);
}
