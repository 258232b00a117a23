import { BYTE, heldByte } from "@/core/kernel/ledger.ts";
import { readCheck } from "@/core/check/identity.ts";
import { Course } from "@/core/course/course.ts";
import type { Client, Db } from "@/store/db.ts";
import { OF_ATTEMPT, inTime, ledgerBlocks, lateProblems, putOutcomes, type Attempt } from "@/store/ledger.ts";
import { heldMeetsRow } from "../release/overtake.ts";
import type { HeldRow } from "../threads/messages.ts";
import { tableOf } from "../writing/target.ts";
import { holdingBetween } from "./between.ts";
import { heldRow } from "./held-rows.ts";
import { fieldsOf, lateProblem } from "./late.ts";
import { rerunBlock, type Rerun } from "./rerun.ts";
import { stagingHeld } from "./staging.ts";

/** Makes the table in which a load's held records stand until they go into the quarantine. */
export async function makeStagedHeld(client: Client, load: number): Promise<void> {
  await client.query(
    `create unlogged table ${stagingHeld(load)} (record integer not null, at text, file integer, line integer,
       byte_start bigint, byte_end bigint, raw text, cells jsonb, field_values jsonb, problems jsonb, sender text, suspect boolean)`,
  );
}

/** Stages held records, given as a JSON array of `HeldRow`. Throws where the attempt is over. */
export async function stageHeld(db: Pick<Db, "query">, attempt: Attempt, rows: string): Promise<void> {
  const { rowCount } = await db.query(
    `with ${OF_ATTEMPT} insert into ${stagingHeld(attempt.load)}
     select record, at, file, line, byte_start, byte_end, raw, cells, field_values, problems, sender, suspect
     from of_attempt, jsonb_to_recordset($3::jsonb) as x (record integer, at text, file integer, line integer, byte_start bigint,
       byte_end bigint, raw text, cells jsonb, field_values jsonb, problems jsonb, sender text, suspect boolean)`,
    [attempt.load, attempt.attempt, rows],
  );
  inTime(rowCount, attempt);
}

/** What becomes of a load's held records in its closing transaction. */
export class Holding {
  constructor(
    private readonly client: Client,
    private readonly attempt: Attempt,
    private readonly rerun: Rerun,
  ) {}

  /**
   * Marks records in the ledger that a check between records holds, whose key was taken, or that a
   * rule of the target refuses; with `hold`, stages them for the quarantine. `late`: their problems by key.
   */
  async markLate(late: ReadonlyMap<string, number>, hold: boolean): Promise<void> {
    const { client, rerun } = this;
    const { compiled } = rerun;
    const id = this.attempt.load;
    const course = new Course(compiled);
    const apart = holdingBetween(compiled);
    const others = [...late.keys()].filter((key) => ["taken", "unmet", "target", "file"].includes(readCheck(key).kind));
    for await (const block of ledgerBlocks(client, id)) {
      const { rows } = await client.query<{ record: number; apart: boolean }>(
        `select record, bool_or(check_key = any($4)) as apart from sieve.late_problem
         where load = $1 and record >= $2 and record < $3
           and check_key = any($5)
         group by record order by record`,
        [id, block.firstRecord, block.firstRecord + block.outcomes.length, apart, [...apart, ...others]],
      );
      const here = rows
        .map(({ record, apart }) => ({
          r: record - block.firstRecord,
          at: apart ? ("check" as const) : ("load" as const),
        }))
        .filter(({ r }) => block.outcomes[r] === BYTE.inserted);
      if (here.length === 0) continue;
      for (const { r, at } of here) block.outcomes[r] = heldByte(at);
      await putOutcomes(client, id, block);
      if (!hold) continue;
      const sifted = await rerunBlock(client, rerun, course, block);
      const rowsHeld: HeldRow[] = here.map(({ r, at }) => ({ ...heldRow(sifted, compiled, r, at), suspect: false }));
      await stageHeld(client, this.attempt, JSON.stringify(rowsHeld));
    }
  }

  /** Moves held records from staging into the quarantine, with the problems that were found late. */
  async write(feed: string, targetExists: boolean): Promise<void> {
    const { client, rerun } = this;
    const id = this.attempt.load;
    const held = stagingHeld(id);
    await client.query(`create temp table late_words (record integer, problems jsonb) on commit drop`);
    // The words of late problems need the values; only records that have such problems are touched.
    await client.query(
      `declare late_held no scroll cursor for select h.record, h.field_values as "values" from ${held} h
       where exists (select from sieve.late_problem l where l.load = ${id} and l.record = h.record) order by h.record`,
    );
    for (;;) {
      const { rows } = await client.query<{ record: number; values: string[] }>("fetch 5000 from late_held");
      if (rows.length === 0) break;
      const words: { record: number; problems: unknown[] }[] = [];
      const found = await lateProblems(client, id, rows[0]!.record, rows.at(-1)!.record + 1);
      const values = new Map(rows.map((r) => [r.record, r.values]));
      for (const l of found) {
        const own = values.get(l.record);
        if (!own) continue;
        const problem = lateProblem(
          rerun,
          l,
          fieldsOf(rerun, l.check).map((f) => own[f]!),
          (name) => own[rerun.compiled.fields.findIndex((f) => f.name === name)] ?? null,
        );
        const last = words.at(-1);
        if (last?.record === l.record) last.problems.push(problem);
        else words.push({ record: l.record, problems: [problem] });
      }
      await client.query(
        "insert into late_words select record, problems from jsonb_to_recordset($1::jsonb) as x (record integer, problems jsonb)",
        [JSON.stringify(words)],
      );
    }
    await client.query("close late_held");
    await client.query(
      `insert into sieve.held (load, record, feed, at, file, line, byte_start, byte_end, raw, cells, field_values, problems, checks, sender, found)
       select $1, h.record, $2, h.at, h.file, h.line, h.byte_start, h.byte_end, decode(h.raw, 'base64'), h.cells,
         h.field_values, h.problems, h.checks, h.sender, ${targetExists ? this.foundSql() : "null"}
       from (select h.record, h.at, h.file, h.line, h.byte_start, h.byte_end, h.raw, h.cells, h.field_values, h.sender, p.problems,
           array(select distinct x->>'check' from jsonb_array_elements(p.problems) x where x->>'onFailure' <> 'note') as checks, null::jsonb as mended
         from ${held} h left join late_words w on w.record = h.record
           cross join lateral (select h.problems || coalesce(w.problems, '[]') as problems) p) h`,
      [id, feed],
    );
  }

  /** The version of the target's row that a held record `h` meets by its key, where its key can be told. */
  private foundSql(): string {
    const { plan, fields } = this.rerun.compiled;
    const meets = plan.load.mode === "upsert" ? heldMeetsRow(plan, fields) : null;
    return meets === null ? "null" : `(select t.xmin::text from ${tableOf(plan)} t where ${meets} limit 1)`;
  }
}
