import type { TableRule } from "@/core/interop/table.ts";
import { driftPolicy, type Drift } from "@/core/map/drift.ts";
import { TAKEN, type Compiled } from "@/core/plan/compile.ts";
import type { FileFacts } from "@/core/read/source.ts";
import { ident, type Client } from "@/store/db.ts";
import { tableRules } from "./existing-table.ts";
import { recordColumns, staged, tableOf, targetColumns } from "./target.ts";

/** Staged records that are held against what is known only at the end: the target's rows and rules, the files' drift. */
interface StagedLoad {
  readonly client: Client;
  readonly id: number;
  readonly compiled: Compiled;
  /** The quoted name of the staged records' table. */
  readonly staging: string;
}

/** Records whose key the target already has are no longer staged; returns how many. */
export async function findTaken({ client, id, compiled, staging }: StagedLoad): Promise<number> {
  const target = tableOf(compiled.plan);
  const columns = new Map((await targetColumns(client, target)).map((c) => [c.name, c]));
  const same = compiled.plan.load.key.map((k) => `${staged(k, columns.get(k))} = t.${ident(k)}`).join(" and ");
  const { rows } = await client.query<{ any: boolean }>(`select exists (select from ${target}) as any`);
  if (!rows[0]!.any) return 0;
  await client.query(`analyze ${staging}`);
  const { rowCount } = await client.query(
    `with taken as (delete from ${staging} s using ${target} t where ${same} returning s._record)
       insert into sieve.late_problem (load, record, check_key) select $1, _record, $2 from taken`,
    [id, TAKEN],
  );
  return rowCount ?? 0;
}

/**
 * Records that the target would refuse by a rule of its own (a check, a unique or a foreign key)
 * are no longer staged; gives how many, and the rules by name. The rules are the database's, word for word.
 */
export async function findBroken({
  client,
  id,
  compiled,
  staging,
}: StagedLoad): Promise<{ broken: number; rules: Map<string, TableRule> }> {
  const found = new Map<string, TableRule>();
  const { plan } = compiled;
  const table = tableOf(plan);
  const columns = await targetColumns(client, table);
  const own = new Set(recordColumns(plan));
  const row = columns.map((c) => `${own.has(c.name) ? staged(c.name, c) : `null::${c.type}`} as ${ident(c.name)}`);
  const rows = `(select s._record as record_number, ${row.join(", ")} from ${staging} s) s`;
  for (const rule of await tableRules(client, table)) {
    const unknown = columns.some((c) => rule.columns.includes(c.name) && !own.has(c.name) && c.filled);
    if (rule.kind === "primary" || unknown) continue;
    found.set(rule.name, rule);
    const filled = rule.columns.map((c) => `s.${ident(c)} is not null`).join(" and ");
    let where: string;
    if (rule.kind === "check") where = `(${rule.sql}) is false`;
    else if (rule.kind === "foreign") where = `${filled} and (${rule.sql}) is not true`;
    else {
      const list = rule.columns.map((c) => ident(c)).join(", ");
      const same = (names: readonly string[]): string =>
        names.map((n) => `t.${ident(n)} = s.${ident(n)}`).join(" and ");
      const other = plan.load.mode === "upsert" ? ` and not (${same(plan.load.key)})` : "";
      const there =
        plan.load.mode === "replace" ? "" : ` or exists (select from ${table} t where ${same(rule.columns)}${other})`;
      where = `${filled} and (s.record_number in (select n.record_number from (select s.record_number,
            row_number() over (partition by ${list} order by s.record_number) as turn from ${rows} where ${filled}) n where n.turn > 1)${there})`;
    }
    await client.query(
      `insert into sieve.late_problem (load, record, check_key)
         select $1, s.record_number, $2 from ${rows} where ${where} on conflict do nothing`,
      [id, `target:${rule.name}`],
    );
  }
  if (found.size === 0) return { broken: 0, rules: found };
  const { rowCount } = await client.query(
    `delete from ${staging} s using sieve.late_problem l
       where l.load = $1 and l.record = s._record and l.check_key = any($2)`,
    [id, [...found.keys()].map((name) => `target:${name}`)],
  );
  return { broken: rowCount ?? 0, rules: found };
}

/** Files that have drifted as the plan won't have it are held, every record of them; returns how many. */
export async function holdFiles(
  { client, id, compiled, staging }: StagedLoad,
  drift: readonly Drift[],
  files: readonly FileFacts[],
): Promise<number> {
  for (const d of drift) {
    if (driftPolicy(compiled.plan, d.kind) !== "hold") continue;
    const parts = files.flatMap((f, i) => (d.files.includes(f.name) ? [i] : []));
    await client.query(
      `insert into sieve.late_problem (load, record, check_key)
         select $1, s._record, $2 from (
             select min(first_record) as first, max(first_record + octet_length(outcomes)) as past
             from sieve.ledger_block where load = $1 and file = any($3) group by file) f
           join ${staging} s on s._record >= f.first and s._record < f.past on conflict do nothing`,
      [id, `file:${d.kind} ${d.name}`.slice(0, 200), parts],
    );
  }
  const { rowCount } = await client.query(
    `delete from ${staging} s using sieve.late_problem l
       where l.load = $1 and l.record = s._record and starts_with(l.check_key, 'file:')`,
    [id],
  );
  return rowCount ?? 0;
}
