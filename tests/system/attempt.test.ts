import { beforeAll, expect, it } from "vitest";
import { newTally } from "@/core/course/tally.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { addBlock, addLateProblems, type Attempt } from "@/store/ledger.ts";
import { planInForce } from "@/store/feeds.ts";
import { loadNow, newFeed, asOthers, useSystem } from "../support/system.ts";

/** What an attempt at a load left on its way, its worker dead, must not come among what the next one writes. */

const system = useSystem();
let load = 0;
beforeAll(async () => {
  const { db } = system;
  await newFeed(db, "things", [{ name: "a", type: "text" }]);
  ({ id: load } = await loadNow(db, "things", "a\nx\n"));
  // Only a load that has not ended has a ledger that can be written.
  for (const table of ["ledger_block", "late_problem"]) {
    await asOthers(system, `alter table sieve.${table} disable trigger user`);
  }
  await db.query("delete from sieve.ledger_block where load = $1", [load]);
  await db.query("update sieve.load set attempts = 1 where id = $1", [load]);
});

async function write(db: Parameters<typeof addBlock>[0], attempt: Attempt, block = 0): Promise<void> {
  const tally = newTally(compilePlan((await planInForce(system.db, "things")).document));
  const place = { file: 0, firstRecord: 0, firstInFile: 0, line: 2, byteStart: 0, byteEnd: 1, carry: "" };
  await addBlock(db, attempt, { ...place, block, outcomes: new Uint8Array(1), tally, packed: null, left: null });
}

it("is refused once the next one has begun, and the next one waits for what is being written", async () => {
  const { db } = system;
  const late = await db.connect();
  try {
    await late.query("begin");
    await write(late, { load, attempt: 1 });
    let begun = false;
    const next = db
      .query("update sieve.load set attempts = attempts + 1 where id = $1", [load])
      .then(() => (begun = true));
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(begun).toBe(false);
    await late.query("commit");
    await next;
  } finally {
    late.release();
  }
  // The next attempt sees all that the one before has written, so that it can take it away.
  const { rowCount } = await db.query("delete from sieve.ledger_block where load = $1", [load]);
  expect(rowCount).toBe(1);
  await expect(write(db, { load, attempt: 1 }, 1)).rejects.toThrow("attempt 1");
  const found = [{ record: 0, file: null, line: null, detail: null }];
  await expect(addLateProblems(db, { load, attempt: 1 }, "a:unique", found)).rejects.toThrow("attempt 1");
  await write(db, { load, attempt: 2 });
  await addLateProblems(db, { load, attempt: 2 }, "a:unique", found);
  const { rows } = await db.query("select count(*)::int as n from sieve.ledger_block where load = $1", [load]);
  expect(rows).toEqual([{ n: 1 }]);
});
