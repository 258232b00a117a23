import type { Compiled, Problem } from "@/core/course/compiled.ts";
import { ident, type Client } from "@/store/db.ts";
import { turnOf } from "@/store/writings.ts";
import { meet, writeOver, type Meeting } from "./meet.ts";
import { addRefusals } from "../load/staged.ts";
import { stagedColumns, tableOf } from "./target.ts";
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

async function stage(client: Client, { plan }: Compiled, { record, values }: OneRecord): Promise<void> {
  const list = stagedColumns(plan).map((c, i) => `nullif($2::jsonb->>${i}, '')::${c.type} as ${ident(c.name)}`);
  await client.query(`drop table if exists ${STAGING}, ${MET}`);
  await client.query(`create temp table ${STAGING} on commit drop as select $1::int as "_record", ${list.join(", ")}`, [
    record,
    JSON.stringify(values),
  ]);
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
  const found = new Map<number, Problem[]>();
  await addRefusals(client, plan, STAGING, { key: !over, found });
  const [refused] = found.get(record.record) ?? [];
  if (refused) return refused;
  if (!over) {
    await writing.insertStaged(`${STAGING} s`, 1, record.load);
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
