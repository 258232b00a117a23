import { once } from "node:events";
import { from as copyFrom, type CopyStreamQuery } from "pg-copy-streams";
import { Course } from "@/core/course/course.ts";
import { BYTE } from "@/core/kernel/ledger.ts";
import { asBuffer, ledgerBlocks, putOutcomes } from "@/store/ledger.ts";
import { transactionNumber } from "@/store/writings.ts";
import { copyStatement, type Attempted } from "./attempted.ts";
import { copyDelimiter, copyRows, moreOf } from "./copy-rows.ts";
import { rerunBlock, type Rerun } from "./rerun.ts";
import { stagingHeld } from "./staging.ts";

/** Suspects that repeat nothing after all (the filter errs one time in thousands) go with the good ones. */
export async function absolveSuspects(of: Attempted, rerun: Rerun): Promise<void> {
  const { db, client, id, compiled } = of;
  const holding = compiled.checks.filter((c) => c.kind === "unique" && c.onFailure !== "note").map((c) => c.key);
  const { rows } = await client.query<{ record: number }>(
    `delete from ${stagingHeld(id)} h where suspect and not exists (select from sieve.late_problem l
       where l.load = $1 and l.record = h.record and l.check_key = any($2)) returning record`,
    [id, holding],
  );
  if (rows.length === 0) return;
  const innocent = new Set(rows.map((r) => r.record));
  await client.query("begin");
  of.xids.push(await transactionNumber(client));
  const copy = client.query(copyFrom(copyStatement(of))) as unknown as CopyStreamQuery;
  const course = new Course(compiled);
  const delimiter = copyDelimiter(compiled.plan.read.delimiter);
  // Through another client: this one takes the rows in.
  for await (const block of ledgerBlocks(db, id)) {
    const here = block.outcomes.map((_, r) => (innocent.has(block.firstRecord + r) ? 1 : 0));
    if (!here.includes(1)) continue;
    const sifted = await rerunBlock(db, rerun, course, block);
    copy.write(asBuffer(copyRows(sifted, delimiter, { only: innocent, more: moreOf(course, sifted, of.leaves) })));
    for (const [r, is] of here.entries()) if (is === 1) block.outcomes[r] = BYTE.inserted;
    await putOutcomes(db, id, block);
  }
  copy.end();
  await once(copy, "finish");
  await client.query("commit");
}
