"use client";

import { useMemo } from "react";
import { cellText } from "@/core/bytes.ts";
import { FormulaColumns } from "@/core/formula/columns.ts";
import { compileFormula } from "@/core/formula/compile.ts";
import { EMPTY } from "@/core/formula/value.ts";
import { compilePlan } from "@/core/plan/compile.ts";
import { ON_FAILURE, isRule, parsePlan, type OnFailure, type Plan, type RuleCheck } from "@/core/plan/schema.ts";
import { siftRows } from "@/core/recheck.ts";
import type { Sifted } from "@/core/sift.ts";
import { useNamed } from "./use-formulas.ts";
import { FormulaEditor } from "./formula-editor.tsx";
import { useSample } from "./use-sample.ts";
import { counted } from "./words.ts";

/** The sample after Cleanse and the contract's own checks, reckoned here. */
function useSifted(plan: Plan, delivery: number | null): Sifted | null {
  const sample = useSample(plan, delivery);
  return useMemo(() => {
    if (!sample) return null;
    try {
      // Its other formulas may be in the middle of being written.
      return siftRows(compilePlan(parsePlan({ ...plan, check: [] })), sample.columns, sample.rows);
    } catch {
      return null;
    }
  }, [sample, plan]);
}

/** Checks by formula, each with its name, its policy and what it finds in the first records. */
export function RuleList({
  plan,
  change,
  delivery,
}: {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number } | null;
}) {
  const sample = useSifted(plan, delivery?.id ?? null);
  const set = (i: number, rule: RuleCheck | null): void =>
    change({ ...plan, check: plan.check.flatMap((c, k) => (k === i ? (rule ? [rule] : []) : [c])) });
  const add = (): void => {
    const names = new Set(plan.check.filter(isRule).map((c) => c.name));
    let n = 1;
    while (names.has(`check ${n}`)) n++;
    change({ ...plan, check: [...plan.check, { name: `check ${n}`, that: "true", on_failure: "hold" }] });
  };
  const rules = plan.check.flatMap((c, i) => (isRule(c) ? [{ rule: c, i }] : []));
  return (
    <section className="mt-5" aria-label="Checks by formula">
      <h2>Checks by formula</h2>
      {rules.length === 0 && (
        <p className="py-1">
          A check by formula holds for a good record, such as <span className="raw">quantity_g &gt; 0.0</span>. An empty
          field that it does not ask about passes.
        </p>
      )}
      {rules.map(({ rule, i }) => (
        <Rule key={i} plan={plan} rule={rule} sample={sample} set={(next) => set(i, next)} />
      ))}
      <button type="button" className="btn btn-line btn-sm mt-2" onClick={add}>
        Add a check
      </button>
    </section>
  );
}

function Rule({
  plan,
  rule,
  sample,
  set,
}: {
  plan: Plan;
  rule: RuleCheck;
  sample: Sifted | null;
  set: (rule: RuleCheck | null) => void;
}) {
  const { fields } = plan.contract;
  const named = useNamed(plan);
  const it = rule.in?.[0] === undefined ? undefined : fields.findIndex((f) => f.name === rule.in![0]);
  const more = (part: Partial<RuleCheck>): void => {
    const next = { ...rule, ...part };
    if (next.in?.length === 0 || next.in === undefined) delete next.in;
    if (!next.message) delete next.message;
    set(next);
  };
  return (
    <div className="grid grid-cols-1 gap-x-5 gap-y-1 border-b border-[var(--rule)] py-2 lg:grid-cols-[minmax(0,1fr)_18rem]">
      <div>
        <div className="mb-1 flex items-center gap-3">
          <input
            className="input input-sm font-semibold"
            aria-label="Name of the check"
            value={rule.name}
            maxLength={80}
            onChange={(e) => more({ name: e.target.value.replace(/[:+]/g, "") })}
          />
          <select
            className="select select-sm max-w-24"
            aria-label={`When ${rule.name} fails`}
            value={rule.on_failure}
            onChange={(e) => more({ on_failure: e.target.value as OnFailure })}
          >
            {ON_FAILURE.map((p) => (
              <option key={p}>{p}</option>
            ))}
          </select>
          <button type="button" className="plain held whitespace-nowrap" onClick={() => set(null)}>
            take out
          </button>
        </div>
        <FormulaEditor
          label={`Formula of ${rule.name}`}
          value={rule.that}
          scope={{ fields, it, named }}
          placeholder="quantity_g > 0.0"
          onChange={(that) => more({ that })}
        />
        <input
          className="input input-sm mt-1"
          aria-label={`Words for the sender when ${rule.name} fails`}
          placeholder="words for the sender, with {field} for a value; the name unless said"
          value={rule.message ?? ""}
          maxLength={500}
          onChange={(e) => more({ message: e.target.value })}
        />
      </div>
      <div className="text-sm">
        <label className="flex items-center gap-2 whitespace-nowrap">
          it is
          <select
            className="select select-xs"
            aria-label={`What ${rule.name} is about`}
            value={rule.in === undefined ? "" : rule.in.length > 1 ? "+" : rule.in[0]}
            onChange={(e) => more({ in: e.target.value === "" ? [] : [e.target.value] })}
          >
            <option value="">the whole record</option>
            {rule.in && rule.in.length > 1 && <option value="+">{rule.in.join(", ")}</option>}
            {fields.map((f) => (
              <option key={f.name} value={f.name}>
                the cell of {f.name}
              </option>
            ))}
          </select>
        </label>
        <Found plan={plan} rule={rule} sample={sample} it={it} />
      </div>
    </div>
  );
}

/** What a check finds in the records in view, as its formula stands. */
function Found({
  plan,
  rule,
  sample,
  it,
}: {
  plan: Plan;
  rule: RuleCheck;
  sample: Sifted | null;
  it: number | undefined;
}) {
  const { fields } = plan.contract;
  const named = useNamed(plan);
  const found = useMemo(() => {
    if (!sample) return null;
    try {
      const formula = compileFormula(rule.that, { fields, it, named });
      const columns = new FormulaColumns(formula);
      const { block, heap, cells } = sample;
      columns.read({ fields, heap, cells }, block.count, true);
      const fails: string[] = [];
      let passes = 0;
      let empty = 0;
      let failed = 0;
      for (let r = 0; r < block.count; r++) {
        if (formula.uses.some((f) => sample.faults[f]![r] === 1)) continue;
        let value: unknown;
        try {
          value = columns.value(r);
        } catch (error) {
          value = (error as Error).message;
        }
        if (value === true) passes++;
        else if (value === EMPTY) empty++;
        else {
          failed++;
          if (fails.length < 3) {
            fails.push(
              formula.uses.map((f) => `${fields[f]!.name} ${cellText(heap, cells[f]!, r) || "empty"}`).join(", "),
            );
          }
        }
      }
      return { passes, empty, failed, fails, of: block.count };
    } catch {
      return null;
    }
  }, [sample, rule.that, fields, it, named]);
  if (!sample) return <p className="faint mt-1">Bring in a delivery to see what it finds.</p>;
  if (!found) return <p className="faint mt-1">What it finds is shown once it can be understood.</p>;
  return (
    <div className="mt-1" role="status">
      <p>
        Of the first {counted(found.of, "record")}: {found.passes} pass
        {found.empty > 0 && `, ${found.empty} lack a field`}
        {found.failed > 0 ? (
          <>
            , <b className="held">{found.failed} fail</b>
          </>
        ) : (
          ", none fails"
        )}
      </p>
      {found.fails.map((f, i) => (
        <p key={i} className="faint truncate" title={f}>
          {f}
        </p>
      ))}
    </div>
  );
}
