import { writeFile } from "node:fs/promises";
import { keepCluster } from "@/core/match/survive.ts";
import { BANDS, type Pairs } from "@/core/match/match.ts";
import { sameShare } from "@/core/match/model.ts";
import { proposeMatch } from "@/core/match/propose.ts";
import { resolvePairs, thoughtOf, type Resolution } from "@/core/match/resolve.ts";
import { comparedOf, type MatchSection } from "@/core/match/schema.ts";
import type { MatchTable } from "@/core/match/table.ts";
import { compilePlan, type Compiled } from "@/core/plan/compile.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { SieveError, grouped } from "@/core/problem.ts";
import { siftFile } from "@/core/read/source.ts";
import { Course, soundValues } from "@/core/sift.ts";
import { isPassedOver } from "@/core/verdict.ts";
import { PairSearch } from "@/engine/pairs.ts";
import { fileSpool } from "@/engine/spool.ts";
import { fileSource } from "./files.ts";
import { csvRow } from "@/core/write/csv.ts";
import { readLists } from "./lists.ts";
import { Output } from "./output.ts";

export interface MatchOutputs {
  pairs?: string;
  clusters?: string;
  kept?: string;
  report?: string;
}

/** Where the records of a side came from, and their values where they are asked for. */
interface Side {
  readonly file: string[];
  readonly line: number[];
  readonly values: string[][];
}

/** What the match found, for a person and for another program. */
export interface MatchReport {
  records: number;
  against: number | null;
  pairs: { same: number; ask: number };
  clusters: number;
  waiting: number;
  /** What the model thinks of the limits, from no labels: of the same pairs the share that are, of all that are the share found. */
  thought: { precision: number; recall: number };
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
  const compiled = await readLists(plan, lists, spool, paths)
    .then((known) => compilePlan(plan, known))
    .finally(close);
  const section = compiled.plan.match ?? proposeMatch(compiled.fields, plan.load.key);
  if (!section) {
    throw new SieveError("plan-invalid", "The plan does not say what is compared, and nothing can be proposed.", {
      hint: "Give it a match section; docs/matching.md describes it.",
    });
  }
  if (!plan.match) {
    const fields = section.fields.map((f) => `${f.in.join(" and ")} (${f.by})`).join(", ");
    process.stderr.write(`the plan has no match section; compared are ${fields}\n`);
  }
  const among = against.length === 0;
  const search = new PairSearch(section.fields, { among }, new URL("./pairs-thread.js", import.meta.url));
  try {
    return await matchBy(search, compiled, section, paths, against, outputs);
  } finally {
    await search.end();
  }
}

async function matchBy(
  search: PairSearch,
  compiled: Compiled,
  section: MatchSection,
  paths: readonly string[],
  against: readonly string[],
  outputs: MatchOutputs,
): Promise<MatchReport> {
  const begun = performance.now();
  const { matcher } = search;
  const withValues = outputs.kept !== undefined;
  const side = (table: MatchTable, files: readonly string[]): Promise<Side> =>
    readSide(compiled, section, files, (cells) => search.add(table, cells), withValues);
  const incoming = await side(matcher.incoming, paths);
  const known = matcher.among ? incoming : await side(matcher.known, against);
  const model = await search.estimate();
  const leastScore = Math.min(section.limits.ask, section.limits.same);
  const pairs = await search.find({ leastScore });
  const found = resolvePairs(matcher, pairs, section.limits);
  await writePairs(outputs.pairs, section, pairs, found, incoming, known);
  const clusters = await writeClusters(outputs, compiled, section, found, incoming, matcher.among ? null : known);
  const report: MatchReport = {
    records: incoming.line.length,
    against: matcher.among ? null : known.line.length,
    pairs: { same: found.counts.same, ask: found.counts.ask },
    clusters,
    waiting: found.asks.reduce((n, x) => n + x, 0),
    thought: thoughtOf(pairs, section.limits),
    prior: sameShare(model),
    fields: section.fields.map((f, i) => ({ in: f.in, by: f.by, ...model.fields[i]! })),
    ms: Math.round(performance.now() - begun),
  };
  if (outputs.report) await writeFile(outputs.report, `${JSON.stringify(report, null, 2)}\n`);
  process.stderr.write(
    `${grouped(report.records)} records${report.against === null ? "" : ` against ${grouped(report.against)}`}: ` +
      `${grouped(report.pairs.same)} pairs are the same, ${grouped(report.pairs.ask)} are to be asked about; ` +
      `${grouped(clusters)} clusters\n`,
  );
  return report;
}

/** Adds every record that can be read and was not left out; a cell that is not sound is taken for missing. */
async function readSide(
  compiled: Compiled,
  section: MatchSection,
  paths: readonly string[],
  add: (cells: readonly string[]) => void,
  withValues: boolean,
): Promise<Side> {
  const side: Side = { file: [], line: [], values: [] };
  const compared = comparedOf(section, compiled.fields);
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
          const values = soundValues(sifted, r);
          add(compared(values));
          side.file.push(course.fileName);
          side.line.push(block.origin.line[r]!);
          if (withValues) side.values.push(values);
        }
      }
    }
  } finally {
    await close();
  }
  return side;
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
  const files = new Set([...a.file, ...b.file]).size > 2 || (a === b && new Set(a.file).size > 1);
  const names = section.fields.map((f) => f.in.join("+"));
  await out.write(
    csvRow([...(files ? ["file_a"] : []), "line_a", ...(files ? ["file_b"] : []), "line_b", "score", "band", ...names]),
  );
  const width = section.fields.length;
  const order = Array.from({ length: pairs.count }, (_, i) => i);
  // The earlier record of two in one table is the first of the pair.
  const ends = (i: number): [number, number] => (a === b ? [pairs.b[i]!, pairs.a[i]!] : [pairs.a[i]!, pairs.b[i]!]);
  order.sort((i, j) => ends(i)[0] - ends(j)[0] || found.scores[j]! - found.scores[i]! || ends(i)[1] - ends(j)[1]);
  for (const i of order) {
    const [x, y] = ends(i);
    const shares = Array.from({ length: width }, (_, f) => pairs.shares[i * width + f]!.toFixed(2));
    await out.write(
      csvRow([
        ...(files ? [a.file[x]!] : []),
        String(a.line[x]!),
        ...(files ? [b.file[y]!] : []),
        String(b.line[y]!),
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
  const sideOf = (r: number): [Side, number, string] => (r < before ? [known!, r, "B"] : [incoming, r - before, "A"]);
  for (const [, list] of [...members].sort((x, y) => x[0] - y[0])) {
    const many = list.length > 1;
    if (many) count++;
    list.sort((x, y) => x - y);
    for (const r of many ? list : []) {
      const [side, i, name] = sideOf(r);
      await out.write(csvRow([String(count), String(list.length), name, side.file[i]!, String(side.line[i]!)]));
    }
    if (!outputs.kept) continue;
    const records = list.map((r) => {
      const [side, i] = sideOf(r);
      return side.values[i]!;
    });
    const { values } = keepCluster(section, compiled.fields, [], records, compiled.plan.formulas);
    await kept.write(csvRow([many ? String(count) : "", String(list.length), ...values]));
  }
  await out.end();
  await kept.end();
  return count;
}
