import { targetFields } from "@/core/plan/target-fields.ts";
import type { Reconciliation, ReconciledField } from "@/core/report/report.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { byHash, ident, withSettings, type Client } from "@/store/db.ts";
import { freshRecords, type Meeting } from "./meet.ts";
import { columnsByName, staged as stagedValue } from "./target.ts";
import { DIFFERS, PART, PLACE, WRITING, rowKey, type Writing } from "./writing.ts";

/** Rows as one side has them: how many, a hash over their keys, and what their fields come to. */
interface Totals {
  readonly rows: number;
  readonly keys: string;
  /** By field: sum, least and most, as texts; null where there is no value. */
  readonly fields: readonly (readonly [sum: string | null, least: string | null, most: string | null])[];
}

/** The fields whose totals are compared: numbers with their sum, days and times by their least and most. */
function summed(plan: Plan): { name: string; sums: boolean }[] {
  return targetFields(plan)
    .filter((f) => ["integer", "decimal", "date", "timestamp"].includes(f.type))
    .map((f) => ({ name: f.name, sums: f.type === "integer" || f.type === "decimal" }));
}

/** `from`: a from-clause of rows; `value`: how one of the target's columns stands in them. */
async function totalsOf(client: Client, plan: Plan, from: string, value: (name: string) => string): Promise<Totals> {
  const fields = summed(plan);
  const key = rowKey(plan).map((k) => `${value(k)}::text`);
  const list = fields.flatMap(({ name, sums }) => [
    sums ? `sum(${value(name)}::numeric)::text` : "null::text",
    `min(${value(name)})::text`,
    `max(${value(name)})::text`,
  ]);
  const { rows } = await client.query<{ n: number; keys: string; all: (string | null)[] }>(
    `select count(*)::int as n, coalesce(to_hex(bit_xor(hashtextextended(concat_ws(chr(31), ${key.join(", ")}), 0))), '0') as keys,
       array[${list.join(", ")}]::text[] as all from ${from}`,
  );
  const { n, keys, all } = rows[0]!;
  return {
    rows: n,
    keys,
    fields: fields.map((_, i) => [all[i * 3]!, all[i * 3 + 1]!, all[i * 3 + 2]!] as const),
  };
}

/** What a load is about to have written, by what it has staged: totals of all parts together. */
export class Expected {
  private readonly parts: string[] = [];
  private noted = false;
  private settled: Totals | null = null;

  constructor(private readonly plan: Plan) {}

  /** Rows that are written as they stand in a relation; `value` gives a column of the target. */
  add(select: string): void {
    this.parts.push(select);
  }

  /** Rows that an upsert changes, and those that it puts beside them; `value` gives a column of a staged record. */
  addUpsert(meeting: Pick<Meeting, "staging" | "met" | "row">, load: number, value: (name: string) => string): void {
    const from = (own: (name: string) => string): string => this.columns((n) => (n === "_load" ? `${load}` : own(n)));
    if (!this.plan.load.whole_record)
      this.add(`select ${from((n) => `m.${ident(n)}`)} from ${meeting.met} m where m.${DIFFERS}`);
    this.add(`select ${from((n) => (n === "_record" ? `s."_record"` : value(n)))} from ${freshRecords(meeting)}`);
  }

  /** Rows that are about to be changed at their places, and keep the load and record that they came from. */
  async addChanged(client: Client, met: string, table: string): Promise<void> {
    const columns = this.columns((n) => (n === "_load" || n === "_record" ? `t.${ident(n)}` : `m.${ident(n)}`));
    const select = `select ${columns} from ${met} m join ${table} t on t.ctid = m.${PLACE} and t.tableoid = m.${PART} where m.${DIFFERS}`;
    const noted = "expected_changes";
    if (this.noted) await client.query(`insert into ${noted} ${select}`);
    else await client.query(`create temp table ${noted} on commit drop as ${select}`);
    if (!this.noted) this.add(`select * from ${noted}`);
    this.noted = true;
  }

  columns(value: (name: string) => string): string {
    const names = new Set([...rowKey(this.plan), ...summed(this.plan).map((f) => f.name)]);
    return [...names].map((n) => `${value(n)} as ${ident(n)}`).join(", ");
  }

  /** What it all comes to. Asked a second time, it is what it was the first time. */
  async settle(client: Client): Promise<Totals> {
    return (this.settled ??= await this.totals(client));
  }

  private async totals(client: Client): Promise<Totals> {
    const from =
      this.parts.length > 0
        ? `(${this.parts.join(" union all ")}) x`
        : `(select ${this.columns(() => "null")} limit 0) x`;
    return await byHash(client, () => totalsOf(client, this.plan, from, (n) => `x.${ident(n)}`));
  }
}

/**
 * Holds what the target has of a writing beside what was staged for it: rows counted, a hash over
 * their keys, and for numbers, days and times sum, least and most. Throws `not-reconciled` where
 * they differ, which ends the load before anything is kept of it. `staging`: the table of the staged records.
 */
export async function reconcile(writing: Writing, staging: string, staged: Totals): Promise<Reconciliation> {
  const { client, about, table, id, pages } = writing;
  const { plan } = about;
  const own = `t.${ident(WRITING)} = ${id}`;
  const look = (where: string): Promise<Totals> =>
    withSettings(client, { parallel_setup_cost: "0", parallel_tuple_cost: "0" }, () =>
      totalsOf(client, plan, `${table} t where ${where}`, (n) => `t.${ident(n)}`),
    );
  if (plan.load.key.length > 0) {
    // Few rows in a large table are looked up one by one; many are met in one pass over it.
    const { rows } = await client.query<{ few: boolean }>(
      "select pg_table_size(to_regclass($1)) * 20 < pg_table_size(to_regclass($2)) as few",
      [staging, table],
    );
    if (rows[0]!.few) {
      const have = await columnsByName(client, table);
      const same = plan.load.key.map((k) => `t.${ident(k)} = ${stagedValue(k, have.get(k))}`).join(" and ");
      const byKey = await withSettings(client, { enable_hashjoin: "off", enable_mergejoin: "off", jit: "off" }, () =>
        totalsOf(client, plan, `${staging} s join ${table} t on ${same} where ${own}`, (n) => `t.${ident(n)}`),
      );
      // Rows that were merged into others have no record of their own.
      if (byKey.rows === staged.rows) return compareTotals(plan, staged, byKey);
    }
  } else if (pages > 1) {
    // What was added stands at the table's end as a rule; the rest is looked at unless all of it is there.
    const atEnd = await look(`t.ctid >= '(${pages - 1},0)'::tid and ${own}`);
    if (atEnd.rows === staged.rows) return compareTotals(plan, staged, atEnd);
  }
  return compareTotals(plan, staged, await look(own));
}

/** Puts both sides beside each other. Throws `not-reconciled`. */
function compareTotals(plan: Plan, staged: Totals, target: Totals): Reconciliation {
  const fields = summed(plan).map(({ name, sums }, i): ReconciledField => {
    const [a, b] = [staged.fields[i]!, target.fields[i]!];
    return { name, sum: sums ? [a[0], b[0]] : null, least: [a[1], b[1]], most: [a[2], b[2]] };
  });
  const faults: string[] = [];
  const compare = (what: string, [a, b]: readonly [unknown, unknown]): void => {
    if (a !== b) faults.push(`${what}: ${a ?? "nothing"} in the ledger, ${b ?? "nothing"} in the target`);
  };
  compare("rows", [staged.rows, target.rows]);
  compare("hash over keys", [staged.keys, target.keys]);
  for (const f of fields) {
    if (f.sum) compare(`sum of ${f.name}`, f.sum);
    compare(`least ${f.name}`, f.least);
    compare(`most ${f.name}`, f.most);
  }
  if (faults.length > 0) {
    const table = `${plan.load.schema ?? "target"}.${plan.load.target}`;
    throw new SieveError("not-reconciled", `${table} does not have what the load has written: ${faults[0]}.`, {
      detail: faults.join("\n"),
      hint: "Look for a trigger or a rule of that table that changes values or drops rows. Nothing was written.",
    });
  }
  return { rows: [staged.rows, target.rows], keys: [staged.keys, target.keys], fields };
}
