import { readFile as readWhole, writeFile } from "node:fs/promises";
import type { Late } from "@/core/check/between/part.ts";
import { MemorySpill } from "@/core/check/repeats.ts";
import { BYTE, addToBalance, emptyBalance, heldByte } from "@/core/kernel/ledger.ts";
import { mergeTally, newTally } from "@/core/course/tally.ts";
import { Figures } from "@/core/report/figures/figures.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { lateProblem } from "@/core/course/problem-words.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parametersGiven } from "@/core/plan/parameters.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { SieveError, quoted } from "@/core/kernel/problem.ts";
import { openFile, rawText, type SourceFile, type Spool } from "@/core/read/source.ts";
import { isSideFile, siftFile } from "@/core/course/files.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { makeReport, type LoadReport } from "@/core/report/report.ts";
import { Course } from "@/core/course/course.ts";
import { arrivedCells, fieldValues, problemsOf, rawBytes } from "@/core/course/of-record.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { NOT_OF_TYPE, VERDICT } from "@/core/kernel/verdict.ts";
import { csvRow } from "@/core/write/csv.ts";
import { fileSpool } from "@/engine/threads/spool.ts";
import { fileSource } from "./files.ts";
import { goodOut, type GoodOptions, type GoodOut } from "./good-out.ts";
import { readLists } from "./lists.ts";
import { Output } from "@/engine/out/output.ts";

export async function loadPlan(path: string): Promise<Plan> {
  const text = await readWhole(path, "utf8").catch(() => {
    throw new SieveError("file-missing", `There is no plan ${path}.`, { hint: "Check the path." });
  });
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new SieveError("plan-invalid", `${path} is not JSON.`, { detail: (error as Error).message });
  }
  return parsePlan(value);
}

type LateByRecord = Map<number, (Omit<Late, "record"> & { check: string })[]>;

/** What only all the files together show: a pass of its own, so that records can be written in their order. */
async function findLate(compiled: Compiled, sources: readonly SourceFile[], spool: Spool): Promise<LateByRecord> {
  const byRecord: LateByRecord = new Map();
  if (!compiled.checks.some((c) => c.kind === "unique" || c.kind === "between")) return byRecord;
  const parts = { next: 0 };
  const bytes = sources.reduce((n, s) => n + s.bytes, 0);
  const course = new Course(compiled, { spill: new MemorySpill(), expected: bytes / 40 });
  for (const [i, source] of sources.entries()) {
    for await (const _ of siftFile(course, source, i, compiled.plan.read, spool, parts));
  }
  for (const { check, found } of course.resolveLate()) {
    const { key } = compiled.checks[check]!;
    for (const { record, ...late } of found) {
      const list = byRecord.get(record);
      if (list) list.push({ check: key, ...late });
      else byRecord.set(record, [{ check: key, ...late }]);
    }
  }
  return byRecord;
}

export interface SiftOutputs extends GoodOptions {
  held?: string;
  report?: string;
}

/** A day as ISO 8601. Throws `day-invalid`. */
export function dayGiven(day: string): string {
  const at = new Date(`${day}T00:00:00Z`);
  if (/^\d{4}-\d{2}-\d{2}$/.test(day) && !Number.isNaN(at.getTime()) && at.toISOString().startsWith(day)) return day;
  throw new SieveError("day-invalid", `${quoted(day)} is no day.`, { hint: "Give it as 2026-05-31." });
}

/**
 * The whole course over files without a database. `lists`: what look-ups ask, as `name=file`; `day`: what formulas
 * call the day of the load; `parameters`: what the run is given.
 */
export async function siftFiles(
  plan: Plan,
  paths: readonly string[],
  outputs: SiftOutputs,
  lists: readonly string[] = [],
  day = new Date().toISOString().slice(0, 10),
  parameters: Readonly<Record<string, string>> = {},
): Promise<LoadReport> {
  const { spool, close } = fileSpool();
  try {
    const compiled = compilePlan(plan, await readLists(plan, lists, spool, paths), {
      day,
      run: { parameters: parametersGiven(plan, parameters) },
    });
    return await sift(compiled, paths, outputs, spool);
  } finally {
    await close();
  }
}

async function sift(
  compiled: Compiled,
  paths: readonly string[],
  outputs: SiftOutputs,
  spool: Spool,
): Promise<LoadReport> {
  const sources = await Promise.all(paths.map(fileSource));
  const lateByRecord = await findLate(compiled, sources, spool);
  const course = new Course(compiled, { distinct: true });
  const good = await goodOut(
    outputs,
    compiled,
    sources.map((s) => s.name),
  );
  const held = new Output(outputs.held);
  try {
    return await siftInto({ compiled, sources, lateByRecord, course, good, held, report: outputs.report }, spool);
  } catch (error) {
    await Promise.all([good.drop(), held.drop()]);
    throw error;
  }
}

/** What a sifting from the command line goes over and into. */
interface Sifting {
  readonly compiled: Compiled;
  readonly sources: readonly SourceFile[];
  readonly lateByRecord: Awaited<ReturnType<typeof findLate>>;
  readonly course: Course;
  readonly good: GoodOut;
  readonly held: Output;
  readonly report: string | undefined;
}

async function siftInto(sifting: Sifting, spool: Spool): Promise<LoadReport> {
  const { compiled, sources, course, good, held, report: reportPath } = sifting;
  const outcomes = new OutcomesOut(sifting, await columnsOf(compiled, sources, spool));
  await outcomes.begin();
  const tally = newTally(compiled);
  const figures = new Figures(compiled);
  const extras = new ProfileFold(new MemorySpill(), 1_000_000);
  const files: FileFacts[] = [];
  const parts = { next: 0 };
  for (const [i, source] of sources.entries()) {
    const blocks = siftFile(course, source, i, compiled.plan.read, spool, parts);
    for (;;) {
      const next = await blocks.next();
      if (next.done) {
        files.push(...next.value);
        break;
      }
      mergeTally(tally, next.value.tally);
      figures.add(next.value);
      const { extra } = course.mapping;
      if (extra.length > 0) extras.add(next.value.block, course.columns, new Set(extra));
      await outcomes.add(next.value);
    }
  }
  await good.end();
  await held.end();
  const report = makeReport({
    compiled,
    tally,
    files,
    balance: outcomes.balance,
    distinct: course.distinct.map((d) => d.finish()),
    late: outcomes.late,
    extras: extras.finish(),
    codes: course.codes(),
    lookUps: course.lookUpCounts(),
    figures: figures.finish(),
    controls: course.controls,
    received: new Date(),
  });
  if (reportPath) await writeFile(reportPath, `${JSON.stringify(report, null, 2)}\n`);
  return report;
}

/** Writes each record to the file of its outcome, and counts outcomes and late problems. */
class OutcomesOut {
  readonly balance = emptyBalance();
  readonly late = new Map<string, number>();

  constructor(
    private readonly to: Sifting,
    /** The columns of all files; the names of their parts. */
    private readonly arrived: { readonly columns: readonly string[]; readonly names: readonly string[] },
  ) {}

  begin(): Promise<void> {
    return this.to.held.write(csvRow(["file", "line", "problems", ...this.arrived.columns, "raw"]));
  }

  async add(sifted: Sifted): Promise<void> {
    const ledger = new Uint8Array(sifted.block.count);
    for (let r = 0; r < ledger.length; r++) ledger[r] = await this.place(sifted, r);
    await this.to.good.flush();
    addToBalance(this.balance, ledger);
  }

  /** Puts a record where it ends; the byte that the ledger has for it. */
  private async place(sifted: Sifted, r: number): Promise<number> {
    const late = this.lateProblems(sifted, r);
    const verdict = sifted.verdict[r];
    const held = verdict === VERDICT.held || verdict === VERDICT.unmatched || late.some((p) => p.onFailure !== "note");
    if (verdict === VERDICT.unreadable || held) {
      await this.hold(sifted, r, late);
      if (verdict === VERDICT.unreadable) return heldByte("read");
      return heldByte(verdict === VERDICT.unmatched ? "look up" : "check");
    }
    if (verdict === VERDICT.leftOut) return BYTE.leftOut;
    const values = fieldValues(sifted, r);
    sifted.faults.forEach((faults, f) => {
      if (faults[r] === NOT_OF_TYPE) values[f] = "";
    });
    this.to.good.add(values);
    return BYTE.inserted;
  }

  /** What only the whole delivery shows of a record, counted. */
  private lateProblems(sifted: Sifted, r: number): Problem[] {
    const { compiled, lateByRecord } = this.to;
    const found = lateByRecord.get(sifted.first + r) ?? [];
    if (found.length === 0) return [];
    const values = fieldValues(sifted, r);
    const valueOf = (name: string): string | null => values[compiled.fields.findIndex((f) => f.name === name)] ?? null;
    return found.map(({ check, file, line, detail }) => {
      const own = compiled.checks.find((c) => c.key === check)!.fields.map((f) => values[f]!);
      const other = line === null ? null : { file: this.arrived.names[file!] ?? "", line };
      this.late.set(check, (this.late.get(check) ?? 0) + 1);
      return lateProblem(compiled, { check, other, detail }, own, valueOf);
    });
  }

  private async hold(sifted: Sifted, r: number, late: readonly Problem[]): Promise<void> {
    const { compiled, course, held } = this.to;
    const problems = [...problemsOf(sifted, compiled, r), ...late];
    const places = new Map(course.columns.map((c, i) => [c, i]));
    const cells = arrivedCells(sifted.block, r);
    const unreadable = sifted.verdict[r] === VERDICT.unreadable;
    await held.write(
      csvRow(
        [
          this.arrived.names[sifted.block.file] ?? "",
          String(sifted.block.origin.line[r]),
          problems.map((p) => p.message).join(" "),
          ...this.arrived.columns.map((c) => cells[places.get(c) ?? -1] ?? ""),
          unreadable ? rawText(rawBytes(sifted.block, r)) : "",
        ],
        true,
      ),
    );
  }
}

/** The columns of all files, each once, in the order in which they are met; and the parts' names. */
async function columnsOf(
  compiled: Compiled,
  sources: readonly SourceFile[],
  spool: Spool,
): Promise<{ columns: string[]; names: string[] }> {
  const columns = new Set<string>();
  const names: string[] = [];
  const parts = { next: 0 };
  for (const source of sources) {
    if (isSideFile(compiled.plan, source.name)) continue;
    for await (const opened of openFile(source, compiled.plan.read, spool, parts)) {
      names.push(opened.name);
      // Documents bring new columns as they come; the other formats know theirs from the start.
      for await (const _ of opened.blocks) if (opened.resumable) break;
      for (const column of opened.columns()) columns.add(column);
    }
  }
  return { columns: [...columns], names };
}
