import type pg from "pg";
import { contractOfTable } from "@/core/interop/table.ts";
import { manifestOf } from "@/core/interop/manifest.ts";
import { SieveError, quoted } from "@/core/kernel/problem.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Field } from "@/core/field/field.ts";
import { senderPart } from "@/core/write/files/name.ts";
import { ident, type Db } from "@/store/db.ts";
import { dayOf } from "@/store/loads.ts";
import { alone, bare, needWhole, openReader, type Reader } from "../sources/others-sql.ts";
import { outgoing, specOf, type OutAsked, type Outgoing } from "./out.ts";
import { ROWS, canonicalSql, type Page } from "./records.ts";

/** How long a query may take until its next rows, in seconds. */
const MOST_SECONDS = 600;

/** The load after which a query is asked. */
interface AfterOne {
  readonly feed: string;
  readonly load: number;
  readonly sender: string;
  /** The place of the query among what the plan has done after a load, from 0. */
  readonly n: number;
  /** The values of the plan's parameters, of which names of files may speak. */
  readonly parameters: Readonly<Record<string, string>>;
  /** Settings that the query may ask for, by name. */
  readonly told: Readonly<Record<string, string>>;
}

/** A query of whose rows files are made. */
export interface Query {
  readonly sql: string;
  /** The connection to the database that is asked; the store's own unless said. */
  readonly connection?: string | undefined;
  /** The load after which it is asked, if there is one. */
  readonly after?: AfterOne | undefined;
}

/** A column of what a query gives: the field that it is, and its type as the database writes it. */
interface QueryColumn {
  readonly field: Field;
  readonly type: string;
}

/**
 * Gets what a query gives ready to go out: one whole query, in a transaction that can't write, by the connection's role.
 * Each column is a field by its type; numbers without a scale have twelve decimals, and what is no number is empty. Throws `query-failed`, `out-unfit` and
 * what `openReader` does.
 */
export async function queryOut(db: Db, query: Query, asked: Omit<OutAsked, "what" | "load">): Promise<Outgoing> {
  const columns = await describe(db, query);
  const fields = columns.map((c) => c.field);
  const { after } = query;
  const made = new Date();
  const of = { connection: query.connection ?? null, query: query.sql };
  return outgoing({
    spec: specOf(asked, fields, after ? `{feed}-query-${after.n + 1}-load-{load}` : "query-{day}"),
    about: {
      feed: after?.feed ?? "query",
      load: String(after?.load ?? ""),
      sender: senderPart(after?.sender ?? ""),
      day: dayOf(made),
      ...after?.parameters,
    },
    fields,
    // Rows come as the query has them, not folder by folder.
    ordered: false,
    pages: () => pagesOfQuery(db, query, columns),
    manifest: (files) => ({
      ...manifestOf(planOf(fields), { plan: null, of, made_at: made.toISOString() }, files),
      feed: after?.feed ?? "",
    }),
  });
}

/** The fields that the columns of a query are. Throws what `queryOut` does. */
export async function columnsOfQuery(db: Db, query: Query): Promise<Field[]> {
  return (await describe(db, query)).map((c) => c.field);
}

/** A plan that has nothing but the fields, for the contract beside the files. */
function planOf(fields: readonly Field[]): Plan {
  return parsePlan({ format: "good-sieve/plan@1", feed: "query", contract: { fields }, load: { target: "query" } });
}

/** The query in brackets, as a table that is called t. */
const asTable = (sql: string): string => `(${bare(sql)}\n) t`;

async function readerOf(db: Db, { connection, after }: Query): Promise<Reader> {
  try {
    return await openReader(db, connection ?? null, { called: "out", seconds: MOST_SECONDS, told: after?.told });
  } catch (error) {
    throw failed(error, connection);
  }
}

/** What a query's columns are. */
async function describe(db: Db, query: Query): Promise<QueryColumn[]> {
  const { sql, connection } = query;
  const { client, end } = await readerOf(db, query);
  try {
    await needWhole(client, bare(sql));
    return await columnsOf(client, asTable(sql));
  } catch (error) {
    throw failed(error, connection);
  } finally {
    await end();
  }
}

function failed(error: unknown, connection: string | undefined): SieveError {
  if (error instanceof SieveError) return error;
  return new SieveError("query-failed", "The query could not be run.", {
    detail: (error as Error).message,
    hint: `It is one query that reads${connection === undefined ? "" : `, by what the role of ${connection} may see`}.`,
  });
}

async function columnsOf(client: pg.ClientBase, table: string): Promise<QueryColumn[]> {
  const { fields } = await client.query(`select t.* from ${table} limit 0`);
  const { rows } = await client.query<{ type: string }>(
    `select format_type(x.oid, nullif(x.modifier, -1)) as type
     from unnest($1::oid[], $2::int[]) with ordinality x (oid, modifier, n) order by n`,
    [fields.map((f) => f.dataTypeID), fields.map((f) => f.dataTypeModifier)],
  );
  const seen = new Set<string>();
  return fields.map(({ name }, i) => {
    const { type } = rows[i]!;
    const again = seen.has(name);
    seen.add(name);
    const field = again ? undefined : fieldOf(name, type);
    if (field) return { field, type };
    throw new SieveError("out-unfit", `A column of the query can't be called ${quoted(name)}.`, {
      detail: again
        ? "Another one is called so."
        : "A name has lower-case letters, digits and low lines, and begins with a letter.",
      hint: "Give it another name, with “as”.",
    });
  });
}

/** The field of a column; a text where its type says nothing more, or where a number of it could lose digits. Undefined for a name that no field has. */
function fieldOf(name: string, type: string): Field | undefined {
  const of = (as: string): Field | undefined => contractOfTable([columnCalled(name, as)], []).fields[0];
  const plain = of("text") && { name, type: "text" as const };
  const asText = ["text", "character varying", "double precision", "real"];
  return asText.includes(type) ? plain : (of(type) ?? plain);
}

const columnCalled = (name: string, type: string): Parameters<typeof contractOfTable>[0][number] => ({
  ...{ name, type, notNull: false, filled: false, computed: false, labels: null },
});

/** A column's value as its field is written; "" for one of a number's that is none. */
function valueSql({ field, type }: QueryColumn): string {
  if (!type.startsWith("numeric") || type.endsWith("[]")) return canonicalSql(field, { type });
  const own = `t.${ident(field.name)}`;
  const value = type === "numeric" ? `trim_scale(round(${own}, ${field.scale}))` : own;
  return `case when ${own}::text ~ '[a-zA-Z]' then '' else coalesce(${value}::text, '') end`;
}

async function* pagesOfQuery(db: Db, query: Query, columns: readonly QueryColumn[]): AsyncGenerator<Page> {
  const { client, end } = await readerOf(db, query);
  try {
    const values = columns.map(valueSql).join(", ");
    await client.query(
      alone(`declare query_out no scroll cursor for select array[${values}]::text[] as v from ${asTable(query.sql)}`),
    );
    for (;;) {
      const { rows } = await client.query<{ v: string[] }>(`fetch ${ROWS} from query_out`);
      if (rows.length === 0) return;
      yield rows.map((r) => r.v);
    }
  } catch (error) {
    throw failed(error, query.connection);
  } finally {
    await end();
  }
}
