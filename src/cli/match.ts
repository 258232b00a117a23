import { writeFile } from "node:fs/promises";
import { doubtsWords, limitsWords } from "@/core/match/model/doubts.ts";
import { keepCluster, withJoinedBy } from "@/core/match/survive.ts";
import { entriesAsRecords, type KnownEntry } from "@/core/course/match-entries.ts";
import { type Pairs } from "@/core/match/match.ts";
import { BANDS, limitsOf, type LimitsInUse } from "@/core/match/limits.ts";
import { sameShare } from "@/core/match/model/model.ts";
import { proposeMatchWithReasons } from "@/core/match/propose.ts";
import {
  estimateOfLimits,
  joinedBy,
  resolvePairs,
  type JoinedBy,
  type LimitsEstimate,
  type Resolution,
} from "@/core/match/resolve.ts";
import { comparedNames, comparedOf, type MatchSection } from "@/core/match/schema.ts";
import type { MatchTable } from "@/core/match/pairs/table.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { siftFile } from "@/core/course/files.ts";
import { Course } from "@/core/course/course.ts";
import { soundValues } from "@/core/course/of-record.ts";
import { isPassedOver } from "@/core/kernel/verdict.ts";
import { PairSearch } from "@/engine/match/pairs.ts";
import { fileSpool } from "@/engine/threads/spool.ts";
import { fileSource } from "./files.ts";
import { csvRow } from "@/core/write/csv.ts";
import { readLists } from "./lists.ts";
import { Output } from "@/engine/out/output.ts";

export interface MatchOutputs {
  pairs?: string;
  clusters?: string;
  kept?: string;
  report?: string;
}

/** Where the records of a side came from, and their values where they are asked for. */
interface Side {
  /** A for what arrives, B for what is known, L for entries of a list. */
  readonly side: string[];
  readonly file: string[];
  /** By what it is found in its file: its line, or an entry's key. */
  readonly line: string[];
  readonly values: string[][];
}

/** What the match found, for a person and for another program. */
export interface MatchReport {
  records: number;
  against: number | null;
  /** Entries of the reference list that were compared as well. */
  entries: number;
  pairs: { same: number; ask: number };
  clusters: number;
  waiting: number;
  limits: LimitsInUse;
  /** What is known of the limits without labels: of the same pairs the share that are, of all that are the share found, and what speaks against it. */
  estimate: LimitsEstimate;
  prior: number;
  fields: { in: readonly string[]; by: string; weights: number[]; m: number[]; u: number[] }[];
  ms: number;
}

/**
 * Finds pairs of records that may be one, within files or against other files, and writes them with
 * their evidence; and what clusters they make. Nothing is loaded.
 */
export async function matchFiles(
  plan: Plan,
  paths: readonly string[],
  against: readonly string[],
  outputs: MatchOutputs,
  lists: readonly string[] = [],
): Promise<MatchReport> {
  const { spool, close } = fileSpool();
  const references = await readLists(plan, lists, spool, paths).finally(close);
  const compiled = compilePlan(plan, references, { day: new Date().toISOString().slice(0, 10) });
  const proposed = plan.match ? null : proposeMatchWithReasons(compiled.fields, plan.load.key);
  const section = compiled.plan.match ?? proposed?.section;
  if (!section) {
    throw new SieveError("plan-invalid", "The plan does not say what is compared, and nothing can be proposed.", {
      hint: "Give it a match section; docs/matching.md describes it.",
    });
  }
  if (!plan.match) {
    process.stderr.write("the plan has no match section; compared are\n");
    proposed!.reasons.forEach(({ in: names, why }, i) =>
      process.stderr.write(`  ${names.join(" and ")} by ${section.fields[i]!.by}: ${why}\n`),
    );
  }
  const list = section.against.includes("list") ? references.get(section.list?.name ?? "") : undefined;
  const entries = list ? entriesAsRecords(compiled, section, list, new Date().toISOString().slice(0, 10)) : [];
  const among = against.length === 0;
  const search = new PairSearch(section.fields, { among }, new URL("./pairs-thread.js", import.meta.url));
  try {
    return await matchBy(search, { compiled, section, paths, against, outputs, entries });
  } finally {
    await search.end();
  }
}

/** What is compared, and where it goes. */
interface Compared {
  readonly compiled: Compiled;
  readonly section: MatchSection;
  readonly paths: readonly string[];
  readonly against: readonly string[];
  readonly entries: readonly KnownEntry[];
  readonly outputs: MatchOutputs;
}

async function matchBy(search: PairSearch, what: Compared): Promise<MatchReport> {
  const begun = performance.now();
  const { compiled, section, paths, against, outputs, entries } = what;
  const { matcher } = search;
  const compared = comparedOf(section, compiled.fields);
  const empty = (): Side => ({ side: [], file: [], line: [], values: [] });
  const incoming = empty();
  const known = matcher.among ? incoming : empty();
  // Entries stand before the records that are compared with them, and are not compared with one another.
  for (const { list, key, values } of entries) {
    search.add(matcher.known, compared(values));
    put(known, "L", list, key, outputs.kept === undefined ? null : [...values]);
  }
  const read = async (files: readonly string[], name: string, side: Side, table: MatchTable): Promise<void> => {
    for await (const { file, line, values } of recordsOf(compiled, files)) {
      search.add(table, compared(values));
      put(side, name, file, String(line), outputs.kept === undefined ? null : values);
    }
  };
  await read(paths, "A", incoming, matcher.incoming);
  if (!matcher.among) await read(against, "B", known, matcher.known);
  const from = matcher.among ? entries.length : 0;
  const { choice, summary } = await search.estimate({
    start: from,
    mixed: !matcher.among && entries.length > 0 && known.line.length > entries.length,
    wanted: section.limits,
  });
  const limits = limitsOf(section.limits, choice);
  const pairs = await search.find({ from });
  const found = resolvePairs(matcher, pairs, limits);
  await writePairs(outputs.pairs, section, pairs, found, incoming, known);
  const clusters = await writeClusters(
    outputs,
    compiled,
    section,
    found,
    joinedBy(matcher, pairs, found),
    incoming,
    matcher.among ? null : known,
  );
  const estimate = estimateOfLimits(pairs, limits, choice);
  const report: MatchReport = {
    records: incoming.line.length - from,
    against: matcher.among ? null : known.line.length - entries.length,
    entries: entries.length,
    pairs: { same: found.counts.same, ask: found.counts.ask },
    clusters,
    waiting: found.asks.reduce((n, x) => n + x, 0),
    limits,
    estimate,
    prior: sameShare(summary),
    fields: section.fields.map((f, i) => ({ in: f.in, by: f.by, ...summary.fields[i]! })),
    ms: Math.round(performance.now() - begun),
  };
  if (outputs.report) await writeFile(outputs.report, `${JSON.stringify(report, null, 2)}\n`);
  process.stderr.write(
    `${grouped(report.records)} records${report.against === null ? "" : ` against ${grouped(report.against)}`}` +
      `${report.entries === 0 ? "" : ` and ${grouped(report.entries)} entries of ${section.list!.name}`}: ` +
      `${grouped(report.pairs.same)} pairs are the same, ${grouped(report.pairs.ask)} are to be asked about; ` +
      `${grouped(clusters)} clusters\n${limitsWords(limits, estimate)}\n`,
  );
  for (const words of doubtsWords(estimate, comparedNames(section))) process.stderr.write(`${words}\n`);
  return report;
}

function put(to: Side, side: string, file: string, line: string, values: string[] | null): void {
  to.side.push(side);
  to.file.push(file);
  to.line.push(line);
  if (values) to.values.push(values);
}

/** Every record that can be read and was not left out; a cell that is not sound is taken for missing. */
export async function* recordsOf(
  compiled: Compiled,
  paths: readonly string[],
): AsyncGenerator<{ file: string; line: number; values: string[] }> {
  const course = new Course(compiled);
  const { spool, close } = fileSpool();
  try {
    const parts = { next: 0 };
    const sources = await Promise.all(paths.map(fileSource));
    for (const [i, source] of sources.entries()) {
      for await (const sifted of siftFile(course, source, i, compiled.plan.read, spool, parts)) {
        const { verdict, block } = sifted;
        for (let r = 0; r < block.count; r++) {
          if (isPassedOver(verdict[r]!)) continue;
          yield { file: course.fileName, line: block.origin.line[r]!, values: soundValues(sifted, r) };
        }
      }
    }
  } finally {
    await close();
  }
}

async function writePairs(
  path: string | undefined,
  section: MatchSection,
  pairs: Pairs,
  found: Resolution,
  a: Side,
  b: Side,
): Promise<void> {
  if (!path) return;
  const out = new Output(path);
  const names = new Set([...a.file, ...b.file]);
  const files = names.size > 2 || (a === b && names.size > 1) || b.side.includes("L");
  const fields = section.fields.map((f) => f.in.join("+"));
  await out.write(
    csvRow([
      ...(files ? ["file_a"] : []),
      "line_a",
      ...(files ? ["file_b"] : []),
      "line_b",
      "score",
      "band",
      ...fields,
    ]),
  );
  const width = section.fields.length;
  // Different ones are of no use to anybody.
  const order = Array.from({ length: pairs.count }, (_, i) => i).filter((i) => BANDS[found.bands[i]!] !== "different");
  // The earlier record of two in one table is the first of the pair, but never an entry.
  const ends = (i: number): [number, number] =>
    a === b && b.side[pairs.b[i]!] !== "L" ? [pairs.b[i]!, pairs.a[i]!] : [pairs.a[i]!, pairs.b[i]!];
  order.sort((i, j) => ends(i)[0] - ends(j)[0] || found.scores[j]! - found.scores[i]! || ends(i)[1] - ends(j)[1]);
  for (const i of order) {
    const [x, y] = ends(i);
    const shares = Array.from({ length: width }, (_, f) => pairs.shares[i * width + f]!.toFixed(2));
    await out.write(
      csvRow([
        ...(files ? [a.file[x]!] : []),
        a.line[x]!,
        ...(files ? [b.file[y]!] : []),
        b.line[y]!,
        found.scores[i]!.toFixed(2),
        BANDS[found.bands[i]!]!,
        ...shares,
      ]),
    );
  }
  await out.end();
}

async function writeClusters(
  outputs: MatchOutputs,
  compiled: Compiled,
  section: MatchSection,
  { clusters }: Resolution,
  by: ReadonlyMap<number, JoinedBy>,
  incoming: Side,
  known: Side | null,
): Promise<number> {
  const before = known?.line.length ?? 0;
  const members = new Map<number, number[]>();
  clusters.forEach((first, r) => {
    const list = members.get(first);
    if (list) list.push(r);
    else members.set(first, [r]);
  });
  const out = new Output(outputs.clusters);
  const kept = new Output(outputs.kept);
  await out.write(csvRow(["cluster", "size", "side", "file", "line"]));
  await kept.write(csvRow(["cluster", "size", ...compiled.fields.map((f) => f.name)]));
  let count = 0;
  const sideOf = (r: number): [Side, number] => (r < before ? [known!, r] : [incoming, r - before]);
  const isEntry = (r: number): boolean => {
    const [side, i] = sideOf(r);
    return side.side[i] === "L";
  };
  for (const [first, list] of [...members].sort((x, y) => x[0] - y[0])) {
    // An entry alone is no record, and what is kept is put to a record.
    if (list.every(isEntry)) continue;
    const many = list.length > 1;
    if (many) count++;
    list.sort((x, y) => Number(isEntry(x)) - Number(isEntry(y)) || x - y);
    for (const r of many ? list : []) {
      const [{ side, file, line }, i] = sideOf(r);
      await out.write(csvRow([String(count), String(list.length), side[i]!, file[i]!, line[i]!]));
    }
    if (!outputs.kept) continue;
    const records = list.map((r) => {
      const [side, i] = sideOf(r);
      return side.values[i]!;
    });
    const alone = keepCluster(section, compiled.fields, [], records, compiled.plan.formulas);
    const { values } = withJoinedBy(section, compiled.fields, alone, by.get(first));
    await kept.write(csvRow([many ? String(count) : "", String(list.length), ...values]));
  }
  await out.end();
  await kept.end();
  return count;
}
