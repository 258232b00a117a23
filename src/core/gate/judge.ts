import { judgeAgainstUsual, judgeControl, judgeDistribution, judgeFreshness, type ControlText } from "./figures.ts";
import type { Figure } from "../report/figures.ts";
import { driftPolicy, type Drift } from "../map/drift.ts";
import type { Compiled } from "../course/compile.ts";
import type { Gate, Plan } from "../plan/schema.ts";
import { counted, grouped, listed } from "../kernel/problem.ts";
import type { LoadedBefore } from "../report/report.ts";
import type { FileFacts } from "../read/source.ts";
import { LEAST_HISTORY, isOver, medianOf, percent } from "./usual.ts";

/** What a gate measured and whether the load may pass it. */
export interface GateResult {
  readonly gate: string;
  readonly passed: boolean;
  readonly message: string;
}

export interface GateInput {
  readonly read: number;
  readonly held: number;
  readonly files: readonly FileFacts[];
  /** Problems by the key of the check. */
  readonly problems: ReadonlyMap<string, number>;
  readonly drift: readonly Drift[];
  /** By field: cells that are filled, of how many. */
  readonly filled: readonly Filled[];
  /** What the sender's loads before had, the newest first. */
  readonly history: readonly HistoryEntry[];
  /** What fields come to where a gate asks for it. */
  readonly figures: readonly Figure[];
  /** Where the sender says what was sent. */
  readonly controls: readonly ControlText[];
  /** What the target had already; null where nobody has looked. */
  readonly loadedBefore?: LoadedBefore | null;
  /** When the delivery came; null where nobody knows. */
  readonly received: Date | null;
}

interface Filled {
  readonly name: string;
  readonly filled: number;
  readonly of: number;
}

/** Of an earlier load, what a gate can hold a new one against. */
export interface HistoryEntry {
  readonly read: number;
  readonly filled: readonly Filled[];
  readonly figures?: readonly Figure[];
}

/** Fields whose cells are empty more often than in the loads before, by more than `over` of all cells. */
function emptierThanUsual(input: GateInput, over: number): string[] {
  return input.filled.flatMap((f) => {
    const before = input.history.flatMap((h) => {
      const was = h.filled.find((x) => x.name === f.name);
      return was && was.of > 0 ? [(was.of - was.filled) / was.of] : [];
    });
    if (before.length < LEAST_HISTORY || f.of === 0) return [];
    const [usual, now] = [medianOf(before), (f.of - f.filled) / f.of];
    return isOver(now - usual, over) ? [`${f.name} is empty in ${percent(now)}, usually in ${percent(usual)}`] : [];
  });
}

/** Kinds of drift that can stop a load by what was found, and what is so where nothing was. */
const DRIFT_GATES: readonly (readonly [Drift["kind"], string])[] = [
  ["reordered columns", "The columns stand where they stood before."],
  ["changed type", "Every field gets what it is for."],
  ["changed codes", "No code field gets values that are not in its list again and again."],
];

/** The share of records that the target may have already where a plan without a key says nothing of it. */
const MOSTLY = 0.5;

/**
 * The gate on what was loaded before: the plan's own, or, where nothing else would keep a delivery
 * from being put beside itself (records are added and have no key), one at half of the records.
 */
export function loadedBeforeGate({ gates, load }: Plan): { over: number; own: boolean } | null {
  const own = gates.find((g): g is Extract<Gate, { limit: "loaded before" }> => g.limit === "loaded before");
  if (own) return { over: own.over, own: true };
  return load.mode === "append" && load.key.length === 0 ? { over: MOSTLY, own: false } : null;
}

function judgeLoadedBefore(
  over: number,
  before: LoadedBefore | null | undefined,
): { passed: boolean; message: string } {
  if (!before || before.of === 0) return { passed: true, message: "The target has none of the records yet." };
  const share = before.records / before.of;
  const how = before.by === "key" ? "by their keys" : "alike in all fields";
  return {
    passed: !isOver(share, over),
    message: `The target has ${percent(share)} of the records already, ${how} (${grouped(before.records)} of ${grouped(before.of)}); the limit is ${percent(over)}.`,
  };
}

/** Measures every gate of the plan, and every check that stops the load. */
export function judgeGates(compiled: Compiled, input: GateInput): GateResult[] {
  const { plan } = compiled;
  const results: GateResult[] = [];
  const judge = (gate: string, passed: boolean, message: string): void => void results.push({ gate, passed, message });
  const before = loadedBeforeGate(plan);
  if (before) {
    const { passed, message } = judgeLoadedBefore(before.over, input.loadedBefore);
    // What the plan does not ask for is told of only where it matters.
    if (before.own || !passed) judge("loaded before", passed, message);
  }
  for (const gate of plan.gates) {
    switch (gate.limit) {
      case "loaded before":
        break;
      case "held share": {
        const share = input.read === 0 ? 0 : input.held / input.read;
        judge(
          gate.limit,
          !isOver(share, gate.over),
          `${percent(share)} would be held (${grouped(input.held)} of ${grouped(input.read)}); the limit is ${percent(gate.over)}.`,
        );
        break;
      }
      case "nothing read":
        judge(
          gate.limit,
          input.read > 0,
          input.read > 0
            ? `${counted(input.read, "record")} read.`
            : `No record was read: ${listed(input.files.map((f) => `${f.name} ${f.columns.length === 0 ? "is empty" : "has only its header line"}`))}.`,
        );
        break;
      case "number of records": {
        const { least, most } = gate;
        const between =
          least === undefined
            ? `at most ${grouped(most ?? 0)}`
            : most === undefined
              ? `at least ${grouped(least)}`
              : `between ${grouped(least)} and ${grouped(most)}`;
        judge(
          gate.limit,
          input.read >= (least ?? 0) && input.read <= (most ?? Infinity),
          `${counted(input.read, "record")} read; there should be ${least === undefined && most === undefined ? "any number" : between}.`,
        );
        break;
      }
      case "records against history": {
        if (input.history.length < LEAST_HISTORY) {
          judge(
            gate.limit,
            true,
            `Only ${counted(input.history.length, "load")} before: too few to say what is usual.`,
          );
          break;
        }
        const usual = medianOf(input.history.map((h) => h.read));
        const apart = usual === 0 ? (input.read === 0 ? 0 : Infinity) : Math.abs(input.read - usual) / usual;
        judge(
          gate.limit,
          !isOver(apart, gate.share),
          `${counted(input.read, "record")} read; the last ${input.history.length} loads of the sender had ${grouped(Math.round(usual))} as a rule, and ${percent(gate.share)} more or less is allowed.`,
        );
        break;
      }
      case "empty cells against history": {
        const emptier = emptierThanUsual(input, gate.over);
        judge(
          gate.limit,
          emptier.length === 0,
          emptier.length === 0
            ? input.history.length < LEAST_HISTORY
              ? `Only ${counted(input.history.length, "load")} before: too few to say what is usual.`
              : "No field is empty more often than usual."
            : `${emptier.join("; ")}.`,
        );
        break;
      }
      case "sum against history":
      case "mean against history":
      case "distribution against history":
      case "freshness":
      case "control totals": {
        const { passed, message } =
          gate.limit === "control totals"
            ? judgeControl(gate, input)
            : gate.limit === "freshness"
              ? judgeFreshness(gate, input)
              : gate.limit === "distribution against history"
                ? judgeDistribution(gate, input)
                : judgeAgainstUsual(gate, input);
        judge("field" in gate ? `${gate.limit} of ${gate.field}` : gate.limit, passed, message);
        break;
      }
      case "empty share": {
        const found = input.filled.find((f) => f.name === gate.field);
        const share = !found || found.of === 0 ? 0 : (found.of - found.filled) / found.of;
        judge(
          `${gate.limit} of ${gate.field}`,
          !isOver(share, gate.over),
          `${gate.field} is empty in ${percent(share)}; the limit is ${percent(gate.over)}.`,
        );
        break;
      }
      case "required column missing": {
        const required = new Set(compiled.fields.filter((f) => f.required).map((f) => f.name));
        const lacking = input.files.flatMap((f) => {
          const names = f.missing.filter((m) => required.has(m));
          return names.length > 0 ? [`${f.name} has no column for ${listed(names)}`] : [];
        });
        judge(
          gate.limit,
          lacking.length === 0,
          lacking.length === 0 ? "Every required column is there." : `${lacking.join("; ")}.`,
        );
      }
    }
  }
  if (plan.map.extra === "stop") {
    const extra = input.files.flatMap((f) => (f.extra.length > 0 ? [`${f.name}: ${listed(f.extra)}`] : []));
    judge(
      "extra column",
      extra.length === 0,
      extra.length === 0 ? "No column is unknown." : `Unknown columns in ${extra.join("; ")}.`,
    );
  }
  if (plan.map.missing === "stop") {
    const missing = input.files.flatMap((f) => (f.missing.length > 0 ? [`${f.name}: ${listed(f.missing)}`] : []));
    judge(
      "missing column",
      missing.length === 0,
      missing.length === 0 ? "Every field has its column." : `Fields without a column in ${missing.join("; ")}.`,
    );
  }
  for (const [kind, fine] of DRIFT_GATES) {
    if (driftPolicy(plan, kind) !== "stop") continue;
    const found = input.drift.filter((d) => d.kind === kind);
    judge(
      kind,
      found.length === 0,
      found.length === 0 ? fine : found.map((d) => `${d.name}, in ${listed(d.files)}: ${d.says}.`).join(" "),
    );
  }
  for (const check of compiled.checks) {
    if (check.onFailure !== "stop" || check.off !== null) continue;
    const n = input.problems.get(check.key) ?? 0;
    judge(
      check.key,
      n === 0,
      n === 0 ? `Always so: ${check.title}.` : `Not so for ${counted(n, "record")}: ${check.title}.`,
    );
  }
  return results;
}
