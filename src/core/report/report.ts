import { printCheck, readCheck } from "../check/identity.ts";
import { stepPart } from "../cleanse/index.ts";
import { judgeGates, type GateResult } from "./judge.ts";
import type { ControlText, Figure, GoneRows, HistoryEntry, LoadedBefore } from "../gate/part.ts";
import { assertCloses, type Balance } from "../kernel/ledger.ts";
import { findDrift, type Drift } from "./drift.ts";
import type { LookUpCounts } from "../lookup/compile.ts";
import { listed } from "../kernel/problem.ts";
import type { KeptCells } from "../plan/arriving.ts";
import type { CopyCounts, CopyOutlook } from "../plan/copies.ts";
import type { FurtherCounts } from "../plan/further.ts";
import type { MatchMetrics } from "../match/metrics.ts";
import type { Profile } from "../profile/facts.ts";
import type { Tally } from "../course/tally.ts";
import { READ_PROBLEMS, TAKEN, UNMET, checkTitle, faultTitle } from "../course/problem-words.ts";
import type { Compiled } from "../course/compiled.ts";
import type { UnreadableReason } from "../kernel/block.ts";
import type { Plan } from "../plan/document.ts";
import { valuesOf } from "../plan/parameters.ts";
import type { ReplacedRows } from "../plan/slice.ts";
import { stepWords } from "../plan/words.ts";
import type { FileFacts } from "../read/facts.ts";
import type { CodesSeen } from "../course/codes.ts";
import { siftOf, type CheckMetrics, type Stratum } from "./strata.ts";

export const REPORT_FORMAT = "good-sieve/report@1";

/** The quality metrics of one load, with the balance they rest on. */
export interface LoadReport {
  readonly format: typeof REPORT_FORMAT;
  readonly feed: string;
  readonly mode: Plan["load"]["mode"];
  readonly balance: Balance;
  readonly sift: readonly Stratum[];
  readonly fields: readonly FieldMetrics[];
  readonly checks: readonly CheckMetrics[];
  readonly steps: readonly { readonly words: string; readonly changed: number }[];
  readonly gates: readonly GateResult[];
  readonly drift: readonly Drift[];
  readonly files: readonly FileFacts[];
  /** What came in each code field. */
  readonly codes?: readonly CodesSeen[];
  readonly matches?: MatchMetrics;
  /** What fields come to where a gate asks for it. */
  readonly figures?: readonly Figure[];
  /** How the records result that asked a reference list. */
  readonly lookUps?: readonly LookUpCounts[];
  /** Cells that did not change what the target had, by the plan's rules for arriving cells. */
  readonly kept?: readonly KeptCells[];
  readonly loadedBefore?: LoadedBefore;
  /** Rows of the target that did not come, where the plan looks for them. */
  readonly gone?: GoneRows;
  /** Rows that made room for those that came, where the plan replaces. */
  readonly replaced?: ReplacedRows;
  /** What went to the plan's further targets, in the order of writing. */
  readonly further?: readonly FurtherCounts[];
  /** What was done to copies of the targets in other databases. */
  readonly copies?: readonly CopyCounts[];
  /** Of a trial: how they would be written, or what stands in the way. */
  readonly copyOutlook?: readonly CopyOutlook[];
  readonly reconciliation?: Reconciliation;
  /** Held records of earlier loads that came back with this one; absent where none did. */
  readonly returned?: ReturnedCounts;
  /** What the run was given, where its plan has parameters or something was switched off. */
  readonly run?: RunInputs;
  /** How long each part of the load took, in the order in which they ran. None where nobody measured. */
  readonly timing?: readonly Timing[];
}

/** The values of a plan's parameters in one run, and what was switched off, each with the reason. */
export interface RunInputs {
  readonly parameters: readonly { readonly name: string; readonly value: string; readonly told: boolean }[];
  readonly steps: readonly { readonly words: string; readonly reason: string }[];
  readonly lookUps: readonly { readonly name: string; readonly reason: string }[];
  /** Further targets that got nothing. */
  readonly targets?: readonly { readonly name: string; readonly reason: string }[];
}

/** A figure as the ledger has it, then as the target has it. */
export type BothSides<T> = readonly [ledger: T, target: T];

/** Held records of earlier loads that came back with a load: those that it accepted, and those that are still wrong. */
export interface ReturnedCounts {
  readonly accepted: number;
  readonly again: number;
}

/** What the target holds of a load beside what the ledger says was written. */
export interface Reconciliation {
  readonly rows: BothSides<number>;
  /** A hash over the keys of the rows, whatever their order. */
  readonly keys: BothSides<string>;
  readonly fields: readonly ReconciledField[];
}

export interface ReconciledField {
  readonly name: string;
  /** Null for days and times. */
  readonly sum: BothSides<string | null> | null;
  readonly least: BothSides<string | null>;
  readonly most: BothSides<string | null>;
}

export interface Timing {
  readonly part: string;
  /** Milliseconds. */
  readonly ms: number;
}

export interface FieldMetrics {
  readonly name: string;
  readonly type: string;
  /** Records that could be read; the other counts are of these. */
  readonly of: number;
  readonly filled: number;
  /** Filled cells without a problem. */
  readonly valid: number;
  readonly changed: number;
  readonly distinct: number;
  readonly distinctEstimated: boolean;
}

export interface ReportInput {
  readonly compiled: Compiled;
  readonly tally: Tally;
  readonly files: readonly FileFacts[];
  readonly balance: Balance;
  /** By field: different values, and whether the count is an estimate. */
  readonly distinct: readonly { readonly count: number; readonly estimated: boolean }[];
  /** Problems that only the whole load or the target could show, by the check's key. */
  readonly late: ReadonlyMap<string, number>;
  /** Keys of the target's own rules that the records were held against. */
  readonly rules?: readonly string[];
  readonly timing?: readonly Timing[];
  /** What is in the columns that no field takes. */
  readonly extras?: Profile | null;
  readonly codes?: readonly CodesSeen[];
  /** Records of files that are held as a whole, as the plan says: no surprise to a gate. */
  readonly heldAsFiles?: number;
  /** What was compared and found to be one; none where the plan compares nothing. */
  readonly matches?: MatchMetrics | null;
  readonly lookUps?: readonly LookUpCounts[];
  readonly figures?: readonly Figure[];
  readonly controls?: readonly ControlText[];
  readonly received?: Date | null;
  readonly kept?: readonly KeptCells[];
  readonly gone?: GoneRows | null;
  readonly replaced?: ReplacedRows | null;
  readonly further?: readonly FurtherCounts[] | null;
  readonly copies?: readonly CopyCounts[];
  readonly copyOutlook?: readonly CopyOutlook[];
  readonly loadedBefore?: LoadedBefore | null;
  readonly reconciliation?: Reconciliation | null;
  readonly returned?: ReturnedCounts | null;
  /** What the sender's loads before had, the newest first. */
  readonly history?: readonly HistoryEntry[];
  /** The columns of the files of the sender's delivery before. */
  readonly before?: readonly (readonly string[])[];
}

/** Cells that steps changed; what a look-up filled is not theirs, nor are records that were left out. */
function changedBySteps({ steps }: Compiled, tally: Tally): number {
  return steps.reduce((n, s, i) => n + (stepPart(s.step.do).leavesOut ? 0 : tally.steps[i]!), 0);
}

function loadWords({ load: { mode, target, further = [] } }: Plan): string {
  return `${mode} into ${further.length > 0 ? `${further.length + 1} tables` : target}`;
}

/** Makes the report. Throws `balance-open` when the balance does not close. */
export function makeReport(input: ReportInput): LoadReport {
  const { compiled, tally, balance, files } = input;
  assertCloses(balance);
  const readable = tally.read - tally.unreadable;
  const checks = checkMetrics(input);
  const problems = new Map(checks.map((c) => [c.key, c.problems]));
  const drift = findDrift({
    compiled,
    files,
    tally,
    extras: input.extras ?? null,
    before: input.before ?? [],
    codes: input.codes ?? [],
  });
  const filled = compiled.fields.map((f, i) => ({ name: f.name, filled: tally.filled[i]!, of: readable }));
  const surprises = balance.outcomes.held - (input.heldAsFiles ?? 0);
  return {
    format: REPORT_FORMAT,
    feed: compiled.plan.feed,
    mode: compiled.plan.load.mode,
    balance,
    sift: siftOf(balance, checks, {
      Read: `${files.length === 1 ? "1 file" : `${files.length} files`}, ${Math.max(0, ...files.map((f) => f.columns.length))} columns`,
      Map: `${compiled.fields.length} fields`,
      Cleanse: `${changedBySteps(compiled, tally).toLocaleString("en")} cells changed`,
      Check: `${compiled.checks.length} checks`,
      "Look up": input.lookUps?.length
        ? listed(input.lookUps.map((l) => (l.version === 0 ? l.list : `${l.list}, version ${l.version}`)))
        : "no list is asked",
      Match: input.matches ? `${input.matches.fields.length} fields compared` : "nothing is compared",
      Load: loadWords(compiled.plan),
    }),
    fields: compiled.fields.map((f, i) => {
      const distinct = input.distinct[i] ?? { count: 0, estimated: true };
      return {
        name: f.name,
        type: f.type,
        of: readable,
        filled: tally.filled[i]!,
        valid: tally.filled[i]! - tally.faulty[i]!,
        changed: tally.changed[i]!,
        distinct: Math.min(distinct.count, tally.filled[i]!),
        distinctEstimated: distinct.estimated,
      };
    }),
    checks,
    steps: compiled.steps.map((s, i) => ({ words: s.words, changed: tally.steps[i]! })),
    gates: judgeGates(compiled, {
      read: balance.read,
      held: surprises,
      files,
      problems,
      drift,
      filled,
      history: input.history ?? [],
      figures: input.figures ?? [],
      controls: input.controls ?? [],
      received: input.received ?? null,
      loadedBefore: input.loadedBefore ?? null,
      gone: input.gone ?? null,
    }),
    drift,
    files,
    ...(input.codes && input.codes.length > 0 ? { codes: input.codes } : {}),
    ...(input.lookUps && input.lookUps.length > 0 ? { lookUps: input.lookUps } : {}),
    ...(input.figures && input.figures.length > 0 ? { figures: input.figures } : {}),
    ...(input.matches ? { matches: input.matches } : {}),
    ...(input.kept && input.kept.length > 0 ? { kept: input.kept } : {}),
    ...(input.gone ? { gone: input.gone } : {}),
    ...(input.replaced ? { replaced: input.replaced } : {}),
    ...(input.further ? { further: input.further } : {}),
    ...(input.copies && input.copies.length > 0 ? { copies: input.copies } : {}),
    ...(input.copyOutlook && input.copyOutlook.length > 0 ? { copyOutlook: input.copyOutlook } : {}),
    ...(input.loadedBefore ? { loadedBefore: input.loadedBefore } : {}),
    ...(input.reconciliation ? { reconciliation: input.reconciliation } : {}),
    ...(input.returned ? { returned: input.returned } : {}),
    ...runInputs(compiled),
    ...(input.timing ? { timing: input.timing } : {}),
  };
}

function runInputs({ plan, run, steps }: Compiled): { run?: RunInputs } {
  const { parameters: told = {}, steps: off = {}, lookUps = {}, targets = {} } = run;
  const parameters = Object.entries(valuesOf(plan, told)).map(([name, value]) => ({
    name,
    value,
    told: Object.hasOwn(told, name),
  }));
  const stepsOff = Object.entries(off).map(([i, reason]) => ({
    words: stepWords({ ...steps[Number(i)]!.step, off: false }),
    reason,
  }));
  const named = (of: Readonly<Record<string, string>>) =>
    Object.entries(of).map(([name, reason]) => ({ name, reason }));
  const [lookUpsOff, targetsOff] = [named(lookUps), named(targets)];
  if (parameters.length + stepsOff.length + lookUpsOff.length + targetsOff.length === 0) return {};
  const further = targetsOff.length > 0 ? { targets: targetsOff } : {};
  return { run: { parameters, steps: stepsOff, lookUps: lookUpsOff, ...further } };
}

/** What the target is asked about the key of each record. */
function ofTheKey({ load: { mode, key, slice, only } }: Plan): string[] {
  if (only === "update") return [UNMET];
  return key.length > 0 && (mode === "append" || slice !== undefined) ? [TAKEN] : [];
}

function checkMetrics({ compiled, tally, files, late, rules = [] }: ReportInput): CheckMetrics[] {
  const unreadable = new Map<string, number>();
  for (const f of files) {
    for (const [reason, n] of Object.entries(f.unreadable)) unreadable.set(reason, (unreadable.get(reason) ?? 0) + n);
  }
  const metrics: CheckMetrics[] = [...unreadable].map(([reason, problems]) => ({
    key: printCheck({ kind: "read", reason: reason as UnreadableReason }),
    title: READ_PROBLEMS[reason as UnreadableReason].title,
    fault: READ_PROBLEMS[reason as UnreadableReason].fault,
    stage: "read",
    onFailure: "hold",
    problems,
  }));
  compiled.checks.forEach((c, i) =>
    metrics.push({
      key: c.key,
      title: c.title,
      fault: faultTitle(c.key, compiled.fields),
      stage: c.kind === "look-up" ? "look up" : "check",
      onFailure: c.onFailure,
      problems: tally.checks[i]! + (late.get(c.key) ?? 0),
      ...(c.off === null ? {} : { off: c.off }),
    }),
  );
  const drifted = [...late.keys()].filter((key) => readCheck(key).kind === "file");
  for (const key of [...ofTheKey(compiled.plan), ...drifted, ...rules]) {
    metrics.push({
      key,
      title: checkTitle(compiled, key),
      fault: faultTitle(key, compiled.fields),
      stage: "load",
      onFailure: "hold",
      problems: late.get(key) ?? 0,
    });
  }
  return metrics;
}
