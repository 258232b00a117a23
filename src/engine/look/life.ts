import type { CellChange } from "@/core/sample/preview.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import { Course } from "@/core/course/course.ts";
import { arrivedCells, cleansedValues, fieldValues, rawBytes } from "@/core/course/of-record.ts";
import { heldAtOf, outcomeOf, type HeldAt, type Outcome } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import type { RecordState } from "@/core/report/found-words.ts";
import { rawText } from "@/core/read/source.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { planInForce } from "@/store/feeds.ts";
import { getHeld, type HeldBefore } from "@/store/held.ts";
import { ledgerBlocks, type LedgerBlock } from "@/store/ledger.ts";
import { getLoad } from "@/store/loads.ts";
import { compiledOfLoad, isExpired, problemsOfBlock, rerunBlock, type Rerun } from "../load/rerun.ts";
import { rowOfRecord, type Row } from "./find-value.ts";

/** One record of a load: as it came, what was made of it, and what became of it since. */
export interface RecordLife {
  readonly load: number;
  readonly feed: string;
  readonly record: number;
  readonly receivedAt: Date;
  readonly via: string;
  /** Empty: nobody has said. */
  readonly sender: string;
  readonly file: string;
  readonly line: number;
  readonly columns: readonly string[];
  readonly fields: readonly string[];
  /** What its bytes say of it; null where the delivery's bytes have gone. */
  readonly made: RecordMade | null;
  readonly outcome: Outcome | null;
  readonly at: HeldAt | null;
  readonly endedAt: Date | null;
  /** In the quarantine, by now or before. */
  readonly held: {
    readonly state: RecordState;
    readonly mended: Readonly<Record<string, string>> | null;
    readonly problems: readonly Problem[];
    readonly reason: string;
    readonly endedBy: string;
    readonly endedAt: Date | null;
    readonly withSender: Date | null;
    /** As which it came before, the latest first. */
    readonly before: readonly HeldBefore[];
    /** As which it came again. */
    readonly again: { readonly load: number; readonly record: number } | null;
  } | null;
  /** Records that it was found to be one with, or that a person was asked about. */
  readonly pairs: readonly RecordPair[];
  /** The first record of the cluster that it is in. */
  readonly cluster: number | null;
  /** What it became a part of in the target, as that is now, with what was done to it. */
  readonly row: Row | null;
}

/** How a record went through the course of its load. */
export interface RecordMade {
  readonly raw: string;
  /** Null for one that could not be read. */
  readonly cells: readonly string[] | null;
  /** By field: as it came, and as the course left it. */
  readonly arrived: readonly string[];
  readonly values: readonly string[];
  /** What each step of the plan did to it. */
  readonly steps: readonly { readonly changes: readonly CellChange[]; readonly leavesOut: boolean }[];
  readonly problems: readonly Problem[];
}

/** A record or a row that a record was compared with. */
export interface RecordPair {
  /** The other record of the load; or else the load and the record that a row of the target came from, or an entry of a list. */
  readonly other: number | null;
  readonly row: readonly [load: number, record: number] | null;
  readonly entry: readonly string[] | null;
  readonly score: number;
  readonly band: "same" | "ask";
  readonly decision: "same" | "different" | null;
  readonly decidedBy: string;
}

/** Pairs of one record that are given. */
const MOST_PAIRS = 20;

/** The life of a record of a load. Throws `no-load`, `no-report` and `no-record`. */
export async function lifeOf(db: Db, id: number, record: number): Promise<RecordLife> {
  const load = await getLoad(db, id);
  if (!load.report) {
    throw new SieveError("no-report", `Load ${id} is ${load.state}; its records can be shown when it has ended.`);
  }
  const [delivery, compiled] = [await getDelivery(db, load.delivery), await compiledOfLoad(db, id, load.plan)];
  const held = await heldOf(db, id, record);
  const block = await blockWith(db, id, record);
  if (!block && !held) {
    throw new SieveError("no-record", `Load ${id} has no record ${record + 1}.`, {
      hint: `It has read ${load.report.balance.read.toLocaleString("en")} records, or what it kept of them has expired.`,
    });
  }
  const rerun: Rerun = { compiled, files: delivery.files, facts: load.report.files };
  const found = block ? await made(db, id, rerun, block, record).catch(goneBytes) : null;
  const file = load.report.files[held?.file ?? block!.file];
  const outcome = block ? block.outcomes[record - block.firstRecord]! : null;
  const names = compiled.fields.map((f) => f.name);
  const cluster = await clusterOf(db, id, record);
  const own = new Map(
    names.map((name, f) => [
      name,
      held?.about.mended?.[name] ?? cluster?.kept[f] ?? found?.life.values[f] ?? held?.values.get(name) ?? "",
    ]),
  );
  const plan = (await planInForce(db, load.feed)).document;
  return {
    ...{ load: id, feed: load.feed, record, receivedAt: delivery.receivedAt, via: delivery.via },
    sender: held?.sender ?? delivery.sender,
    file: file?.name ?? "",
    line: held?.line ?? found?.line ?? 0,
    columns: file?.columns ?? [],
    fields: names,
    made: found?.life ?? null,
    outcome: outcome === null ? null : outcomeOf(outcome),
    at: outcome === null ? null : heldAtOf(outcome),
    endedAt: load.endedAt,
    held: held?.about ?? null,
    pairs: await pairsOf(db, id, record),
    cluster: cluster?.first ?? null,
    row: await rowOfRecord(db, plan, { load: id, record, values: own }),
  };
}

/** Bytes that have expired say nothing more; what the store kept is all there is. */
function goneBytes(error: unknown): null {
  if (isExpired(error)) return null;
  throw error;
}

async function blockWith(db: Db, load: number, record: number): Promise<LedgerBlock | null> {
  for await (const block of ledgerBlocks(db, load, record)) return block.firstRecord <= record ? block : null;
  return null;
}

/** Computes the record's block again, with all steps and with those before each that changed something in it. */
async function made(
  db: Db,
  load: number,
  rerun: Rerun,
  block: LedgerBlock,
  record: number,
): Promise<{ life: RecordMade; line: number }> {
  const { compiled } = rerun;
  const r = record - block.firstRecord;
  const after = async (steps: number): Promise<{ values: string[]; out: boolean }> => {
    const some: Compiled = { ...compiled, steps: compiled.steps.slice(0, steps) };
    const sifted = await rerunBlock(db, rerun, new Course(some), block);
    return { values: cleansedValues(sifted, r), out: sifted.verdict[r] === VERDICT.leftOut };
  };
  const arrived = await after(0);
  let now = arrived;
  const steps: { changes: CellChange[]; leavesOut: boolean }[] = [];
  for (const i of compiled.steps.keys()) {
    const then = now;
    // A step that the ledger has no change of in the whole block did nothing to this record.
    if ((block.steps[i] ?? 0) > 0) now = await after(i + 1);
    steps.push({
      changes: now.values.flatMap((value, field) =>
        value === then.values[field] ? [] : [{ field, before: then.values[field]!, after: value }],
      ),
      leavesOut: now.out && !then.out,
    });
  }
  const sifted = await rerunBlock(db, rerun, new Course(compiled), block);
  const problems = (await problemsOfBlock(db, load, rerun, sifted))(r);
  const unreadable = sifted.block.unreadable.has(r);
  const life: RecordMade = {
    raw: rawText(rawBytes(sifted.block, r)),
    cells: unreadable ? null : arrivedCells(sifted.block, r),
    arrived: arrived.values,
    values: fieldValues(sifted, r),
    steps: unreadable ? [] : steps,
    problems,
  };
  return { life, line: sifted.block.origin.line[r]! };
}

async function heldOf(db: Db, load: number, record: number) {
  const { rows } = await db.query<{
    file: number;
    sender: string | null;
    load: number | null;
    again: number | null;
  }>(
    `select h.file, h.sender, case when h.state = 'closed' then w.load end as load, h.came_as as again
     from sieve.held h left join sieve.writing w on w.id = h.writing where h.load = $1 and h.record = $2`,
    [load, record],
  );
  const [more] = rows;
  if (!more) return null;
  const { state, mended, problems, reason, endedBy, endedAt, withSender, before, line, fields, values } = await getHeld(
    db,
    load,
    record,
  );
  const again = more.load === null || more.again === null ? null : { load: more.load, record: more.again };
  return {
    ...{ file: more.file, sender: more.sender, line },
    values: new Map(fields.map((name, f) => [name, values[f] ?? ""])),
    about: { state, mended, problems, reason, endedBy, endedAt, withSender, before, again },
  };
}

async function pairsOf(db: Db, load: number, record: number): Promise<RecordPair[]> {
  const { rows } = await db.query<RecordPair>(
    `select case when record = $2 then other else record end as other,
       case when row_load is not null then array[row_load, row_record] end as row, entry, score, band, decision, decided_by as "decidedBy"
     from sieve.match_pair where load = $1 and (record = $2 or other = $2) order by score desc, id limit ${MOST_PAIRS}`,
    [load, record],
  );
  return rows;
}

/** The cluster that a record is in, with the values that were kept of it. */
async function clusterOf(db: Db, load: number, record: number): Promise<{ first: number; kept: string[] } | null> {
  const { rows } = await db.query<{ first: number; kept: string[] }>(
    `select first, kept from sieve.cluster where load = $1 and members @> jsonb_build_array(jsonb_build_object('record', $2::int)) limit 1`,
    [load, record],
  );
  return rows[0] ?? null;
}
