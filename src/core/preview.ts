import { cellText } from "./bytes.ts";
import { FormulaColumns } from "./formula/columns.ts";
import { compileFormula } from "./formula/compile.ts";
import { EMPTY } from "./formula/value.ts";
import { NO_REFERENCES, type References } from "./lookup/reference.ts";
import { compilePlan } from "./plan/compile.ts";
import { isRule, parsePlan, type Plan } from "./plan/schema.ts";
import { siftRows } from "./recheck.ts";
import type { Sample } from "./sample.ts";
import { cleansedValues, type Sifted } from "./sift.ts";
import { NOT_OF_TYPE, VERDICT } from "./verdict.ts";

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

function siftSample(plan: Plan, sample: Sample, cleanse: Plan["cleanse"], lists: References): Sifted {
  // Checks may be in the middle of being written; what steps do does not depend on them.
  const compiled = compilePlan(parsePlan({ ...plan, check: [], cleanse }), lists);
  return siftRows(compiled, sample.columns, sample.rows, sample);
}

/**
 * The sample as it stands after so many steps; exactly what a load makes of it, for it is the same
 * code. `only`: those that the last of them changes. At most `most` records are given. Throws
 * `plan-invalid`. `lists`: those that formulas ask.
 */
export function previewSteps(
  plan: Plan,
  sample: Sample,
  steps: number,
  only: boolean,
  most: number,
  lists: References = NO_REFERENCES,
): StepsPreview {
  const now = siftSample(plan, sample, plan.cleanse.slice(0, steps), lists);
  const then = steps > 0 ? siftSample(plan, sample, plan.cleanse.slice(0, steps - 1), lists) : now;
  const all = steps === plan.cleanse.length ? now : siftSample(plan, sample, plan.cleanse, lists);
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

/** By number of a check of the plan: what it finds; null for one that can't be understood, or is not by formula. */
export function previewRules(plan: Plan, sample: Sample, lists: References = NO_REFERENCES): (RulePreview | null)[] {
  const { fields } = plan.contract;
  const sifted = siftSample(plan, sample, plan.cleanse, lists);
  return plan.check.map((rule) => {
    if (!isRule(rule)) return null;
    const it = rule.in?.[0] === undefined ? undefined : fields.findIndex((f) => f.name === rule.in![0]);
    try {
      const formula = compileFormula(rule.that, { fields, it, named: plan.formulas, lists });
      const columns = new FormulaColumns(formula);
      const { block, heap, cells } = sifted;
      columns.read({ fields, heap, cells }, block.count, true);
      const fails: string[] = [];
      let [passes, empty, failed] = [0, 0, 0];
      for (let r = 0; r < block.count; r++) {
        if (sifted.verdict[r] === VERDICT.leftOut || formula.uses.some((f) => sifted.faults[f]![r] === NOT_OF_TYPE))
          continue;
        let value: unknown = false;
        try {
          value = columns.value(r);
        } catch {
          // A formula without a value does not hold.
        }
        if (value === true) passes++;
        else if (value === EMPTY) empty++;
        else if (++failed <= FAILS_SHOWN) {
          fails.push(
            formula.uses.map((f) => `${fields[f]!.name} ${cellText(heap, cells[f]!, r) || "empty"}`).join(", "),
          );
        }
      }
      return { passes, empty, failed, fails };
    } catch {
      return null;
    }
  });
}
