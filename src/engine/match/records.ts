import { createHash } from "node:crypto";
import type { References } from "@/core/kernel/reference.ts";
import { entriesAsRecords, type KnownEntry } from "@/core/course/match-entries.ts";
import type { Label, Matcher, Pairs } from "@/core/match/match.ts";
import type { Decision, Resolution } from "@/core/match/resolve.ts";
import { comparedOf, comparedText, type MatchSection } from "@/core/match/schema.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { decidedValues } from "@/store/matches.ts";
import { tableOf, targetColumns } from "../writing/target.ts";
import type { PairSearch } from "./pairs.ts";

/** Rows that are fetched, or written, at a time. */
export const ROWS = 5_000;
/** So many decided pairs teach; of more the latest. */
const MOST_LABELS = 1_000;

/** What is compared, and with what. */
export interface Comparison {
  readonly client: Client;
  /** The load that its records are of. */
  readonly id: number;
  readonly feed: string;
  readonly compiled: Compiled;
  /** The quoted name of the staging table. */
  readonly staging: string;
  /** The reference lists, at the versions that are asked. */
  readonly lists: References;
}

/** A record of the comparison: a row of the target, an entry of a reference list, or a staged one, in this order. */
export interface Source {
  /** Its number in the load; -1 for any other. */
  readonly record: Int32Array;
  /** The load and record that a row of the target came from; -1 where that is not known. */
  readonly rowLoad: Int32Array;
  readonly rowRecord: Int32Array;
  /** Where a row of the target stands; it stands there as long as this transaction does not write it. */
  readonly place: readonly string[];
  /** The entries, which stand after the rows of the target. */
  readonly entries: readonly KnownEntry[];
}

/** The entry that a number of the comparison is, or null. */
export function entryOf({ place, entries }: Source, n: number): KnownEntry | null {
  return entries[n - place.length] ?? null;
}

/** The records of a comparison as they are added: rows of the target, then entries of a list, then staged ones. */
export class ComparedRecords {
  private readonly record: number[] = [];
  private readonly rowLoad: number[] = [];
  private readonly rowRecord: number[] = [];
  private readonly place: string[] = [];
  private entries: readonly KnownEntry[] = [];
  /** Columns that the target has. */
  readonly columns = new Set<string>();
  /** How many records are known: those that were added before the staged ones. */
  known = 0;

  constructor(
    private readonly of: Comparison,
    private readonly section: MatchSection,
    private readonly search: PairSearch,
  ) {}

  private add(compared: readonly (string | null)[], record: number, row: readonly [number, number] = [-1, -1]): void {
    this.search.add(
      this.search.matcher.incoming,
      compared.map((v) => v ?? ""),
    );
    this.record.push(record);
    this.rowLoad.push(row[0]);
    this.rowRecord.push(row[1]);
  }

  /** Adds rows of the target; `where`: a condition about the row `t`. */
  async addTarget(where: string): Promise<void> {
    const { client, compiled } = this.of;
    const { columns } = this;
    for (const column of await targetColumns(client, tableOf(compiled.plan))) columns.add(column.name);
    const origin = (name: string): string => (columns.has(name) ? `coalesce(t.${ident(name)}, -1)` : "-1");
    await readRows(
      client,
      `select t.ctid::text as place, ${origin("_load")} as load, ${origin("_record")} as record, ${comparedSql(this.section, "t", columns)}
       from ${tableOf(compiled.plan)} t where ${where} order by load, record`,
      (row) => {
        this.add(row.compared, -1, [row.load!, row.record]);
        this.place.push(row.place!);
      },
    );
    this.known = this.record.length;
  }

  /** Adds the entries of the plan's list. */
  addEntries(): void {
    const { compiled } = this.of;
    const compared = comparedOf(this.section, compiled.fields);
    this.entries = entriesOf(this.of, this.section);
    for (const entry of this.entries) this.add(compared(entry.values), -1);
    this.known = this.record.length;
  }

  /** Adds staged records; `where`: a condition about the record `s`. */
  async addStaged(where = "true"): Promise<void> {
    await readRows(
      this.of.client,
      `select _record as record, ${comparedSql(this.section, "s", null)} from ${this.of.staging} s where ${where} order by _record`,
      (row) => this.add(row.compared, row.record),
    );
  }

  sources(): Source {
    return {
      record: Int32Array.from(this.record),
      rowLoad: Int32Array.from(this.rowLoad),
      rowRecord: Int32Array.from(this.rowRecord),
      place: this.place,
      entries: this.entries,
    };
  }
}

/** The entries that records are compared with: those that hold today. */
function entriesOf({ compiled, lists }: Comparison, section: MatchSection): KnownEntry[] {
  if (!section.list || !section.against.includes("list")) return [];
  const list = lists.get(section.list.name);
  if (!list) throw new Error(`the list ${section.list.name} is not at hand`);
  return entriesAsRecords(compiled, section, list, new Date().toISOString().slice(0, 10));
}

/** The texts that are compared, as one array. */
function comparedSql(section: MatchSection, alias: string, columns: ReadonlySet<string> | null): string {
  const one = (name: string): string => (columns && !columns.has(name) ? "null" : `${alias}.${ident(name)}::text`);
  const list = section.fields.map((f) =>
    f.in.length === 1 ? one(f.in[0]!) : `concat_ws(' ', ${f.in.map(one).join(", ")})`,
  );
  return `array[${list.join(", ")}]::text[] as compared`;
}

interface ComparedRow {
  place?: string;
  load?: number;
  record: number;
  compared: (string | null)[];
}

async function readRows(client: Client, sql: string, take: (row: ComparedRow) => void): Promise<void> {
  await client.query(`declare compared_rows no scroll cursor for ${sql}`);
  for (;;) {
    const { rows } = await client.query<ComparedRow>(`fetch ${ROWS} from compared_rows`);
    for (const row of rows) take(row);
    if (rows.length === 0) break;
  }
  await client.query("close compared_rows");
}

/** The values of whole records by their numbers in the comparison, fetched when they are needed. */
export class RowValues {
  private readonly kept = new Map<number, string[]>();

  constructor(
    private readonly run: Comparison,
    private readonly sources: Source,
    private readonly known: number,
    private readonly there: ReadonlySet<string>,
  ) {}

  /** Fetches what is not there yet; to be called before `of`. Few are kept at a time, however many clusters there are. */
  async want(numbers: readonly number[]): Promise<void> {
    const { run, sources, known, kept } = this;
    if (kept.size > 4 * ROWS) kept.clear();
    const missing = [...new Set(numbers)].filter((n) => {
      const entry = entryOf(sources, n);
      if (entry) kept.set(n, [...entry.values]);
      return !kept.has(n);
    });
    const fetch = async (
      part: readonly number[],
      table: string,
      at: string,
      is: (n: number) => string,
    ): Promise<void> => {
      const { client, compiled } = run;
      const has = (name: string): boolean => table === run.staging || this.there.has(name);
      const list = compiled.fields.map((f) => (has(f.name) ? `coalesce(t.${ident(f.name)}::text, '')` : "''"));
      const number = new Map(part.map((n) => [is(n), n]));
      for (let i = 0; i < part.length; i += ROWS) {
        const { rows } = await client.query<{ at: string; v: string[] }>(
          `select t.${at}::text as at, array[${list.join(", ")}] as v from ${table} t where t.${at} = any($1)`,
          [part.slice(i, i + ROWS).map(is)],
        );
        for (const row of rows) kept.set(number.get(row.at)!, row.v);
      }
    };
    await fetch(
      missing.filter((n) => n >= known),
      run.staging,
      "_record",
      (n) => String(sources.record[n]!),
    );
    await fetch(
      missing.filter((n) => n < known),
      tableOf(run.compiled.plan),
      "ctid",
      (n) => sources.place[n]!,
    );
  }

  of(n: number): string[] {
    const values = this.kept.get(n);
    if (!values) throw new Error(`the values of record ${n} of the comparison were not fetched`);
    return values;
  }
}

/** What tells a record's content from another's, as far as it matters to a decision: its key and all that is compared. */
export function contentMark(compiled: Compiled, values: readonly string[]): string {
  const { plan, fields } = compiled;
  const names = new Set([...plan.load.key, ...(plan.match?.fields.flatMap((f) => f.in) ?? [])]);
  const hash = createHash("sha256");
  fields.forEach((f, i) => names.has(f.name) && hash.update(JSON.stringify([f.name, values[i]])));
  return hash.digest("base64url").slice(0, 27);
}

/** What people decided before about pairs of these contents, by the pair's number. */
export async function decisionsOf(
  run: Comparison,
  matcher: Matcher,
  pairs: Pairs,
  values: RowValues,
): Promise<Map<number, Decision>> {
  const found = new Map<number, Decision>();
  const known = new Map<string, Decision>();
  const { rows } = await run.client.query<{ low: string; high: string; decision: Decision }>(
    "select low, high, decision from sieve.match_decision where feed = $1",
    [run.feed],
  );
  if (rows.length === 0 || matcher.incoming.length === 0) return found;
  for (const { low, high, decision } of rows) known.set(`${low} ${high}`, decision);
  for (let from = 0; from < pairs.count; from += ROWS) {
    const to = Math.min(pairs.count, from + ROWS);
    const numbers: number[] = [];
    for (let i = from; i < to; i++) numbers.push(pairs.a[i]!, pairs.b[i]!);
    await values.want(numbers);
    for (let i = from; i < to; i++) {
      const marks = [pairs.a[i]!, pairs.b[i]!].map((n) => contentMark(run.compiled, values.of(n))).sort();
      const decision = known.get(marks.join(" "));
      if (decision) found.set(i, decision);
    }
  }
  return found;
}

/** What people have decided about pairs of the feed, the latest, as their records are compared now: it teaches what pairs are like. */
export async function labelsOf(client: Queryable, feed: string, section: MatchSection): Promise<Label[]> {
  const decided = await decidedValues(client, feed, MOST_LABELS);
  return decided.flatMap(({ names, a, b, decision }) => {
    if (!section.fields.every((f) => f.in.some((name) => names.includes(name)))) return [];
    const compared = (values: readonly string[]): string[] =>
      section.fields.map((f) => comparedText(f, (name) => values[names.indexOf(name)] ?? ""));
    return [{ a: compared(a), b: compared(b), same: decision === "same" }];
  });
}

/** A pair as the store keeps it to be looked at. */
export interface PairRow {
  readonly record: number;
  readonly other: number | null;
  readonly row_load: number | null;
  readonly row_record: number | null;
  readonly entry: readonly [string, string] | null;
  readonly own_values: readonly string[];
  readonly other_values: readonly string[];
  readonly own_mark: string;
  readonly other_mark: string;
  readonly score: number;
  readonly shares: readonly number[];
  readonly band: "same" | "ask";
  readonly decision: Decision | null;
}

/** The `i`th pair as the store keeps it; the values of both records were wanted before. */
export function pairRow(
  { compiled }: Comparison,
  pairs: Pairs,
  i: number,
  { found, sources, values }: { found: Resolution; sources: Source; values: RowValues },
): PairRow {
  const width = compiled.plan.match!.fields.length;
  const [a, b] = [pairs.a[i]!, pairs.b[i]!];
  const [own, other] = [values.of(a), values.of(b)];
  const inLoad = sources.record[b]! >= 0;
  const entry = entryOf(sources, b);
  const inTarget = !inLoad && entry === null;
  return {
    record: sources.record[a]!,
    other: inLoad ? sources.record[b]! : null,
    row_load: inTarget ? sources.rowLoad[b]! : null,
    row_record: inTarget ? sources.rowRecord[b]! : null,
    entry: entry && [entry.list, entry.key],
    own_values: own,
    other_values: other,
    own_mark: contentMark(compiled, own),
    other_mark: contentMark(compiled, other),
    score: found.scores[i]!,
    shares: Array.from(pairs.shares.subarray(i * width, (i + 1) * width)),
    band: found.bands[i] === 0 ? "same" : "ask",
    decision: found.decided[i] === 1 ? "same" : null,
  };
}

/** Keeps pairs of a load; `plan`: the one by which their records were released, null for the load's own. */
export async function putPairs(
  client: Queryable,
  { load, feed, plan }: { load: number; feed: string; plan: number | null },
  rows: readonly PairRow[],
): Promise<void> {
  await client.query(
    `insert into sieve.match_pair (load, feed, plan, record, other, row_load, row_record, entry, own_values, other_values, own_mark,
       other_mark, score, shares, band, decision)
     select $1, $2, $4, record, other, row_load, row_record, entry, own_values, other_values, own_mark, other_mark, score, shares,
       band, decision from jsonb_to_recordset($3::jsonb) as x (record int, other int, row_load int, row_record int,
       entry text[], own_values jsonb, other_values jsonb, own_mark text, other_mark text, score real, shares real[], band text, decision text)`,
    [load, feed, JSON.stringify(rows), plan],
  );
}

/** Puts staged records aside to wait for a decision; `released`: by which plan and which writing they left the quarantine. */
export async function putWaiting(
  { client, id, feed, compiled, staging }: Omit<Comparison, "lists">,
  records: readonly number[],
  released: { readonly plan: number; readonly writing: number } | null,
): Promise<void> {
  const columns = compiled.fields.map((f) => `coalesce(t.${ident(f.name)}::text, '')`).join(", ");
  await client.query(
    `insert into sieve.waiting (load, record, feed, field_values, plan, writing)
     select $1, t._record, $2, jsonb_build_array(${columns}), $4, $5 from ${staging} t where t._record = any($3)
     on conflict (load, record) do update set state = 'waiting', field_values = excluded.field_values, plan = excluded.plan,
       writing = excluded.writing, before = null, into_load = null, into_record = null, ended_by = '', ended_at = null`,
    [id, feed, records, released?.plan ?? null, released?.writing ?? null],
  );
}
