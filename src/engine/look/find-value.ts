import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { ident, transaction, wasEnded, type Client, type Db } from "@/store/db.ts";
import { FIELD_NAMES, listFeeds, planInForce } from "@/store/feeds.ts";
import type { WritingKind } from "@/store/writings.ts";
import { tableOf, targetColumns } from "../writing/target.ts";
import { leftOutWith } from "./find-left-out.ts";
import type { FoundRecord } from "./found-record.ts";
import { DID, undoTable } from "../writing/writing.ts";

/** Rows, held records and waiting ones that are given, each. */
const MOST = 30;
/** Milliseconds that one target is looked through, and all of them together: where no index leads there may be no end. */
const LOOK_MS = { one: 1500, all: 6000, least: 50 };

/** One change of a row, from what was kept of it. */
export interface RowChange {
  readonly writing: number;
  readonly kind: WritingKind;
  readonly load: number | null;
  readonly by: string;
  readonly at: Date;
  /** `made` puts the row there, `removed` took it away, else it was changed. */
  readonly did: string;
  /** Fields that it changed, with what they had before and after; none where it was made. */
  readonly fields: readonly { readonly name: string; readonly was: string; readonly is: string }[];
}

/** A row of a target that has the value. */
export interface FoundRow {
  readonly feed: string;
  readonly title: string;
  readonly target: string;
  readonly names: readonly string[];
  readonly values: readonly string[];
  /** Names of the fields that have the value. */
  readonly in: readonly string[];
  /** The load and the record that it came from; null for a row that no load wrote. */
  readonly load: number | null;
  readonly record: number | null;
  /** What was done to it, the latest first, as far as it is kept. */
  readonly changes: readonly RowChange[];
}

export interface FoundValue {
  readonly rows: readonly FoundRow[];
  readonly records: readonly FoundRecord[];
  /** Whether there may be more rows, or records, than are given. */
  readonly more: { readonly rows: boolean; readonly records: boolean };
  /** Titles of the feeds whose targets could not be looked through whole in the time there is. */
  readonly unfinished: readonly string[];
}

/**
 * Where a value stands, exactly as it is given: in rows of all targets, by their keys and in their texts, and in records that are
 * held, were held, wait, or were left out. With what was done to each row, from what is kept for undoing.
 */
export async function findValue(db: Db, value: string): Promise<FoundValue> {
  const wanted = value.trim();
  if (wanted === "") return { rows: [], records: [], more: { rows: false, records: false }, unfinished: [] };
  const rows: FoundRow[] = [];
  const unfinished: string[] = [];
  const until = performance.now() + LOOK_MS.all;
  for (const { name, title } of await listFeeds(db)) {
    const plan = await planInForce(db, name).catch(() => null);
    if (!plan || rows.length >= MOST) continue;
    const left = Math.max(LOOK_MS.least, Math.min(LOOK_MS.one, Math.round(until - performance.now())));
    const found = await rowsWith(db, plan.document, wanted, { most: MOST - rows.length, ms: left });
    rows.push(...found.rows.map((r) => ({ ...r, feed: name, title })));
    if (!found.whole) unfinished.push(title);
  }
  const records = [...(await recordsWith(db, wanted)), ...(await mergedWith(db, wanted))];
  const leftOut = await leftOutWith(db, wanted, { most: MOST, ms: LOOK_MS.one });
  records.push(...leftOut.records);
  unfinished.push(...leftOut.unfinished.filter((title) => !unfinished.includes(title)));
  return { rows, records, more: { rows: rows.length >= MOST, records: records.length >= MOST }, unfinished };
}

/** That a column has the value, in SQL over the parameter of a number; null where a value of its type can't be written so. */
function hasValue({ name, type }: Pick<Field, "name" | "type">, value: string, parameter = 1): string | null {
  const column = `t.${ident(name)}`;
  const given = `$${parameter}`;
  switch (type) {
    case "text":
    case "code":
      return `${column} = ${given}`;
    case "integer":
    case "decimal":
      return /^[+-]?\d{1,30}(\.\d{1,30})?$/.test(value) ? `${column} = ${given}::numeric` : null;
    case "date":
      return /^\d{4}-\d\d-\d\d$/.test(value) && !Number.isNaN(Date.parse(value)) && isDay(value)
        ? `${column} = ${given}::date`
        : null;
    case "uuid":
      return /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(value) ? `${column} = ${given}::uuid` : null;
    default:
      return null;
  }
}

/** Whether ISO 8601 text is a day that there is: 2026-02-31 becomes another one. */
const isDay = (text: string): boolean => new Date(text).toISOString().startsWith(text);

/** A row with what was done to it; which of its fields have a value that was looked for is for who looked. */
export type Row = Omit<FoundRow, "feed" | "title">;

/**
 * The row of a plan's target that a record became: the one with its key, or, where there is no key or it is not whole, the
 * one that came from it. Null where there is none, or where it could not be found in the time there is.
 */
export async function rowOfRecord(
  db: Db,
  plan: Plan,
  {
    load,
    record,
    values,
  }: { readonly load: number; readonly record: number; readonly values: ReadonlyMap<string, string> },
): Promise<Row | null> {
  const of = plan.load.key.map((k) => plan.contract.fields.find((f) => f.name === k)!);
  const ofKey = of.map(({ name }) => values.get(name) ?? "");
  const byKey = of.map((f, i) => (ofKey[i] === "" ? null : hasValue(f, ofKey[i]!, i + 1)));
  const found = await inTarget(db, plan, LOOK_MS.one, async (client, present) =>
    of.length > 0 && of.every((f, i) => byKey[i] !== null && present.includes(f))
      ? await select(client, plan, present, byKey.join(" and "), ofKey, 1)
      : await select(client, plan, present, "t._load = $1 and t._record = $2", [load, record], 1),
  );
  return found?.[0] ?? null;
}

/** Asks a target for rows within so many milliseconds; null where that was not enough. No rows where no load has written it. */
async function inTarget(
  db: Db,
  plan: Plan,
  ms: number,
  ask: (client: Client, present: readonly Field[]) => Promise<Row[]>,
): Promise<Row[] | null> {
  try {
    return await transaction(db, async (client) => {
      await client.query(
        `set transaction read only; set local timezone = 'UTC'; set local datestyle = 'ISO'; set local statement_timeout = ${ms}`,
      );
      const there = new Set((await targetColumns(client, tableOf(plan))).map((c) => c.name));
      if (!there.has("_load")) return [];
      return await ask(
        client,
        plan.contract.fields.filter((f) => there.has(f.name)),
      );
    });
  } catch (error) {
    if (!wasEnded(error)) throw error;
    return null;
  }
}

async function rowsWith(
  db: Db,
  plan: Plan,
  value: string,
  { most, ms }: { readonly most: number; readonly ms: number },
): Promise<{ rows: Row[]; whole: boolean }> {
  const isKey = ({ name }: Field): boolean => plan.load.key.includes(name);
  const conditions = (of: readonly Field[]): string => of.flatMap((f) => hasValue(f, value) ?? []).join(" or ");
  const rows = await inTarget(db, plan, ms, async (client, present) => {
    const byKey = await select(client, plan, present, conditions(present.filter(isKey)), [value], most);
    if (byKey.length > 0) return byKey;
    const others = present.filter((f) => !isKey(f) && (f.type === "text" || f.type === "code" || f.type === "uuid"));
    return await select(client, plan, present, conditions(others), [value], most);
  });
  const marked = (rows ?? []).map((row) => ({ ...row, in: row.names.filter((_, i) => row.values[i] === value) }));
  return { rows: marked, whole: rows !== null };
}

async function select(
  client: Client,
  plan: Plan,
  fields: readonly Field[],
  condition: string,
  params: readonly unknown[],
  most: number,
): Promise<Row[]> {
  if (condition === "") return [];
  const table = tableOf(plan);
  const { rows } = await client.query<{ values: string[]; load: number | null; record: number | null }>(
    `select array[${fields.map((f) => `coalesce(t.${ident(f.name)}::text, '')`).join(", ")}] as values, t._load as load, t._record as record
     from ${table} t where ${condition} limit ${most}`,
    [...params],
  );
  const names = fields.map((f) => f.name);
  const kept = rows.length > 0 ? await keptOf(client, plan, names) : [];
  const found: Row[] = [];
  for (const row of rows) {
    found.push({
      ...{ target: plan.load.target, names, ...row },
      in: [],
      changes: await changesOf(client, plan, kept, names, row.values),
    });
  }
  return found;
}

/** A writing that stands, with what is kept of the rows that it found: their columns where they have a table of their own. */
interface Kept extends Omit<RowChange, "did" | "fields"> {
  readonly columns: ReadonlySet<string> | null;
}

/** The writings of a target that stand, the latest first; none where its rows can't be told apart by a key. */
async function keptOf(client: Client, plan: Plan, names: readonly string[]): Promise<Kept[]> {
  const { key } = plan.load;
  if (key.length === 0 || !key.every((k) => names.includes(k))) return [];
  const { rows } = await client.query<Omit<Kept, "columns"> & { kept: boolean }>(
    `select w.id as writing, w.kind, w.load, w.made_by as by, w.made_at as at,
       to_regclass(format('undo.%I', 'writing ' || w.id)) is not null as kept
     from sieve.writing w where w.target = $1 and w.undone_by is null and w.kind <> 'undo' order by w.turn desc limit 200`,
    [tableOf(plan)],
  );
  const writings: Kept[] = [];
  for (const { kept, ...w } of rows) {
    const own = kept ? new Set((await targetColumns(client, undoTable(w.writing))).map((c) => c.name)) : null;
    writings.push({ ...w, columns: own && key.every((k) => own.has(k)) ? own : null });
  }
  return writings;
}

/** What was done to the row with a key, the latest first, as far as rows are kept as they were. */
async function changesOf(
  client: Client,
  plan: Plan,
  writings: readonly Kept[],
  names: readonly string[],
  now: readonly string[],
): Promise<RowChange[]> {
  if (writings.length === 0) return [];
  const { key } = plan.load;
  const ofKey = key.map((k) => now[names.indexOf(k)]!);
  const images = new Map<number, { did: string; was: string[] }>();
  const { rows: single } = await client.query<{ writing: number; did: string; was: string[] }>(
    `select b.writing, b.did, array(select coalesce(b.document->>n, '') from unnest($2::text[]) n) as was from sieve.row_before b
     where b.writing = any($1) and ${key.map((_, i) => `b.document->>$${i + 3} = $${i + 3 + key.length}`).join(" and ")}`,
    [writings.map((w) => w.writing), names, ...key, ...ofKey],
  );
  for (const { writing, did, was } of single) images.set(writing, { did, was });
  for (const { writing, columns } of writings) {
    if (!columns) continue;
    const values = names.map((n) => (columns.has(n) ? `coalesce(i.${ident(n)}::text, '')` : "''"));
    const { rows } = await client.query<{ did: string; was: string[] }>(
      `select i.${DID} as did, array[${values.join(", ")}] as was from ${undoTable(writing)} i
       where ${key.map((k, i) => `i.${ident(k)}::text = $${i + 1}`).join(" and ")} limit 1`,
      ofKey,
    );
    if (rows[0]) images.set(writing, rows[0]);
  }
  let after: readonly string[] = now;
  const changes: RowChange[] = [];
  for (const { columns: _, ...w } of writings) {
    const image = images.get(w.writing);
    if (!image) continue;
    const made = image.did === "made";
    const is = after;
    const fields = made
      ? []
      : names.flatMap((name, i) => (image.was[i] === is[i] ? [] : [{ name, was: image.was[i]!, is: is[i]! }]));
    changes.push({ ...w, did: image.did, fields });
    if (!made) after = image.was;
  }
  return changes;
}

/** Records that are held, were held or wait, with the value in one of their fields as they were checked. */
async function recordsWith(db: Db, value: string): Promise<FoundRecord[]> {
  const { rows: held } = await db.query<FoundRecord>(
    `select h.feed, f.title, h.load, h.record, h.state, l.report->'files'->h.file->>'name' as file, h.line, ${FIELD_NAMES} as names, h.field_values as values, h.reason,
       h.ended_by as "endedBy", h.ended_at as "endedAt"
     from sieve.held h join sieve.feed f on f.name = h.feed join sieve.load l on l.id = h.load join sieve.plan p on p.id = l.plan
     where h.field_values @> to_jsonb($1::text) order by h.load desc, h.record limit ${MOST}`,
    [value],
  );
  const { rows: waiting } = await db.query<FoundRecord>(
    `select w.feed, f.title, w.load, w.record, w.state, null as file, null as line, ${FIELD_NAMES} as names, w.field_values as values, '' as reason,
       w.ended_by as "endedBy", w.ended_at as "endedAt"
     from sieve.waiting w join sieve.feed f on f.name = w.feed join sieve.load l on l.id = w.load join sieve.plan p on p.id = coalesce(w.plan, l.plan)
     where w.field_values @> to_jsonb($1::text) and w.state in ('waiting', 'merged') order by w.load desc, w.record limit ${MOST}`,
    [value],
  );
  return [...held, ...waiting];
}

/** Records that a load put to another one, or to a row, with the value among their own. */
async function mergedWith(db: Db, value: string): Promise<FoundRecord[]> {
  const { rows } = await db.query<FoundRecord>(
    `select l.feed, f.title, c.load, (m->>'record')::int as record, 'joined' as state, null as file, null as line,
       ${FIELD_NAMES} as names, m->'values' as values, 'with ' || case when c.members->0->>'record' is not null
         then 'record ' || (c.members->0->>'record')::int + 1
         when jsonb_typeof(c.members->0->'row') = 'array'
         then 'record ' || (c.members->0->'row'->>1)::int + 1 || ' of load ' || (c.members->0->'row'->>0)
         else 'an entry of a list' end as reason,
       '' as "endedBy", l.ended_at as "endedAt"
     from sieve.cluster c join sieve.load l on l.id = c.load join sieve.feed f on f.name = l.feed join sieve.plan p on p.id = l.plan
       cross join lateral jsonb_array_elements(c.members) with ordinality x (m, n)
     where c.members @> jsonb_build_array(jsonb_build_object('values', jsonb_build_array($1::text))) and m->'values' @> to_jsonb($1::text)
       and n > 1 and m->>'record' is not null and m->>'split' is null
     order by c.load desc, record limit ${MOST}`,
    [value],
  );
  return rows;
}
