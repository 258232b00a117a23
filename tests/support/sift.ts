import { MemorySpill } from "@/core/check/repeats.ts";
import { BYTE, addToBalance, emptyBalance, heldByte, type Balance } from "@/core/kernel/ledger.ts";
import { mergeTally, newTally } from "@/core/course/tally.ts";
import { Figures } from "@/core/report/figures/figures.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { LoadInputs, Problem } from "@/core/course/compiled.ts";
import type { Plan } from "@/core/plan/document.ts";
import { siftFile } from "@/core/course/files.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { makeReport, type LoadReport, type ReportInput } from "@/core/report/report.ts";
import { Course } from "@/core/course/course.ts";
import { cleansedValues, fieldValues, problemsOf } from "@/core/course/of-record.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { memorySpool } from "./formats.ts";

export interface Sifting {
  report: LoadReport;
  balance: Balance;
  records: {
    line: number;
    file: number;
    held: boolean;
    values: string[];
    cleansed: string[];
    problems: Problem[];
    /** Keys of the checks that only the whole delivery showed to fail, and the facts that they told. */
    repeats: string[];
    details: string[];
  }[];
}

/** For tests of formats that never need one. */
export const noSpool = (): never => {
  throw new Error("no spool here");
};

export interface FileInMemory {
  name: string;
  bytes: Uint8Array;
}

/** A file as the readers take it, in pieces of `step` bytes. */
export function sourceOf({ name, bytes }: FileInMemory, step = 1 << 20) {
  return {
    name,
    bytes: bytes.length,
    async *chunks() {
      for (let at = 0; at < bytes.length; at += step) yield bytes.subarray(at, at + step);
    },
  };
}

/** A whole course in memory: what a load comes to, without a store. */
export async function siftAll(
  plan: Plan,
  files: FileInMemory[],
  step = 1 << 20,
  { day, run, ...more }: Pick<ReportInput, "history" | "received"> & LoadInputs = {},
): Promise<Sifting> {
  const compiled = compilePlan(plan, undefined, { day, run });
  const course = new Course(compiled, { spill: new MemorySpill(), expected: 1000, distinct: true });
  const tally = newTally(compiled);
  const records: Sifting["records"] = [];
  const facts: FileFacts[] = [];
  const unreadable = new Set<number>();
  const leftOut = new Set<number>();
  const figures = new Figures(compiled);
  for (const [i, file] of files.entries()) {
    const blocks = siftFile(course, sourceOf(file, step), i, plan.read, memorySpool);
    for (;;) {
      const next = await blocks.next();
      if (next.done) {
        facts.push(...next.value);
        break;
      }
      const sifted = next.value;
      mergeTally(tally, sifted.tally);
      figures.add(sifted);
      for (let r = 0; r < sifted.block.count; r++) {
        if (sifted.verdict[r] === VERDICT.unreadable) unreadable.add(records.length);
        if (sifted.verdict[r] === VERDICT.leftOut) leftOut.add(records.length);
        records.push({
          line: sifted.block.origin.line[r]!,
          file: i,
          held: sifted.verdict[r] === VERDICT.held || sifted.verdict[r] === VERDICT.unreadable,
          values: fieldValues(sifted, r),
          cleansed: cleansedValues(sifted, r),
          problems: problemsOf(sifted, compiled, r),
          repeats: [],
          details: [],
        });
      }
    }
  }
  const late = new Map<string, number>();
  for (const { check, found } of course.resolveLate()) {
    const { key, onFailure } = compiled.checks[check]!;
    late.set(key, (late.get(key) ?? 0) + found.length);
    for (const { record, detail } of found) {
      records[record]!.repeats.push(key);
      if (detail !== null) records[record]!.details.push(detail);
      if (onFailure !== "note") records[record]!.held = true;
    }
  }
  const bytes = Uint8Array.from(records, (r, i) =>
    unreadable.has(i) ? heldByte("read") : leftOut.has(i) ? BYTE.leftOut : r.held ? heldByte("check") : BYTE.inserted,
  );
  const balance = emptyBalance();
  addToBalance(balance, bytes);
  const report = makeReport({
    compiled,
    tally,
    files: facts,
    balance,
    distinct: course.distinct.map((d) => d.finish()),
    late,
    figures: figures.finish(),
    controls: course.controls,
    ...more,
  });
  return { report, balance, records };
}

export function csv(text: string, name = "a.csv"): FileInMemory {
  return { name, bytes: new TextEncoder().encode(text) };
}
