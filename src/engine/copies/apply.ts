import type { CopyCounts } from "@/core/plan/copies.ts";
import { SieveError, counted, listed, quoted } from "@/core/kernel/problem.ts";
import { ident, literal, type Queryable } from "@/store/db.ts";
import { farTable, type FarTable } from "./far.ts";

/**
 * What is brought into a copy: two tables beside it, with rows as the target had them before a writing and as it has them
 * now. They are there before the copy is changed and go when it is known how that ended, so that it can be finished, or
 * taken back, by who comes later.
 */
export interface Brought {
  readonly writing: number;
  /** The copy's table there: its schema and its name. */
  readonly place: readonly [schema: string, table: string];
  readonly columns: readonly string[];
  readonly key: readonly string[];
  /** Quoted names of the two tables. */
  readonly was: string;
  readonly now: string;
}

/** The column that says that a row is there at all. */
export const THERE = '"_ there"';
/** What the table of rows as they are is commented with once the copy has them; within the transaction that does it. */
const APPLIED = "applied";

/** The quoted names of the two tables of a writing and a copy, by the mark of the store. */
function namesOf(schema: string, mark: string, writing: number, copy: number): { was: string; now: string } {
  const name = (which: string): string => ident(schema, `good sieve ${mark} ${writing}.${copy} ${which}`);
  return { was: name("was"), now: name("now") };
}

/** Makes the two tables, empty. `lasting`: they must be there also when the server has crashed. */
export async function makeBrought(
  far: Queryable,
  {
    table,
    place,
    mark,
    writing,
    copy,
    columns,
    key,
    lasting,
  }: Omit<Brought, "was" | "now"> & {
    readonly table: FarTable;
    readonly mark: string;
    readonly copy: number;
    readonly lasting: boolean;
  },
): Promise<Brought> {
  const names = namesOf(place[0], mark, writing, copy);
  const list = columns.map((c) => `t.${ident(c)}`).join(", ");
  for (const name of [names.was, names.now]) {
    await far.query(`drop table if exists ${name}`);
    await far.query(
      `create ${lasting ? "" : "unlogged "}table ${name} as select ${list}, true as ${THERE} from ${table.name} t limit 0`,
    );
    await far.query(`alter table ${name} alter column ${THERE} set default true`);
  }
  await far.query(`comment on table ${names.was} is ${literal(JSON.stringify({ place, key }))}`);
  return { writing, place, columns, key, ...names };
}

/** What was done to the rows of a copy, and to how many of them nothing. */
export interface Applied extends Omit<CopyCounts, "target" | "connection" | "table" | "how"> {
  /** Keys of the first rows that were otherwise there, missing, or there alone. */
  readonly some: { readonly [Kind in "otherwise" | "missing" | "more"]: readonly string[] };
}
type Does = "insert" | "update" | "remove" | "same" | "others" | "gone";

const KEYS_TOLD = 5;

/** How columns of two aliases differ: types that know no equality are compared as texts. */
function differ({ columns }: FarTable, names: readonly string[], a: string, b: string): string {
  const text = (n: string): string => (/^(json|xml|point)$/.test(columns.get(n)!.type) ? "::text" : "");
  return names.map((n) => `${a}.${ident(n)}${text(n)} is distinct from ${b}.${ident(n)}${text(n)}`).join(" or ");
}

/** What a copy and the two tables beside it are, as statements speak of them. */
interface Statements {
  readonly brought: Brought;
  readonly table: FarTable;
  /** The table of what becomes of each key, for as long as the copy is changed. */
  readonly does: string;
  /** Columns besides the key. */
  readonly values: readonly string[];
}

const sameKey = (key: readonly string[], a: string, b: string): string =>
  key.map((k) => `${a}.${ident(k)} = ${b}.${ident(k)}`).join(" and ");

/** Finds what becomes of each key that was brought: which rows stand as the copy left them, and which are somebody else's. */
async function weigh(far: Queryable, { brought, table, does, values }: Statements): Promise<void> {
  const { was, now, key } = brought;
  const keys = key.map((k) => ident(k)).join(", ");
  for (const t of [was, now]) {
    await far.query(`create index on ${t} (${keys})`);
    await far.query(`analyze ${t}`);
  }
  const same = (a: string, b: string): string => sameKey(key, a, b);
  const differs = (a: string, b: string): string => (values.length > 0 ? differ(table, values, a, b) : "false");
  await far.query(
    `create unlogged table ${does} as select ${key.map((k) => `x.${ident(k)}`).join(", ")},
       case when t.ctid is null then case when not x.now then 'same' when x.was then 'gone' else 'insert' end
         when x.now and not (${differs("t", "n")}) then 'same'
         when not x.was or (${differs("t", "w")}) then 'others'
         when x.now then 'update' else 'remove' end as does
     from (select ${key.map((k) => `coalesce(n.${ident(k)}, w.${ident(k)}) as ${ident(k)}`).join(", ")},
         n.${THERE} is not null as now, w.${THERE} is not null as was
       from ${now} n full join ${was} w on ${same("n", "w")}) x
     left join ${now} n on ${same("n", "x")} left join ${was} w on ${same("w", "x")} left join ${table.name} t on ${same("t", "x")}`,
  );
  await far.query(`create index on ${does} (${keys})`);
  await far.query(`analyze ${does}`);
}

/** Changes the copy's rows as was found; gives how many, by what was done. */
async function change(
  far: Queryable,
  { brought: { now, key, columns }, table: { name }, does, values }: Statements,
): Promise<Readonly<Record<"remove" | "update" | "insert", number>>> {
  const same = (a: string, b: string): string => sameKey(key, a, b);
  const removed = await far.query(
    `delete from ${name} t using ${does} d where ${same("t", "d")} and d.does = 'remove'`,
  );
  const set = values.map((c) => `${ident(c)} = n.${ident(c)}`).join(", ");
  const updated =
    set === ""
      ? { rowCount: 0 }
      : await far.query(
          `update ${name} t set ${set} from ${now} n, ${does} d where ${same("n", "d")} and ${same("t", "d")} and d.does = 'update'`,
        );
  const inserted = await far.query(
    `insert into ${name} (${columns.map((c) => ident(c)).join(", ")})
     select ${columns.map((c) => `n.${ident(c)}`).join(", ")} from ${now} n join ${does} d on ${same("n", "d")} where d.does = 'insert'`,
  );
  return { remove: removed.rowCount ?? 0, update: updated.rowCount ?? 0, insert: inserted.rowCount ?? 0 };
}

const DONE = { remove: "removed", update: "updated", insert: "inserted" } as const;

/**
 * Changes a copy from how the target was to how it is, within a transaction of the other database that holds the copy
 * locked. A row that is not as the copy left it is somebody else's: it is left, or all is refused. Throws
 * `copy-differs` and `not_written`.
 */
export async function apply(
  far: Queryable,
  brought: Brought,
  { others, connection }: { readonly others: "refuse" | "leave"; readonly connection: string },
): Promise<Applied> {
  const { place, key, columns } = brought;
  const table = await farTable(far, ...place);
  const { name } = table;
  await far.query(`lock table ${name} in share row exclusive mode`);
  // Called like the two beside it, so that two stores are not in each other's way.
  const does = brought.now.replace(/ (now|was)"$/, ' does"');
  const statements = { brought, table, does, values: columns.filter((c) => !key.includes(c)) };
  await weigh(far, statements);
  const text = `concat_ws(', ', ${key.map((k) => `${ident(k)}::text`).join(", ")})`;
  const { rows } = await far.query<{ does: Does; n: number; some: string[] }>(
    `select does, count(*)::int as n, (array_agg(key order by key))[1:${KEYS_TOLD}] as some
     from (select does, ${text} as key from ${does}) d group by 1`,
  );
  const count = (what: Does): number => rows.find((r) => r.does === what)?.n ?? 0;
  const keysOf = (what: Does): readonly string[] => rows.find((r) => r.does === what)?.some ?? [];
  const left = count("others") + count("gone");
  if (left > 0 && others === "refuse") {
    const some = [...keysOf("others"), ...keysOf("gone")].slice(0, KEYS_TOLD).map((k) => quoted(k));
    const [are, them] = left === 1 ? ["is", "it"] : ["are", "them"];
    throw new SieveError(
      "copy-differs",
      `${counted(left, "row")} of ${name} on the connection ${connection} ${are} not as the copy left ${them}: ${listed(some)}.`,
      {
        detail: "Others have put them in, changed or removed them there, or changed the target's rows here by hand.",
        hint: "Nothing was written, here or there. Have the plan leave such rows as they are, or look at them and bring the copy into step (sieve copies).",
      },
    );
  }
  for (const [what, wrote] of Object.entries(await change(far, statements)) as [keyof typeof DONE, number][]) {
    if (wrote === count(what)) continue;
    throw new SieveError(
      "not_written",
      `${name} on the connection ${connection} took ${wrote} of the ${count(what)} rows that were to be ${DONE[what]}.`,
      {
        detail: "A trigger, a rule or rows with the same key there have brought that about, so nothing was written.",
        hint: "Look at that table's triggers and rules, and whether its rows have a key of their own.",
      },
    );
  }
  await far.query(`drop table ${does}`);
  await far.query(`comment on table ${brought.now} is '${APPLIED}'`);
  return {
    rows: rows.reduce((n, r) => n + r.n, 0),
    inserted: count("insert"),
    updated: count("update"),
    unchanged: count("same"),
    removed: count("remove"),
    left,
    some: { otherwise: keysOf("update"), missing: keysOf("insert"), more: keysOf("remove") },
  };
}

/** Takes back what was applied and committed there, as far as it stands. */
export async function takeBack(far: Queryable, brought: Brought, connection: string): Promise<void> {
  await far.query("begin");
  try {
    await apply(far, { ...brought, was: brought.now, now: brought.was }, { others: "leave", connection });
    await dropBrought(far, brought);
    await far.query("commit");
  } catch (error) {
    await far.query("rollback").catch(() => {});
    throw error;
  }
}

export async function dropBrought(far: Queryable, { was, now }: Pick<Brought, "was" | "now">): Promise<void> {
  await far.query(`drop table if exists ${was}, ${now}`);
}

/** What writings of a store have brought and not cleared away, and whether the copy has it. */
export async function leftBrought(far: Queryable, mark: string): Promise<(Brought & { readonly applied: boolean })[]> {
  const { rows } = await far.query<{
    schema: string;
    name: string;
    about: string;
    applied: boolean;
    columns: string[];
  }>(
    `select n.nspname as schema, left(w.relname, -4) as name, obj_description(w.oid, 'pg_class') as about,
       coalesce(obj_description(to_regclass(format('%I.%I', n.nspname, left(w.relname, -3) || 'now')), 'pg_class') = $2, false) as applied,
       array(select attname::text from pg_attribute where attrelid = w.oid and attnum > 0 and not attisdropped and attname <> '_ there' order by attnum) as columns
     from pg_class w join pg_namespace n on n.oid = w.relnamespace
     where w.relkind = 'r' and starts_with(w.relname, $1) and right(w.relname, 4) = ' was' and pg_has_role(w.relowner, 'usage')`,
    [`good sieve ${mark} `, APPLIED],
  );
  return rows.flatMap(({ schema, name, about, applied, columns }) => {
    const writing = Number(/ (\d+)\.\d+$/.exec(name)?.[1]);
    if (!about || !Number.isInteger(writing)) return [];
    const { place, key } = JSON.parse(about) as Pick<Brought, "place" | "key">;
    const names = { was: ident(schema, `${name} was`), now: ident(schema, `${name} now`) };
    return [{ writing, place, key, columns, ...names, applied }];
  });
}
