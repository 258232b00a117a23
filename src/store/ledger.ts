import { concat } from "@/core/kernel/bytes.ts";
import type { Tally } from "@/core/course/tally.ts";
import type { Queryable } from "./db.ts";

/** A block of a load's ledger. */
export interface LedgerBlock {
  load: number;
  block: number;
  file: number;
  firstRecord: number;
  firstInFile: number;
  line: number;
  byteStart: number;
  byteEnd: number;
  /** What steps carry into it from the records before. */
  carry: string;
  outcomes: Buffer;
  checks: number[];
  steps: number[];
  changed: number[];
  filled: number[];
  faulty: number[];
}

/**
 * One attempt at a load. What is still on its way from an attempt that has ended, its process dead
 * or its connection gone, comes too late: it is refused once the next one has begun, and the next
 * one waits for what is being written.
 */
export interface Attempt {
  readonly load: number;
  readonly attempt: number;
}

/** Of a statement whose $1 is the load and $2 the attempt: gives a row, and keeps the next attempt waiting, as long as it is the one. */
export const OF_ATTEMPT =
  "of_attempt as materialized (select from sieve.load where id = $1 and attempts = $2 for share)";

/** Throws where a statement of an attempt came too late. */
export function inTime(rowCount: number | null, { load, attempt }: Attempt): void {
  if (rowCount === 0) throw new Error(`attempt ${attempt} at load ${load} has been given up`);
}

export async function addBlock(
  db: Queryable,
  attempt: Attempt,
  block: Omit<LedgerBlock, "load" | "outcomes" | "checks" | "steps" | "changed" | "filled" | "faulty"> & {
    outcomes: Uint8Array;
    tally: Tally;
    packed: Uint8Array | null;
    /** Which values the records have that were left out. */
    left: Uint8Array | null;
  },
): Promise<void> {
  const { tally } = block;
  const { rowCount } = await db.query({
    name: "add-block",
    text: `with ${OF_ATTEMPT} insert into sieve.ledger_block (load, block, file, first_record, first_in_file, line, byte_start, byte_end,
      outcomes, checks, steps, changed, filled, faulty, packed, carry, left_values)
      select $1,$3::int,$4::int,$5::int,$6::int,$7::int,$8::bigint,$9::bigint,$10::bytea,$11::int[],$12::int[],$13::int[],
        $14::int[],$15::int[],$16::bytea,$17::text,$18::bytea from of_attempt`,
    values: [
      attempt.load,
      attempt.attempt,
      block.block,
      block.file,
      block.firstRecord,
      block.firstInFile,
      block.line,
      block.byteStart,
      block.byteEnd,
      asBuffer(block.outcomes),
      tally.checks,
      tally.steps,
      tally.changed,
      tally.filled,
      tally.faulty,
      block.packed && asBuffer(block.packed),
      block.carry,
      block.left && asBuffer(block.left),
    ],
  });
  inTime(rowCount, attempt);
}

/** The same bytes as the driver takes them. */
export function asBuffer(bytes: Uint8Array): Buffer {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length);
}

/** Writes a block's outcomes anew. */
export async function putOutcomes(
  db: Queryable,
  load: number,
  { block, outcomes }: Pick<LedgerBlock, "block" | "outcomes">,
): Promise<void> {
  await db.query("update sieve.ledger_block set outcomes = $3 where load = $1 and block = $2", [load, block, outcomes]);
}

/** The records of a block as they were read, where its file can't be entered in the middle. */
export async function packedBlock(db: Queryable, load: number, block: number): Promise<Uint8Array | null> {
  const { rows } = await db.query<{ packed: Buffer | null }>(
    "select packed from sieve.ledger_block where load = $1 and block = $2",
    [load, block],
  );
  return rows[0]?.packed ?? null;
}

/** The columns of a block. */
export const BLOCK = `load, block, file, first_record as "firstRecord", first_in_file as "firstInFile", line,
  byte_start as "byteStart", byte_end as "byteEnd", outcomes, checks, steps, changed, filled, faulty, carry`;

/** The blocks of a load from a record on, some at a time. */
export async function* ledgerBlocks(db: Queryable, load: number, fromRecord = 0): AsyncGenerator<LedgerBlock> {
  let after = -1;
  for (;;) {
    const { rows } = await db.query<LedgerBlock>(
      `select ${BLOCK} from sieve.ledger_block
       where load = $1 and block > $2 and first_record + octet_length(outcomes) > $3 order by block limit 64`,
      [load, after, fromRecord],
    );
    if (rows.length === 0) return;
    yield* rows;
    after = rows.at(-1)!.block;
  }
}

/** The outcomes of all records of a load, a byte each, in their order. */
export async function outcomesOf(db: Queryable, load: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for await (const block of ledgerBlocks(db, load)) parts.push(block.outcomes);
  return concat(parts);
}

/** Problems that only the whole load showed, for the records of a range. */
export interface LateProblem {
  record: number;
  check: string;
  file: number | null;
  line: number | null;
  /** The facts, in words, where the record's own values do not say them. */
  detail: string | null;
}

export async function addLateProblems(
  db: Queryable,
  attempt: Attempt,
  check: string,
  found: readonly Omit<LateProblem, "check">[],
): Promise<void> {
  if (found.length === 0) return;
  const { rowCount } = await db.query(
    `with ${OF_ATTEMPT} insert into sieve.late_problem (load, record, check_key, file, line, detail)
     select $1, r, $3, f, l, d from of_attempt, unnest($4::int[], $5::int[], $6::int[], $7::text[]) as x (r, f, l, d)`,
    [
      attempt.load,
      attempt.attempt,
      check,
      ...(["record", "file", "line", "detail"] as const).map((k) => found.map((r) => r[k])),
    ],
  );
  inTime(rowCount, attempt);
}

export async function lateProblems(db: Queryable, load: number, from: number, to: number): Promise<LateProblem[]> {
  const { rows } = await db.query<LateProblem>(
    `select record, check_key as check, file, line, detail from sieve.late_problem
     where load = $1 and record >= $2 and record < $3 order by record, check_key`,
    [load, from, to],
  );
  return rows;
}

/** Records of which a cell did not change what the target had, each with what stays there; of very many the first ones. */
export async function keptCells(
  db: Queryable,
  load: number,
  field: string,
  because: string,
): Promise<Map<number, string>> {
  const { rows } = await db.query<{ record: number; stays: string }>(
    "select record, stays from sieve.kept_cell where load = $1 and field = $2 and because = $3",
    [load, field, because],
  );
  return new Map(rows.map((r) => [r.record, r.stays]));
}
