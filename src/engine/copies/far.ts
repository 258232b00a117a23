import type { EventEmitter } from "node:events";
import type pg from "pg";
import type { TableColumn } from "@/core/interop/table.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import { ident, isStoreAway, type Queryable } from "@/store/db.ts";
import { connectOther } from "../sources/others-sql.ts";

/** Another database in which targets have copies. */
export type Far = pg.Client;

/** Values go over as texts, which both sides must write alike; and milliseconds that others may keep a table locked. */
const SETTINGS = "-c timezone=UTC -c datestyle=ISO -c intervalstyle=postgres -c lock_timeout=30000";

const HINT =
  "Nothing was written, here or there. Have it put right there and try again, or take the copy out of the plan.";

function farAway(connection: string, detail: string): SieveError {
  return new SieveError("copy-away", `The database of the connection ${connection} can't be reached.`, {
    detail,
    hint: HINT,
  });
}

/** Errors that other databases have given; all others are the store's, whoever meets them. */
const ofFar = new WeakSet<object>();

/** Has what a client's database refuses be known as that of another one. */
function tellErrors(far: Far): void {
  const tell = (error: object): void => void ofFar.add(error);
  const query = far.query.bind(far) as (...asked: unknown[]) => unknown;
  far.query = ((...asked: unknown[]): unknown => {
    const answer = query(...asked);
    if (answer instanceof Promise)
      return answer.catch((error: object) => (tell(error), Promise.reject(error as Error)));
    (answer as EventEmitter).on("error", tell);
    return answer;
  }) as never;
}

/** A fault of another database, in words of what was to be done there; any other error as it is. */
export function farFault(error: unknown, connection: string, what: string): unknown {
  if (!(error instanceof Error) || !ofFar.has(error)) return error;
  const { message, detail = "" } = error as { message: string; detail?: string };
  if (isStoreAway(error)) return farAway(connection, message);
  return new SieveError("copy-failed", `${what} on the connection ${connection} failed: ${message}.`, {
    detail,
    hint: HINT,
  });
}

/** Connects to the database of a connection. Throws `copy-away`, `role-too-mighty`, and what looking the connection up does. */
export async function connectFar(store: Queryable, connection: string): Promise<Far> {
  try {
    const far = await connectOther(store, connection, { called: "copy", settings: SETTINGS });
    tellErrors(far);
    return far;
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw farAway(connection, (error as Error).message);
  }
}

export async function endFar(far: Far): Promise<void> {
  await far.end().catch(() => {});
}

/** Whether transactions can be prepared there. */
export async function canPrepare(far: Queryable): Promise<boolean> {
  const { rows } = await far.query<{ can: boolean }>(
    "select current_setting('max_prepared_transactions')::int > 0 as can",
  );
  return rows[0]!.can;
}

/** That a statement can't run together with a load on a server where a commit can't be promised. */
export function cannotPrepare(connection: string): SieveError {
  return new SieveError(
    "cannot-prepare",
    `The server of the connection ${connection} does not let transactions be prepared, so nothing can be committed there together with a load.`,
    {
      hint: "Have its max_prepared_transactions set above 0, or let the statement run after the load. Nothing was written.",
    },
  );
}

/** What a table is commented with that was made as a copy; its columns follow those of the target. */
const MADE = "A copy of a table of Good Sieve, which keeps it in step";

/** A copy's table, as it is there: none of its columns where it is not. */
export interface FarTable {
  /** Its quoted name. */
  readonly name: string;
  readonly columns: ReadonlyMap<string, TableColumn>;
  /** It was made as a copy, and is nobody else's. */
  readonly made: boolean;
}

export async function farTable(far: Queryable, schema: string, table: string): Promise<FarTable> {
  const name = ident(schema, table);
  const { rows } = await far.query<TableColumn & { made: boolean }>(
    `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, a.attnotnull as "notNull",
       a.atthasdef or a.attidentity <> '' as filled, a.attgenerated <> '' or a.attidentity = 'a' as computed, null as labels,
       coalesce(obj_description(a.attrelid, 'pg_class') = $2, false) as made
     from pg_attribute a where a.attrelid = to_regclass($1) and a.attnum > 0 and not a.attisdropped order by a.attnum`,
    [name, MADE],
  );
  return { name, columns: new Map(rows.map((r) => [r.name, r])), made: rows[0]?.made ?? true };
}

/** What a copy is to have: the target's columns that are a record's, and its key. */
export interface CopyShape {
  readonly columns: readonly TableColumn[];
  readonly key: readonly string[];
}

/** Why a table that others have made can't be the copy; null where it can. */
function unfit(there: FarTable, { columns: wanted, key }: CopyShape): string | null {
  const { columns, made } = there;
  if (made) return null;
  const name = there.name.replaceAll('"', "");
  const lacking = [...wanted.map((c) => c.name), ...key].filter((c) => !columns.has(c));
  if (lacking.length > 0)
    return `${name} has no column ${listed(lacking)}; a further target with fewer fields can be copied instead.`;
  const computed = wanted.filter((c) => columns.get(c.name)!.computed).map((c) => c.name);
  if (computed.length > 0) return `${name} fills ${listed(computed)} by itself.`;
  const own = new Set(wanted.map((c) => c.name));
  const needed = [...columns.values()].filter((c) => !own.has(c.name) && c.notNull && !c.filled).map((c) => c.name);
  return needed.length > 0 ? `${name} needs a value in ${listed(needed)}, and nothing fills it.` : null;
}

/** Throws `copy-unfit` where a table can't be the copy. */
export function refuseUnfit(connection: string, table: FarTable, shape: CopyShape): void {
  const reason = unfit(table, shape);
  if (reason === null) return;
  throw new SieveError("copy-unfit", `On the connection ${connection}: ${reason}`, {
    hint: "Nothing was written. Give the copy another table, or let one be made.",
  });
}

/** The table of a copy, made or altered where it has to be. Throws `copy-unfit`. */
export async function fittedTable(
  far: Queryable,
  connection: string,
  place: readonly [schema: string, table: string],
  shape: CopyShape,
): Promise<FarTable> {
  const there = await farTable(far, ...place);
  refuseUnfit(connection, there, shape);
  await fitTable(far, there, shape);
  return await farTable(far, ...place);
}

/** The type of a column in a table that is made as a copy: one that every database has. */
const typeThere = (c: TableColumn): string => (c.labels ? "text" : c.type);

/** Makes the table of a copy, or gives one that was made as a copy the columns that the target has by now. */
async function fitTable(far: Queryable, table: FarTable, shape: CopyShape): Promise<void> {
  const { name, columns, made } = table;
  const own = (c: TableColumn): string => `${ident(c.name)} ${typeThere(c)}`;
  if (columns.size === 0) {
    const key = shape.key.map((k) => ident(k)).join(", ");
    await far.query(`create table ${name} (${[...shape.columns.map(own), `primary key (${key})`].join(", ")})`);
    await far.query(`comment on table ${name} is '${MADE}'`);
    return;
  }
  if (!made) return;
  for (const c of shape.columns) {
    const have = columns.get(c.name);
    if (!have) await far.query(`alter table ${name} add column ${own(c)}`);
    else if (have.type !== typeThere(c))
      await far.query(
        `alter table ${name} alter column ${ident(c.name)} type ${typeThere(c)} using ${ident(c.name)}::text::${typeThere(c)}`,
      );
  }
}
