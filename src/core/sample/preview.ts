import { cellText } from "../kernel/bytes.ts";
import { FormulaColumns } from "../formula/columns.ts";
import { compileFormula } from "../formula/compile.ts";
import type { Scope } from "../formula/scope.ts";
import { EMPTY } from "../formula/value.ts";
import { compilePlan } from "../course/compile.ts";
import type { Problem } from "../course/compiled.ts";
import { isRule, type Plan } from "../plan/document.ts";
import type { RuleCheck } from "../plan/sections.ts";
import { namedOf } from "../plan/parameters.ts";
import { parsePlan } from "../plan/schema.ts";
import type { FieldCheck } from "../field/checks/index.ts";
import { siftRows } from "../course/recheck.ts";
import type { Sample } from "./sample.ts";
import { cleansedValues, fieldValues, problemsOf } from "../course/of-record.ts";
import type { Sifted } from "../course/sifted.ts";
import { NOT_OF_TYPE, VERDICT } from "../kernel/verdict.ts";

/** What formulas ask for beside a record: reference lists, and the day of the load. */
type Asks = Pick<Scope, "lists" | "day">;

/** A record of a sample as it stands after some of a plan's steps. */
export interface StoodRecord {
  /** Its number in the sample. */
  readonly at: number;
  /** By field: its values, and what they were before the last of these steps. */
  readonly values: readonly string[];
  readonly before: readonly string[];
  readonly leftOut: boolean;
}

/** A sample after some of a plan's steps. */
export interface StepsPreview {
  /** Records to be shown. */
  readonly records: readonly StoodRecord[];
  /** How many there are that fit. */
  readonly fit: number;
  /** By field: whether the last of the steps changes any value of it. */
  readonly touched: readonly boolean[];
  /** Cells that the last of the steps changes, and records that are left out by now. */
  readonly changed: number;
  readonly leftOut: number;
  /** By field: records, those that are left out apart, that have a value after the last of the steps. */
  readonly filled: readonly number[];
  /** Of every step of the plan: the cells that it changes, or the records that it leaves out. */
  readonly steps: readonly number[];
}

function siftSample(plan: Plan, sample: Sample, cleanse: Plan["cleanse"], asks: Asks): Sifted {
  // Checks may be in the middle of being written; what steps do does not depend on them.
  const compiled = compilePlan(parsePlan({ ...plan, check: [], cleanse }), asks.lists, asks);
  return siftRows(compiled, sample.columns, sample.rows, sample);
}

/**
 * The sample as it stands after so many steps; exactly what a load makes of it, for it is the same
 * code. `only`: those that the last of them changes. At most `most` records are given. Throws
 * `plan-invalid`. `asks`: the lists and the day that formulas ask for.
 */
export function previewSteps(
  plan: Plan,
  sample: Sample,
  steps: number,
  only: boolean,
  most: number,
  asks: Asks = {},
): StepsPreview {
  const now = siftSample(plan, sample, plan.cleanse.slice(0, steps), asks);
  const then = steps > 0 ? siftSample(plan, sample, plan.cleanse.slice(0, steps - 1), asks) : now;
  const all = steps === plan.cleanse.length ? now : siftSample(plan, sample, plan.cleanse, asks);
  const touched = plan.contract.fields.map(() => false);
  const filled = plan.contract.fields.map(() => 0);
  const records: StoodRecord[] = [];
  let [fit, changed, leftOut] = [0, 0, 0];
  for (let at = 0; at < sample.rows.length; at++) {
    const out = now.verdict[at] === VERDICT.leftOut;
    if (out) leftOut++;
    let own = 0;
    for (let f = 0; f < touched.length; f++) {
      const { start, end } = now.cleansed[f]!;
      if (!out && start[at] !== end[at]) filled[f]!++;
      if (now === then || sameCell(now, then, f, at)) continue;
      touched[f] = true;
      own++;
    }
    changed += own;
    if (only && own === 0 && !(out && then.verdict[at] !== VERDICT.leftOut)) continue;
    fit++;
    if (records.length === most) continue;
    records.push({ at, values: cleansedValues(now, at), before: cleansedValues(then, at), leftOut: out });
  }
  return { records, fit, touched, changed, leftOut, filled, steps: all.tally.steps };
}

/** Whether a cell has the same bytes after two runs. */
function sameCell(a: Sifted, b: Sifted, field: number, record: number): boolean {
  const [x, y] = [a.cleansed[field]!, b.cleansed[field]!];
  const [s, t] = [x.start[record]!, y.start[record]!];
  const length = x.end[record]! - s;
  if (length !== y.end[record]! - t) return false;
  for (let i = 0; i < length; i++) if (a.heap.bytes[s + i] !== b.heap.bytes[t + i]) return false;
  return true;
}

/** What a check by formula finds in a sample. */
export interface RulePreview {
  readonly passes: number;
  /** Records that lack a field that it asks about. */
  readonly empty: number;
  readonly failed: number;
  /** Some that fail, in words. */
  readonly fails: readonly string[];
}

const FAILS_SHOWN = 3;

/** What a check by formula gives for a record. */
export type RuleVerdict = "passes" | "lacks a field" | "fails";

/** A check by formula over a sample that is cleansed: what it asks about, and its verdict by record; null where it can't be understood. */
function ruleOver(
  plan: Plan,
  rule: RuleCheck,
  sifted: Sifted,
  asks: Asks,
): { uses: readonly number[]; verdict: (record: number) => RuleVerdict } | null {
  const { fields } = plan.contract;
  const it = rule.in?.[0] === undefined ? undefined : fields.findIndex((f) => f.name === rule.in![0]);
  let columns: FormulaColumns;
  let uses: readonly number[];
  try {
    const formula = compileFormula(rule.that, { fields, it, named: namedOf(plan), ...asks });
    uses = formula.uses;
    columns = new FormulaColumns(formula);
    columns.read({ fields, heap: sifted.heap, cells: sifted.cells }, sifted.block.count, true);
  } catch {
    return null;
  }
  return {
    uses,
    verdict: (record) => {
      try {
        const value = columns.value(record);
        return value === true ? "passes" : value === EMPTY ? "lacks a field" : "fails";
      } catch {
        // A formula without a value does not hold.
        return "fails";
      }
    },
  };
}

/** Whether a record is one that a rule is asked about: it is not left out, and what it asks about is of its type. */
function isAsked(sifted: Sifted, uses: readonly number[], record: number): boolean {
  return sifted.verdict[record] !== VERDICT.leftOut && !uses.some((f) => sifted.faults[f]![record] === NOT_OF_TYPE);
}

/** By number of a check of the plan: what it finds; null for one that can't be understood, or is not by formula. */
export function previewRules(plan: Plan, sample: Sample, asks: Asks = {}): (RulePreview | null)[] {
  const { fields } = plan.contract;
  const sifted = siftSample(plan, sample, plan.cleanse, asks);
  const { heap, cells } = sifted;
  return plan.check.map((rule) => {
    const over = isRule(rule) ? ruleOver(plan, rule, sifted, asks) : null;
    if (!over) return null;
    const fails: string[] = [];
    let [passes, empty, failed] = [0, 0, 0];
    for (let r = 0; r < sifted.block.count; r++) {
      if (!isAsked(sifted, over.uses, r)) continue;
      const verdict = over.verdict(r);
      if (verdict === "passes") passes++;
      else if (verdict === "lacks a field") empty++;
      else if (++failed <= FAILS_SHOWN) {
        fails.push(over.uses.map((f) => `${fields[f]!.name} ${cellText(heap, cells[f]!, r) || "empty"}`).join(", "));
      }
    }
    return { passes, empty, failed, fails };
  });
}

/** What the checks of a field find in the sample. */
export interface FieldPreview {
  /** Records that have a problem in the field. */
  readonly failed: number;
  /** By check, the records that fail it, and some of their values. */
  readonly by: readonly { readonly check: FieldCheck; readonly failed: number; readonly values: readonly string[] }[];
}

/**
 * By field of the contract: the records of the sample that fail its checks, those between records (unique) apart.
 * Throws `plan-invalid`.
 */
export function previewFields(plan: Plan, sample: Sample, asks: Asks = {}): FieldPreview[] {
  const compiled = compilePlan(parsePlan({ ...plan, check: [] }), asks.lists, asks);
  const sifted = siftRows(compiled, sample.columns, sample.rows, sample);
  const found = plan.contract.fields.map(() => ({
    failed: 0,
    by: new Map<FieldCheck, { failed: number; values: string[] }>(),
  }));
  for (let r = 0; r < sifted.block.count; r++) {
    if (sifted.verdict[r] === VERDICT.leftOut || sifted.verdict[r] === VERDICT.unreadable) continue;
    const failing = new Set<number>();
    for (const problem of problemsOf(sifted, compiled, r)) {
      const check = compiled.checks.find((c) => c.key === problem.check);
      if (check?.identity.kind !== "field" || check.identity.fields.length !== 1) continue;
      const f = check.fields[0]!;
      failing.add(f);
      const own = found[f]!.by.get(check.identity.check) ?? { failed: 0, values: [] };
      found[f]!.by.set(check.identity.check, own);
      own.failed++;
      if (own.values.length < FAILS_SHOWN && problem.value !== "" && !own.values.includes(problem.value))
        own.values.push(problem.value);
    }
    for (const f of failing) found[f]!.failed++;
  }
  return found.map(({ failed, by }) => ({ failed, by: [...by].map(([check, own]) => ({ check, ...own })) }));
}

/** A cell that a step changes. */
export interface CellChange {
  /** Number of the field. */
  readonly field: number;
  readonly before: string;
  readonly after: string;
}

/** One record all along a plan's steps and checks. */
export interface RecordPreview {
  /** By step of the plan: the cells of it that the step changes, and whether the step leaves it out. */
  readonly steps: readonly { readonly changes: readonly CellChange[]; readonly leavesOut: boolean }[];
  /** By field: what it comes to after all steps; in the one form of its type where it has a value of that. */
  readonly values: readonly string[];
  readonly leftOut: boolean;
  /** What the plan's checks say of it. Checks between records are for a load or a trial to decide. */
  readonly problems: readonly Problem[];
  /** By number of a check of the plan: null for one that can't be understood, is not asked about it, or is not by formula. */
  readonly rules: readonly (RuleVerdict | null)[];
}

/** Records of the sample that stand before the one that is tried, for steps that look at others too. */
const BEFORE_IT = 200;

/**
 * Takes one record through a plan step by step, and through its checks: what can be tried of any step,
 * check or formula on a record that is picked, or on values that are typed.
 * @param row its cells as they came, in the order of the sample's columns
 * @param at where it stands in the sample; those before it are what steps take as going before
 * Throws `plan-invalid`.
 */
export function previewRecord(
  plan: Plan,
  sample: Sample,
  row: readonly string[],
  at: number,
  asks: Asks = {},
): RecordPreview {
  const from = Math.max(0, at - BEFORE_IT);
  const own: Sample = {
    ...sample,
    rows: [...sample.rows.slice(from, at), row],
    files: sample.files.slice(from, at + 1),
    lines: sample.lines.slice(from, at + 1),
  };
  const last = own.rows.length - 1;
  const isOut = (sifted: Sifted): boolean => sifted.verdict[last] === VERDICT.leftOut;
  let now = siftSample(plan, own, [], asks);
  const steps = plan.cleanse.map((_, i) => {
    const then = now;
    now = siftSample(plan, own, plan.cleanse.slice(0, i + 1), asks);
    const [before, after] = [cleansedValues(then, last), cleansedValues(now, last)];
    const changes = after.flatMap((value, field): CellChange[] =>
      value === before[field] ? [] : [{ field, before: before[field]!, after: value }],
    );
    return { changes, leavesOut: isOut(now) && !isOut(then) };
  });
  const rules = plan.check.map((rule) => {
    const over = isRule(rule) ? ruleOver(plan, rule, now, asks) : null;
    return {
      understood: !isRule(rule) || over !== null,
      verdict: over && isAsked(now, over.uses, last) ? over.verdict(last) : null,
    };
  });
  // A check in the middle of being written is left out, so that the others are still asked.
  const check = plan.check.filter((_, i) => rules[i]!.understood);
  const compiled = compilePlan(parsePlan({ ...plan, check }), asks.lists, asks);
  const sifted = siftRows(compiled, own.columns, own.rows, own);
  return {
    steps,
    values: fieldValues(sifted, last),
    leftOut: isOut(now),
    problems: isOut(now) ? [] : problemsOf(sifted, compiled, last),
    rules: rules.map((r) => r.verdict),
  };
}
