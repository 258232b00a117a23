import { targetFields } from "@/core/plan/target-fields.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { loadedBeforeGate } from "@/core/gate/loaded-before.ts";
import { driftPolicy, type Drift } from "@/core/report/drift.ts";
import { printCheck } from "@/core/check/identity.ts";
import { TAKEN, UNMET } from "@/core/course/problem-words.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import type { Plan } from "@/core/plan/document.ts";
import { targetPlans } from "@/core/plan/further.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import type { LoadedBefore } from "@/core/gate/part.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { brokenRules } from "../writing/rules.ts";
import { ruleProblem } from "./late.ts";
import { sameRecord, type Absent } from "../writing/meet.ts";
import { inSlices } from "../writing/slice.ts";
import { columnsByName, plannedColumns, recordColumns, sameKey, tableOf, targetColumns } from "../writing/target.ts";

/** Staged records that are held against what is known only at the end: the target's rows and rules, the files' drift. */
export interface StagedLoad {
  readonly client: Client;
  readonly id: number;
  readonly compiled: Compiled;
  /** The quoted name of the staged records' table. */
  readonly staging: string;
}

/** Records whose key the target already has are no longer staged; returns how many. */
export async function findTaken({ client, id, compiled, staging }: StagedLoad): Promise<number> {
  const target = tableOf(compiled.plan);
  const columns = await columnsByName(client, target);
  const same = sameKey(compiled.plan.load.key, columns);
  const { rows } = await client.query<{ any: boolean }>(`select exists (select from ${target}) as any`);
  if (!rows[0]!.any) return 0;
  await client.query(`analyze ${staging}`);
  const stays = compiled.plan.load.slice === undefined ? "" : ` and not ${await inSlices(client, compiled.plan)}`;
  const { rowCount } = await client.query(
    `with taken as (delete from ${staging} s using ${target} t where ${same}${stays} returning s._record)
       insert into sieve.late_problem (load, record, check_key) select $1, _record, $2 from taken`,
    [id, TAKEN],
  );
  return rowCount ?? 0;
}

/** Records whose key has no row are no longer staged, where rows are only updated; returns how many. */
export async function findUnmet({ client, id, compiled, staging }: StagedLoad, exists: boolean): Promise<number> {
  let met = "";
  if (exists) {
    const columns = await columnsByName(client, tableOf(compiled.plan));
    const same = sameKey(compiled.plan.load.key, columns);
    met = ` where not exists (select from ${tableOf(compiled.plan)} t where ${same})`;
  }
  await client.query(`analyze ${staging}`);
  const { rowCount } = await client.query(
    `with unmet as (delete from ${staging} s${met} returning s._record)
       insert into sieve.late_problem (load, record, check_key) select $1, _record, $2 from unmet`,
    [id, UNMET],
  );
  return rowCount ?? 0;
}

/**
 * How many of the records the target has already: by its key where records are only added, of which
 * `taken` were found; else by a row that is alike in all fields. Null where no gate asks.
 */
export async function findLoadedBefore(
  { client, compiled, staging }: StagedLoad,
  taken: number,
): Promise<LoadedBefore | null> {
  const { plan } = compiled;
  if (!loadedBeforeGate(plan)) return null;
  const { rows } = await client.query<{ n: number }>(`select count(*)::int as n from ${staging}`);
  const left = rows[0]!.n;
  if (plan.load.mode === "append" && plan.load.key.length > 0) return { records: taken, of: left + taken, by: "key" };
  const target = tableOf(plan);
  const columns = await plannedColumns(client, plan);
  const names = targetFields(plan).map((f) => f.name);
  const { rows: same } = await client.query<{ n: number }>(
    `select count(*)::int as n from ${staging} s where exists (select from ${target} t where ${sameRecord(names, columns)})`,
  );
  return { records: same[0]!.n, of: left, by: "all fields" };
}

/** Fields whose column is in no file of a load, or not in those of some of its records. */
export async function absentFields(client: Queryable, load: number, files: readonly FileFacts[]): Promise<Absent> {
  const lacking = new Map<string, number[]>();
  files.forEach((f, i) => {
    for (const name of f.missing) lacking.set(name, [...(lacking.get(name) ?? []), i]);
  });
  const all = new Set([...lacking].filter(([, in_]) => in_.length === files.length).map(([name]) => name));
  const some = new Map<string, readonly (readonly [number, number])[]>();
  if (lacking.size === all.size) return { all, some };
  const { rows } = await client.query<{ file: number; first: number; past: number }>(
    `select file, min(first_record) as first, max(first_record + octet_length(outcomes)) as past
     from sieve.ledger_block where load = $1 group by file`,
    [load],
  );
  for (const [name, parts] of lacking) {
    if (all.has(name)) continue;
    some.set(
      name,
      rows.filter((r) => parts.includes(r.file)).map((r) => [r.first, r.past] as const),
    );
  }
  return { all, some };
}

/** Adds a problem to those of a record. */
export function addTo(found: Map<number, Problem[]>, record: number, problem: Problem): void {
  found.set(record, [...(found.get(record) ?? []), problem]);
}

/**
 * Adds to `found`, by record, why the target would refuse what is staged: a column that must not be empty and is, and,
 * for records of which nothing is said yet, the first rule of the target that they would break.
 */
export async function addRefusals(
  client: Queryable,
  plan: Plan,
  staging: string,
  { key, found, but }: { key: boolean; found: Map<number, Problem[]>; but?: readonly string[] },
): Promise<void> {
  const own = new Set(recordColumns(plan));
  for (const { name, notNull, filled } of await targetColumns(client, tableOf(plan))) {
    if (!notNull || filled || !own.has(name)) continue;
    const { rows } = await client.query<{ record: number }>(
      `select "_record" as record from ${staging} where ${ident(name)} is null`,
    );
    const rule = { columns: [name], definition: `a value of ${name}` };
    for (const { record } of rows) addTo(found, record, ruleProblem("not null", rule, []));
  }
  for (const { rule, from, where } of await brokenRules(client, plan, staging, { key, ...(but ? { but } : {}) })) {
    const { rows } = await client.query<{ record: number }>(
      `select s.record_number as record from ${from} where ${where}`,
    );
    for (const { record } of rows) {
      if (!found.has(record)) addTo(found, record, ruleProblem(rule.name, rule, []));
    }
  }
}

/**
 * Records that the target would refuse by a rule of its own (a check, a unique or a foreign key)
 * are no longer staged; gives how many, and the rules by name.
 */
export async function findBroken({
  client,
  id,
  compiled,
  staging,
}: StagedLoad): Promise<{ broken: number; rules: Map<string, TableRule> }> {
  const found = new Map<string, TableRule>();
  // What is written before the target may bring what its records refer to.
  const [, ...further] = targetPlans(compiled.plan);
  const but = further.map(tableOf);
  for (const { rule, from, where } of await brokenRules(client, compiled.plan, staging, { key: false, but })) {
    found.set(rule.name, rule);
    await client.query(
      `insert into sieve.late_problem (load, record, check_key)
         select $1, s.record_number, $2 from ${from} where ${where} on conflict do nothing`,
      [id, printCheck({ kind: "target", rule: rule.name })],
    );
  }
  if (found.size === 0) return { broken: 0, rules: found };
  const { rowCount } = await client.query(
    `delete from ${staging} s using sieve.late_problem l
       where l.load = $1 and l.record = s._record and l.check_key = any($2)`,
    [id, [...found.keys()].map((name) => printCheck({ kind: "target", rule: name }))],
  );
  return { broken: rowCount ?? 0, rules: found };
}

/** Characters of the key of a file that is held. */
const MOST_KEY = 200;

/** Files that have drifted as the plan won't have it are held, every record of them; returns how many. */
export async function holdFiles(
  { client, id, compiled, staging }: StagedLoad,
  drift: readonly Drift[],
  files: readonly FileFacts[],
): Promise<number> {
  const keys: string[] = [];
  for (const d of drift) {
    if (driftPolicy(compiled.plan, d.kind) !== "hold") continue;
    const key = printCheck({ kind: "file", drift: `${d.kind} ${d.name}` }).slice(0, MOST_KEY);
    keys.push(key);
    const parts = files.flatMap((f, i) => (d.files.includes(f.name) ? [i] : []));
    await client.query(
      `insert into sieve.late_problem (load, record, check_key)
         select $1, s._record, $2 from (
             select min(first_record) as first, max(first_record + octet_length(outcomes)) as past
             from sieve.ledger_block where load = $1 and file = any($3) group by file) f
           join ${staging} s on s._record >= f.first and s._record < f.past on conflict do nothing`,
      [id, key, parts],
    );
  }
  const { rowCount } = await client.query(
    `delete from ${staging} s using sieve.late_problem l
       where l.load = $1 and l.record = s._record and l.check_key = any($2)`,
    [id, keys],
  );
  return rowCount ?? 0;
}
