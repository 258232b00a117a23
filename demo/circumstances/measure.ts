import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { recordsOf } from "@/cli/match.ts";
import { profileFiles } from "@/cli/profile.ts";
import { limitsOf, type LimitsInUse } from "@/core/match/limits.ts";
import type { Choice } from "@/core/match/model/choose.ts";
import { estimateOfLimits, resolvePairs, type LimitsEstimate } from "@/core/match/resolve.ts";
import { PairSearch } from "@/engine/match/pairs.ts";
import { comparedOf, type MatchSection } from "@/core/match/schema.ts";
import { proposeMatch } from "@/core/match/propose.ts";
import { propose } from "@/core/profile/propose.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { csvRow } from "@/core/write/csv.ts";
import type { Set as Records, Side } from "./sets.ts";

/**
 * The match that the product proposes for a set's first file, and what of a set's records is compared by it: of
 * values as the proposed contract makes them canonical, or as they are where it would hold a record.
 */
export async function proposedFor(
  set: Records,
): Promise<{ section: MatchSection; compared: (row: readonly string[]) => string[] } | null> {
  const folder = mkdtempSync(join(tmpdir(), "circumstance-"));
  const written = (side: Side, name: string): string => {
    const path = join(folder, name);
    writeFileSync(path, [set.columns, ...side.rows].map((row) => csvRow(row)).join(""));
    return path;
  };
  try {
    const path = written(set.a, "a.csv");
    const { profile, read } = await profileFiles([path], {});
    const { plan } = propose(profile, { feed: "records", read: { ...read } as never });
    const { fields } = plan.contract;
    const key = plan.load.key.length > 0 ? plan.load.key : [fields[0]!.name];
    const section = proposeMatch(fields, key);
    if (!section) return null;
    const compiled = compilePlan(plan, new Map());
    const canonical = new Map<readonly string[], readonly string[]>();
    const take = async (side: Side, file: string): Promise<void> => {
      for await (const { line, values } of recordsOf(compiled, [file])) canonical.set(side.rows[line - 2]!, values);
    };
    await take(set.a, path);
    if (set.b) await take(set.b, written(set.b, "b.csv"));
    const compared = comparedOf(section, fields);
    return { section, compared: (row) => compared(canonical.get(row) ?? row) };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** How a match did in a circumstance, and what it said of itself. */
export interface Measured {
  readonly same: number;
  readonly wrong: number;
  readonly precision: number | null;
  readonly recall: number | null;
  readonly f1: number | null;
  readonly recallWithAsk: number | null;
  /** Pairs to be asked about per 1,000 records of the first file. */
  readonly asked: number;
  readonly says: Pick<Choice, "precision" | "recall" | "basis" | "doubts" | "differing">;
  /** Between which shares the precision is said to be with 95 %. */
  readonly within: LimitsEstimate["within"];
  readonly limits: LimitsInUse;
  readonly ms: number;
}

/** How many pairs of records are the same in truth. */
function truthOf({ a, b }: Records): number {
  const counts = new Map<number, number>();
  for (const t of a.thing) counts.set(t, (counts.get(t) ?? 0) + 1);
  if (b) return b.thing.reduce((n, t) => n + (counts.get(t) ?? 0), 0);
  return [...counts.values()].reduce((n, c) => n + (c * (c - 1)) / 2, 0);
}

/** Matches a set by a section, as a load or the command line does. `thread`: the bundled pairs-thread, null for one thread alone. */
export async function measure(
  set: Records,
  section: MatchSection,
  compared: (row: readonly string[]) => string[],
  thread: URL | null,
): Promise<Measured> {
  const began = performance.now();
  const search = new PairSearch(section.fields, { among: set.b === null }, thread);
  const { matcher } = search;
  for (const row of set.a.rows) search.add(matcher.incoming, compared(row));
  for (const row of set.b?.rows ?? []) search.add(matcher.known, compared(row));
  const { choice } = await search.estimate({ wanted: section.limits });
  const pairs = await search.find({});
  await search.end();
  const limits = limitsOf(section.limits, choice);
  const found = resolvePairs(matcher, pairs, limits);
  const ms = performance.now() - began;
  const truth = truthOf(set);
  const other = (set.b ?? set.a).thing;
  let [same, right, ask, askRight] = [0, 0, 0, 0];
  for (let i = 0; i < pairs.count; i++) {
    const is = set.a.thing[pairs.a[i]!] === other[pairs.b[i]!];
    if (found.bands[i] === 0) {
      same++;
      if (is) right++;
    } else if (found.bands[i] === 1) {
      ask++;
      if (is) askRight++;
    }
  }
  const precision = same === 0 ? null : right / same;
  const recall = truth === 0 ? null : right / truth;
  const told = estimateOfLimits(pairs, limits, choice);
  const both = precision === null || recall === null || precision + recall === 0;
  return {
    same,
    wrong: same - right,
    precision,
    recall,
    f1: both ? null : (2 * precision * recall) / (precision + recall),
    recallWithAsk: truth === 0 ? null : (right + askRight) / truth,
    asked: (1000 * ask) / set.a.rows.length,
    // As it stands on the page, and not what the choice was made by.
    says: { ...choice, precision: told.precision, recall: told.recall, basis: told.basis },
    within: told.within,
    limits,
    ms,
  };
}
