import { Course } from "@/core/course/course.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { ledgerBlocks, type LedgerBlock } from "@/store/ledger.ts";
import { getLoad, needDetail } from "@/store/loads.ts";
import { compiledOfLoad, rerunBlock, type Rerun } from "./rerun.ts";

/** A block of a load that was computed again, with those of its records that are wanted. */
export interface Again {
  readonly block: LedgerBlock;
  readonly sifted: Sifted;
  readonly which: readonly number[];
  readonly rerun: Rerun;
}

/** The blocks of a load that have records which are wanted, computed again from its files. */
export async function* blocksAgain(db: Db, id: number, wanted: (outcome: number) => boolean): AsyncGenerator<Again> {
  const load = await getLoad(db, id);
  const { delivery, plan, report, state } = load;
  if (!report) {
    throw new SieveError("wrong-state", `Load ${id} is ${state}, so it has not accepted anything yet.`, {
      hint: "Wait until it has ended.",
    });
  }
  needDetail(load);
  const compiled = await compiledOfLoad(db, id, plan);
  const { files } = await getDelivery(db, delivery);
  const rerun = { compiled, files, facts: report.files };
  const course = new Course(compiled);
  for await (const block of ledgerBlocks(db, id)) {
    const which = [...block.outcomes.keys()].filter((r) => wanted(block.outcomes[r]!));
    if (which.length > 0) yield { block, which, rerun, sifted: await rerunBlock(db, rerun, course, block) };
  }
}
