import { readCheck } from "@/core/check/identity.ts";
import { heldAtOf, outcomeOf, type HeldAt, type Outcome } from "@/core/kernel/ledger.ts";
import type { Problem } from "@/core/course/compiled.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { rawText } from "@/core/read/source.ts";
import { Course } from "@/core/course/course.ts";
import { fieldValues, rawBytes } from "@/core/course/of-record.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { textOf } from "@/core/kernel/bytes.ts";
import { STAYED_IN } from "@/core/report/strata.ts";
import { STAGES, type Stage } from "@/core/plan/types.ts";
import type { Queryable } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import type { KeptBecause } from "@/core/plan/arriving.ts";
import { keptCells, ledgerBlocks, lateProblems, outcomesOf, type LedgerBlock } from "@/store/ledger.ts";
import { getLoad, needDetail } from "@/store/loads.ts";
import { compiledOfLoad, problemsOfBlock, rerunBlock, type Rerun } from "../load/rerun.ts";

/** Which records of a load are wanted. What is not said does not matter. */
export interface RecordFilter {
  outcome?: Outcome | "loaded" | undefined;
  at?: HeldAt | undefined;
  /** Records that left this stage: they did not stay behind there or before. */
  left?: Stage | undefined;
  /** The key of a check whose problem the record has. */
  check?: string | undefined;
  field?: string | undefined;
  /** What is true of the field's cell. */
  is?: "filled" | "empty" | "valid" | "faulty" | "changed" | undefined;
  /** Why the field's cell did not change what the target had. */
  kept?: KeptBecause | undefined;
  /** The number of a step that changed the record. */
  step?: number | undefined;
  /** Another load or trial of the same delivery, and what became of the record there. */
  against?: number | undefined;
  was?: Outcome | undefined;
}

/** A record of a load as it stands at the end of the course, and as it arrived. */
export interface RecordView {
  record: number;
  file: string;
  line: number;
  outcome: Outcome | null;
  at: HeldAt | null;
  /** By field. */
  arrived: string[];
  values: string[];
  changed: boolean[];
  problems: Problem[];
  /** Raw text, for a record that could not be read. */
  raw: string | null;
  /** What the target has in the field and kept. */
  stays?: string;
}

export interface RecordPage {
  fields: string[];
  records: RecordView[];
  /** Give as `from` to go on; null at the end. */
  next: number | null;
}

const LOADED: readonly (Outcome | null)[] = ["inserted", "updated", "unchanged"];

/**
 * Records of a load that fit a filter, computed again from the delivery's bytes: a page of `limit`
 * from record `from` on. The ledger says which blocks can be passed over.
 */
export async function findRecords(
  db: Queryable,
  loadId: number,
  filter: RecordFilter,
  from = 0,
  limit = 100,
): Promise<RecordPage> {
  const load = await getLoad(db, loadId);
  if (!load.report) {
    throw new SieveError("no-report", `Load ${loadId} is ${load.state}; its records can be shown when it has ended.`);
  }
  needDetail(load);
  const compiled = await compiledOfLoad(db, load.id, load.plan);
  const fields = compiled.fields.map((f) => f.name);
  const field = filter.field === undefined ? -1 : fields.indexOf(filter.field);
  if (filter.field !== undefined && field < 0) {
    throw new SieveError("no-field", `The plan of load ${loadId} has no field “${filter.field}”.`);
  }
  const rerun: Rerun = { compiled, files: (await getDelivery(db, load.delivery)).files, facts: load.report.files };
  const course = new Course(compiled, { watch: filter.step });
  const check = filter.check === undefined ? -1 : compiled.checks.findIndex((c) => c.key === filter.check);
  const late =
    filter.check !== undefined
      ? new Set(
          (await lateProblems(db, loadId, 0, 2 ** 31 - 1)).filter((l) => l.check === filter.check).map((l) => l.record),
        )
      : null;

  const kept = filter.kept ? await keptCells(db, loadId, filter.field ?? "", filter.kept) : null;
  const there = filter.against !== undefined && filter.was ? await outcomesOf(db, filter.against) : null;
  const records: RecordView[] = [];
  for await (const block of ledgerBlocks(db, loadId, from)) {
    const last = block.firstRecord + block.outcomes.length;
    const lateHere = late !== null && [...late].some((r) => r >= block.firstRecord && r < last);
    if (!mayHave(block, filter, field, check, lateHere)) continue;
    if (kept && !block.outcomes.some((_, r) => kept.has(block.firstRecord + r))) continue;
    if (there && !block.outcomes.some((_, r) => outcomeOf(there[block.firstRecord + r] ?? 0) === filter.was)) continue;
    const sifted = await rerunBlock(db, rerun, course, block);
    const problems = await problemsOfBlock(db, loadId, rerun, sifted);
    for (let r = Math.max(0, from - block.firstRecord); r < block.outcomes.length; r++) {
      const byte = block.outcomes[r]!;
      const outcome = outcomeOf(byte);
      const at = heldAtOf(byte);
      if (filter.outcome === "loaded" ? !LOADED.includes(outcome) : filter.outcome && outcome !== filter.outcome)
        continue;
      if (filter.at && at !== filter.at) continue;
      if (there && outcomeOf(there[block.firstRecord + r] ?? 0) !== filter.was) continue;
      if (filter.left && !hasLeft(outcome, at, filter.left)) continue;
      if (kept && !kept.has(block.firstRecord + r)) continue;
      if (field >= 0 && filter.is && !cellIs(sifted, field, r, filter.is)) continue;
      if (
        filter.step !== undefined &&
        sifted.leftOutBy[r] !== filter.step + 1 &&
        !sifted.changed.some((c) => c[r] === 1)
      )
        continue;
      const own = filter.check !== undefined ? problems(r) : null;
      if (own && !own.some((p) => p.check === filter.check)) continue;
      if (records.length === limit) return { fields, records, next: block.firstRecord + r };
      records.push({
        record: block.firstRecord + r,
        file: rerun.facts[block.file]!.name,
        line: sifted.block.origin.line[r]!,
        outcome,
        at,
        arrived: arrivedByField(sifted, course, r),
        values: fieldValues(sifted, r),
        changed: sifted.changed.map((c) => c[r] === 1),
        problems: own ?? problems(r),
        raw: sifted.block.unreadable.has(r) ? rawText(rawBytes(sifted.block, r)) : null,
        ...(kept ? { stays: kept.get(block.firstRecord + r)! } : {}),
      });
    }
  }
  return { fields, records, next: null };
}

function arrivedByField(sifted: Sifted, course: Course, r: number): string[] {
  const { block } = sifted;
  return [...course.mapping.column].map((c) => {
    const at = r * block.width + c;
    return c < 0 || c >= block.width ? "" : textOf(sifted.heap.bytes, block.start[at]!, block.end[at]!);
  });
}

function hasLeft(outcome: Outcome | null, at: HeldAt | null, stage: Stage): boolean {
  if (outcome === "left out") return STAGES.indexOf("Cleanse") > STAGES.indexOf(stage);
  if (outcome === "merged" || outcome === "waiting") return STAGES.indexOf("Match") > STAGES.indexOf(stage);
  return at === null || STAGES.indexOf(STAYED_IN[at]) > STAGES.indexOf(stage);
}

/** False when the ledger shows that no record of the block can fit. */
function mayHave(block: LedgerBlock, filter: RecordFilter, field: number, check: number, lateHere: boolean): boolean {
  if (filter.outcome || filter.at) {
    let any = false;
    for (let r = 0; r < block.outcomes.length && !any; r++) {
      const outcome = outcomeOf(block.outcomes[r]!);
      const fits =
        filter.outcome === "loaded" ? LOADED.includes(outcome) : !filter.outcome || outcome === filter.outcome;
      any = fits && (!filter.at || heldAtOf(block.outcomes[r]!) === filter.at);
    }
    if (!any) return false;
  }
  if (check >= 0 && block.checks[check] === 0 && !lateHere) return false;
  if (filter.check !== undefined && check < 0 && readCheck(filter.check).kind !== "read" && !lateHere) return false;
  if (filter.step !== undefined && block.steps[filter.step] === 0) return false;
  if (field >= 0) {
    if (filter.is === "changed" && block.changed[field] === 0) return false;
    if (filter.is === "faulty" && block.faulty[field] === 0) return false;
    if (filter.is === "filled" && block.filled[field] === 0) return false;
  }
  return true;
}

function cellIs(sifted: Sifted, field: number, r: number, is: NonNullable<RecordFilter["is"]>): boolean {
  if (sifted.verdict[r] === VERDICT.unreadable) return false;
  const { start, end } = sifted.cells[field]!;
  const filled = start[r] !== end[r];
  const fault = sifted.faults[field]![r] !== 0;
  switch (is) {
    case "filled":
      return filled;
    case "empty":
      return !filled;
    case "valid":
      return filled && !fault;
    case "faulty":
      return filled && fault;
    case "changed":
      return sifted.changed[field]![r] === 1;
  }
}
