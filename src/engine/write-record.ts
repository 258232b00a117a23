import type { Compiled, Problem } from "@/core/plan/compile.ts";
import { ident, type Client } from "@/store/db.ts";
import { turnOf } from "@/store/writings.ts";
import { ruleProblem } from "./late.ts";
import { meet, writeOver, type Meeting } from "./meet.ts";
import { brokenRules } from "./staged-load.ts";
import { EXTRA, columnOf, recordColumns, staged, tableOf, targetColumns } from "./target.ts";
import { PART, PLACE, WRITING, type Writing } from "./writing.ts";

/** The names of the temporary tables in which a record stands before it is written. */
const STAGING = ident("one record");
const MET = ident("one record met");

/** A record that is to become a row of the target. */
export interface OneRecord {
  /** Where it comes from. */
  readonly load: number;
  readonly record: number;
  /** By field; empty for nothing. */
  readonly values: readonly string[];
  /** The turn of its load's writing: a row that was written after it is left alone. */
  readonly after: number;
}

async function stage(client: Client, { plan, fields }: Compiled, { record, values }: OneRecord): Promise<void> {
  const types = [...fields.map(columnOf), ...(plan.map.extra === "keep" ? [{ name: EXTRA, type: "jsonb" }] : [])];
  await client.query(`drop table if exists ${STAGING}, ${MET}`);
  await client.query(
    `create temp table ${STAGING} on commit drop as
     select $1::int as "_record", ${types.map((c, i) => `nullif($2::jsonb->>${i}, '')::${c.type} as ${ident(c.name)}`).join(", ")}`,
    [record, JSON.stringify(values)],
  );
}

/** The rule of the target that keeps the staged record out, as a problem; null where none does. */
async function refusal(writing: Writing, plan: Compiled["plan"], key: boolean): Promise<Problem | null> {
  const { client } = writing;
  const own = new Set(recordColumns(plan));
  for (const { name, notNull, filled } of await targetColumns(client, tableOf(plan))) {
    if (!notNull || filled || !own.has(name)) continue;
    const { rowCount } = await client.query(`select from ${STAGING} where ${ident(name)} is null`);
    if (rowCount) return ruleProblem("target:not null", { columns: [name], definition: `a value of ${name}` }, []);
  }
  for (const { rule, from, where } of await brokenRules(client, plan, STAGING, { key })) {
    const { rowCount } = await client.query(`select from ${from} where ${where} limit 1`);
    if (rowCount) return ruleProblem(`target:${rule.name}`, rule, []);
  }
  return null;
}

/**
 * Writes one record to the target, over the row that has its key where the plan upserts and
 * `alone` is not asked. Gives the problem where a rule of the target refuses it, or where something newer stands there.
 */
export async function writeRecord(
  writing: Writing,
  compiled: Compiled,
  record: OneRecord,
  { alone = false }: { alone?: boolean } = {},
): Promise<Problem | null> {
  const { client } = writing;
  const { plan } = compiled;
  const over = plan.load.mode === "upsert" && plan.load.key.length > 0 && !alone;
  await stage(client, compiled, record);
  const refused = await refusal(writing, plan, !over);
  if (refused) return refused;
  if (!over) {
    const have = new Map((await targetColumns(client, tableOf(plan))).map((c) => [c.name, c]));
    const names = recordColumns(plan);
    await writing.insert(
      names.map((n) => ident(n)),
      `select ${names.map((n) => staged(n, have.get(n))).join(", ")}, ${record.load}, s."_record", ${writing.id} from ${STAGING} s`,
      1,
    );
    return null;
  }
  const meeting: Meeting = { plan, staging: STAGING, met: MET, temporary: true };
  await meet(meeting, client);
  const { rows } = await client.query<{ by: number | null; turn: number; ours: boolean }>(
    `select t.${ident(WRITING)} as by, ${turnOf(`t.${ident(WRITING)}`)} as turn, t.xmin = any(${writing.ours}) as ours from ${MET} m
     join ${tableOf(plan)} t on t.ctid = m.${PLACE} and t.tableoid = m.${PART}`,
  );
  const there = rows[0];
  if (there && (!there.ours || there.by === null || there.turn > record.after)) {
    const by = there.ours && there.by !== null ? `writing ${there.by}` : "another program";
    return {
      check: "overtaken",
      field: plan.load.key[0]!,
      value: "",
      message: `Its key has been written since, by ${by}.`,
      expected: "a key that nothing newer has",
      onFailure: "hold",
    };
  }
  await writeOver(writing, meeting);
  return null;
}
