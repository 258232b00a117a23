import type { Compiled } from "../course/compiled.ts";
import { counted, listed } from "../kernel/problem.ts";
import { driftPolicy, type Drift } from "./drift.ts";
import type { Plan } from "../plan/document.ts";
import { gateName, gatePartOf } from "../gate/index.ts";
import { goneShare } from "../gate/gone-share.ts";
import { loadedBefore, loadedBeforeGate } from "../gate/loaded-before.ts";
import type { Judged, Measured } from "../gate/part.ts";
import { doubtWords } from "../read/doubt.ts";

/** A gate's name, and what it came to. */
export interface GateResult extends Judged {
  readonly gate: string;
}

/** What all gates of a load are judged by: also those that come of the map section, and of checks that stop a load. */
export interface GateInput extends Omit<Measured, "required"> {
  /** Problems by the key of the check. */
  readonly problems: ReadonlyMap<string, number>;
  readonly drift: readonly Drift[];
}

/** Kinds of drift that can stop a load by what was found, and what is so where nothing was. */
const DRIFT_GATES: readonly (readonly [Drift["kind"], string])[] = [
  ["reordered columns", "The columns stand where they stood before."],
  ["changed type", "Every field gets what it is for."],
  ["changed codes", "No code field gets values that are not in its list again and again."],
];

/** Measures every gate of the plan, and every check that stops the load. */
export function judgeGates(compiled: Compiled, input: GateInput): GateResult[] {
  const measured: Measured = {
    ...input,
    required: compiled.fields.filter((f) => f.required).map((f) => f.name),
  };
  return [
    ...judgePlanned(compiled.plan, measured),
    ...judgeReading(measured),
    ...judgeColumns(compiled.plan, measured),
    ...judgeDrift(compiled.plan, input.drift),
    ...judgeChecks(compiled, input.problems),
  ];
}

/** The plan's own gates. */
function judgePlanned(plan: Plan, measured: Measured): GateResult[] {
  const results: GateResult[] = [];
  const before = loadedBeforeGate(plan);
  if (before) {
    const judged = loadedBefore.judge(before, measured);
    // What the plan does not ask for is told of only where it matters.
    if (before.own || !judged.passed) results.push({ gate: loadedBefore.id, ...judged });
  }
  for (const gate of plan.gates) {
    if (gate.limit === loadedBefore.id) continue;
    const { limit, ...options } = gate;
    results.push({ gate: gateName(gate), ...gatePartOf(limit).judge(options, measured) });
  }
  const { gone } = plan.load;
  if (gone && !plan.gates.some((g) => g.limit === goneShare.id))
    results.push({ gate: goneShare.id, ...goneShare.judge({ over: gone.at_most }, measured) });
  return results;
}

/** A guess about how a file is to be read that could as well be another; told of only where there is one. */
function judgeReading({ files }: Measured): GateResult[] {
  const found = files.flatMap((f) => (f.doubts ?? []).map((doubt) => `${f.name}: ${doubtWords(doubt)}`));
  if (found.length === 0) return [];
  return [
    {
      gate: "reading in doubt",
      passed: false,
      message: `${found.join("; ")}. Set it in the plan’s Read stage, or let the load through where the first is right.`,
    },
  ];
}

/** Columns that no field takes, and fields that no column gives, where the plan stops at them. */
function judgeColumns({ map }: Plan, { files }: Measured): GateResult[] {
  const results: GateResult[] = [];
  const judge = (gate: string, of: "extra" | "missing", none: string, some: string): void => {
    const found = files.flatMap((f) => (f[of].length > 0 ? [`${f.name}: ${listed(f[of])}`] : []));
    const passed = found.length === 0;
    results.push({ gate, passed, message: passed ? none : `${some} in ${found.join("; ")}.` });
  };
  if (map.extra === "stop") judge("extra column", "extra", "No column is unknown.", "Unknown columns");
  if (map.missing === "stop")
    judge("missing column", "missing", "Every field has its column.", "Fields without a column");
  return results;
}

function judgeDrift(plan: Plan, drift: readonly Drift[]): GateResult[] {
  return DRIFT_GATES.filter(([kind]) => driftPolicy(plan, kind) === "stop").map(([kind, fine]) => {
    const found = drift.filter((d) => d.kind === kind);
    return {
      gate: kind,
      passed: found.length === 0,
      message: found.length === 0 ? fine : found.map((d) => `${d.name}, in ${listed(d.files)}: ${d.says}.`).join(" "),
    };
  });
}

/** Checks whose problems stop the load. */
function judgeChecks({ checks }: Compiled, problems: ReadonlyMap<string, number>): GateResult[] {
  return checks
    .filter((check) => check.onFailure === "stop" && check.off === null)
    .map(({ key, title }) => {
      const n = problems.get(key) ?? 0;
      return {
        gate: key,
        passed: n === 0,
        message: n === 0 ? `Always so: ${title}.` : `Not so for ${counted(n, "record")}: ${title}.`,
      };
    });
}
