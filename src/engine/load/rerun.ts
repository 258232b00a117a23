import { SieveError } from "@/core/kernel/problem.ts";
import { addProblems, type Known } from "./late.ts";
import { deliveryLists } from "./delivery-lists.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import { getPlan } from "@/store/feeds.ts";
import { inputsOf, type Load } from "@/store/loads.ts";
import { referencesOfLoad } from "@/store/references.ts";
import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import type { DelimitedOptions } from "@/core/read/options.ts";
import { unpackBlock } from "@/core/read/packed.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { Course } from "@/core/course/course.ts";
import { problemsOf } from "@/core/course/of-record.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import type { Queryable } from "@/store/db.ts";
import { storedRange, type DeliveryFile } from "@/store/deliveries.ts";
import { lateProblems, packedBlock, type LateProblem, type LedgerBlock } from "@/store/ledger.ts";

/** A load's plan made ready, with the lists at the versions that the load asked and the checks that it made. */
export async function compiledOfLoad(db: Queryable, load: number, plan: number): Promise<Compiled> {
  const { document } = await getPlan(db, plan);
  const { rows } = await db.query<Pick<Load, "checksOff" | "askedAt" | "run" | "delivery">>(
    `select checks_off as "checksOff", asked_at as "askedAt", run, delivery from sieve.load where id = $1`,
    [load],
  );
  const { delivery } = rows[0]!;
  const lists = [await referencesOfLoad(db, load, document), await deliveryLists(db, delivery, document)];
  return compilePlan(document, new Map(lists.flatMap((l) => [...l])), inputsOf(rows[0]!));
}

/** Whether something can't be computed again as it is no longer kept: the bytes of its delivery, or the details of its load. */
export const isExpired = (error: unknown): boolean =>
  error instanceof SieveError && (error.code === "bytes-expired" || error.code === "detail-expired");

/** What a load's blocks need to be computed again. */
export interface Rerun extends Known {
  readonly files: readonly DeliveryFile[];
  readonly facts: readonly Pick<FileFacts, "read" | "columns" | "name" | "position">[];
}

/**
 * Computes one block of a load again from the delivery's bytes: the result is the same as when the
 * load ran. `course` may be reused for blocks of one load.
 */
export async function rerunBlock(db: Queryable, rerun: Rerun, course: Course, block: LedgerBlock): Promise<Sifted> {
  const { load } = block;
  const facts = rerun.facts[block.file]!;
  course.openFile(facts.columns, block.firstRecord - block.firstInFile);
  course.fileName = facts.name;
  course.carry = block.carry;
  const packed = await packedBlock(db, load, block.block);
  if (packed) return course.run(unpackBlock(packed));
  const reader = new DelimitedReader(facts.read as DelimitedOptions, block.file, {
    byte: block.byteStart,
    line: block.line,
    record: block.firstInFile,
    columns: facts.columns,
  });
  const bytes = await storedRange(db, rerun.files[facts.position ?? block.file]!.id, block.byteStart, block.byteEnd);
  const [again] = reader.push(bytes, true);
  if (again?.count !== block.outcomes.length) {
    throw new Error(
      `block ${block.block} has ${again?.count ?? 0} records when read again, not ${block.outcomes.length}`,
    );
  }
  return course.run(again);
}

/** The problems of every record of a block that was computed again, late ones too. */
export async function problemsOfBlock(
  db: Queryable,
  load: number,
  rerun: Rerun,
  sifted: Sifted,
): Promise<(record: number) => Problem[]> {
  const late = new Map<number, LateProblem[]>();
  for (const l of await lateProblems(db, load, sifted.first, sifted.first + sifted.block.count)) {
    late.set(l.record, [...(late.get(l.record) ?? []), l]);
  }
  return (r) => [
    ...problemsOf(sifted, rerun.compiled, r),
    ...addProblems(rerun, sifted, r, late.get(sifted.first + r) ?? []),
  ];
}
