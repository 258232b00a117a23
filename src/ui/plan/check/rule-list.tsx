"use client";

import { useState } from "react";
import type { Field } from "@/core/field/field.ts";
import type { RulePreview } from "@/core/sample/preview.ts";
import { isRule, type Plan } from "@/core/plan/document.ts";
import type { RuleCheck } from "@/core/plan/sections.ts";
import { ON_FAILURE, type OnFailure } from "@/core/plan/types.ts";
import { useNamed } from "../../formulas/use-formulas.ts";
import { CheckSets } from "./check-sets.tsx";
import { FormulaEditor } from "../../formulas/formula-editor.tsx";
import { OneRecord } from "../one-record.tsx";
import { SampleWords } from "../cleanse/step-records.tsx";
import { USUAL_SAMPLE, useRules, useSample } from "../use-sample.ts";
import { grouped } from "../../kit/words.ts";

/** Checks by formula, each with its name, its policy and what it finds in the sample. */
export function RuleList({
  plan,
  change,
  delivery,
}: {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number } | null;
}) {
  const [size, setSize] = useState<number>(USUAL_SAMPLE);
  const sample = useSample(plan, delivery?.id ?? null, size);
  const found = useRules(plan, sample);
  const [picked, setPicked] = useState<number | null>(null);
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
        <Rule
          key={i}
          plan={plan}
          rule={rule}
          found={sample && (found.result?.[i] ?? null)}
          delivery={delivery !== null}
          set={(next) => set(i, next)}
        />
      ))}
      {rules.length > 0 && sample && <SampleWords sample={sample} size={size} setSize={setSize} />}
      {sample && <OneRecord plan={plan} sample={sample} at={picked} setAt={setPicked} />}
      <button type="button" className="btn btn-line btn-sm mt-2" onClick={add}>
        Add a check
      </button>
      <CheckSets plan={plan} change={change} />
    </section>
  );
}

function Rule({
  plan,
  rule,
  found,
  delivery,
  set,
}: {
  plan: Plan;
  rule: RuleCheck;
  found: RulePreview | null;
  delivery: boolean;
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
        <About rule={rule} fields={fields} put={(names) => more({ in: names })} />
        <Found found={found} delivery={delivery} />
      </div>
    </div>
  );
}

/** What a check is about: the whole record, the cell of a field, or some fields together. */
function About({ rule, fields, put }: { rule: RuleCheck; fields: readonly Field[]; put: (names: string[]) => void }) {
  return (
    <>
      <label className="flex items-center gap-2 whitespace-nowrap">
        it is
        <select
          className="select select-xs"
          aria-label={`What ${rule.name} is about`}
          value={rule.in === undefined ? "" : rule.in.length > 1 ? "+" : rule.in[0]}
          onChange={(e) => put(e.target.value === "" ? [] : [e.target.value])}
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
      {rule.in && (
        <p className="mt-1 flex flex-wrap items-center gap-2">
          {rule.in.length > 1 &&
            rule.in.map((n) => (
              <button
                key={n}
                type="button"
                className="plain"
                aria-label={`Take ${n} out of ${rule.name}`}
                onClick={() => put(rule.in!.filter((x) => x !== n))}
              >
                {n} ×
              </button>
            ))}
          <select
            className="select select-xs max-w-44"
            aria-label={`One more field of ${rule.name}`}
            value=""
            onChange={(e) => e.target.value && put([...rule.in!, e.target.value])}
          >
            <option value="">and of one more field</option>
            {fields
              .filter((f) => !rule.in!.includes(f.name))
              .map((f) => (
                <option key={f.name}>{f.name}</option>
              ))}
          </select>
        </p>
      )}
    </>
  );
}

/** What a check finds in the sample, as its formula stands. */
function Found({ found, delivery }: { found: RulePreview | null; delivery: boolean }) {
  if (!delivery) return <p className="faint mt-1">Bring in a delivery to see what it finds.</p>;
  if (!found) return <p className="faint mt-1">What it finds is shown once it can be understood.</p>;
  return (
    <div className="mt-1" role="status">
      <p>
        Of the sample {grouped(found.passes)} pass
        {found.empty > 0 && `, ${grouped(found.empty)} ${found.empty === 1 ? "lacks" : "lack"} a field`}
        {found.failed > 0 ? (
          <>
            , <b className="held">{grouped(found.failed)} fail</b>
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
