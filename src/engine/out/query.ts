import type pg from "pg";
import { contractOfTable } from "@/core/interop/table.ts";
import { manifestOf } from "@/core/interop/manifest.ts";
import { SieveError, quoted } from "@/core/kernel/problem.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Field } from "@/core/plan/types.ts";
import { ident, type Db } from "@/store/db.ts";
import { dayOf } from "@/store/loads.ts";
import { alone, openReader, type Reader } from "../sources/others-sql.ts";
import { outgoing, specOf, type OutAsked, type Outgoing } from "./out.ts";
import { ROWS, canonicalSql, type Page } from "./records.ts";

/** How long a query may take until its next rows, in seconds. */
const MOST_SECONDS = 600;

/** A query of whose rows files are made. */
export interface Query {
  readonly sql: string;
  /** The connection to the database that is asked; the store's own unless said. */
  readonly connection?: string | undefined;
}

/** A column of what a query gives: the field that it is, and its type as the database writes it. */
interface QueryColumn {
  readonly field: Field;
  readonly type: string;
}

/**
 * Gets what a query gives ready to go out: one whole query, in a transaction that can't write, by the connection's role.
 * Each column is a field by its type; numbers without a scale have twelve decimals. Throws `query-failed`, `out-unfit` and
 * what `openReader` does.
 */
export async function queryOut(db: Db, query: Query, asked: Omit<OutAsked, "what" | "load">): Promise<Outgoing> {
  const columns = await reading(db, query, ({ client }, sql) => columnsOf(client, sql));
  const fields = columns.map((c) => c.field);
  const made = new Date();
  const of = { connection: query.connection ?? null, query: query.sql };
  return outgoing({
    spec: specOf(asked, fields, "query-{day}"),
    about: { feed: "query", load: "", day: dayOf(made) },
    fields,
    // Rows come as the query has them, not folder by folder.
    ordered: false,
    pages: () => pagesOfQuery(db, query, columns),
    manifest: (files) => ({
      ...manifestOf(planOf(fields), { plan: null, of, made_at: made.toISOString() }, files),
      feed: "",
    }),
  });
}

/** A plan that has nothing but the fields, for the contract beside the files. */
function planOf(fields: readonly Field[]): Plan {
  return parsePlan({ format: "good-sieve/plan@1", feed: "query", contract: { fields }, load: { target: "query" } });
}

/** Asks a database by a query that is by itself one whole query, so that it can't end the brackets that it is put into. */
async function reading<T>(
  db: Db,
  { sql, connection }: Query,
  ask: (reader: Reader, sql: string) => Promise<T>,
): Promise<T> {
  const reader = await openReader(db, connection ?? null, { called: "out", seconds: MOST_SECONDS });
  try {
    const own = sql.trim().replace(/;\s*$/, "");
    await reader.client.query(alone(`prepare sieve_out as ${own}`));
    await reader.client.query("deallocate sieve_out");
    return await ask(reader, `(${own}\n) t`);
  } catch (error) {
    throw failed(error, connection);
  } finally {
    await reader.end();
  }
}

function failed(error: unknown, connection: string | undefined): SieveError {
  if (error instanceof SieveError) return error;
  return new SieveError("query-failed", "The query could not be run.", {
    detail: (error as Error).message,
    hint: `It is one query that reads${connection === undefined ? "" : `, by what the role of ${connection} may see`}.`,
  });
}

async function columnsOf(client: pg.ClientBase, sql: string): Promise<QueryColumn[]> {
  const { fields } = await client.query(`select t.* from ${sql} limit 0`);
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

/** A column's value as its field is written. */
function valueSql({ field, type }: QueryColumn): string {
  const own = `t.${ident(field.name)}`;
  if (type === "numeric") return `coalesce(trim_scale(round(${own}, ${field.scale}))::text, '')`;
  return canonicalSql(field, { type });
}

async function* pagesOfQuery(db: Db, query: Query, columns: readonly QueryColumn[]): AsyncGenerator<Page> {
  const { client, end } = await openReader(db, query.connection ?? null, { called: "out", seconds: MOST_SECONDS });
  try {
    const own = query.sql.trim().replace(/;\s*$/, "");
    const values = columns.map(valueSql).join(", ");
    await client.query(
      alone(`declare query_out no scroll cursor for select array[${values}]::text[] as v from (${own}\n) t`),
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
