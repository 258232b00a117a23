"use client";

import { useMemo, useState } from "react";
import { Heap, cellText, emptyCells } from "@/core/bytes.ts";
import { STEPS, STEP_IDS, stepPart, type StepId } from "@/core/cleanse/index.ts";
import { compilePlan } from "@/core/plan/compile.ts";
import { parsePlan, type Plan, type Step } from "@/core/plan/schema.ts";
import { siftRows } from "@/core/recheck.ts";
import { VERDICT, cleansedValues } from "@/core/sift.ts";
import { OptionsForm } from "./options-form.tsx";
import { Spellings } from "./spellings.tsx";
import { useSample, type Sample } from "./use-sample.ts";
import { counted, grouped } from "./words.ts";

/** A step as it begins: as in the part's own first example, over the plan's own fields. */
function firstStep(id: StepId, plan: Plan): Step {
  const part = stepPart(id);
  const names = plan.contract.fields.map((f) => f.name);
  const example = part.records?.[0];
  const step: Step = {
    do: id,
    in: part.everywhere || id === "leave-out" ? "*" : names.slice(-1),
    ...(part.examples[0] ?? example!).options,
  };
  for (const o of part.fieldOptions ?? []) {
    if (step[o] !== undefined) step[o] = Array.isArray(step[o]) ? names.slice(0, 2) : names[0];
  }
  for (const o of part.formulaOptions ?? []) step[o] = id === "leave-out" ? "false" : "it";
  return step;
}

/** Cleansing steps in their order, and beside them the first records as they stand after any of them. */
export function StepList({
  plan,
  change,
  delivery,
}: {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number } | null;
}) {
  const sample = useSample(plan, delivery?.id ?? null);
  const [chosen, setChosen] = useState<number | null>(null);
  const at = Math.min(chosen ?? plan.cleanse.length, plan.cleanse.length);
  const set = (cleanse: Step[]): void => change({ ...plan, cleanse });
  const move = (i: number, by: number): void => {
    const next = [...plan.cleanse];
    const [step] = next.splice(i, 1);
    next.splice(i + by, 0, step!);
    set(next);
    setChosen(i + by + 1);
  };
  const stood = useMemo(() => (sample ? standing(plan, sample, at) : null), [plan, sample, at]);
  const onKey = (event: React.KeyboardEvent): void => {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement || event.altKey) return;
    if ((event.target as HTMLElement).closest("textarea, .cm-editor")) return;
    if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
    event.preventDefault();
    setChosen(Math.max(0, Math.min(plan.cleanse.length, at + (event.key === "ArrowDown" ? 1 : -1))));
  };
  return (
    <div className="grid grid-cols-1 gap-6 xl:grid-cols-[27rem_minmax(0,1fr)]">
      <div onKeyDown={onKey}>
        <button
          type="button"
          aria-current={at === 0 ? "step" : undefined}
          className={`mb-1 cursor-pointer border-l-4 px-2 ${at === 0 ? "border-[var(--pine)] bg-[var(--shade)]" : "border-transparent"}`}
          onClick={() => setChosen(0)}
        >
          as it came
        </button>
        <ol>
          {plan.cleanse.map((step, i) => (
            <li
              key={i}
              className={`border-b border-b-[var(--rule)] border-l-4 py-1.5 pl-2 ${at === i + 1 ? "border-l-[var(--pine)]" : "border-l-transparent"}`}
            >
              <div className="flex items-baseline gap-3">
                <button
                  type="button"
                  className="faint w-5 shrink-0 cursor-pointer text-right"
                  aria-label={`Show the records after step ${i + 1}`}
                  aria-current={at === i + 1 ? "step" : undefined}
                  onClick={() => setChosen(i + 1)}
                >
                  {i + 1}
                </button>
                <div className="min-w-0 grow">
                  <StepEditor
                    plan={plan}
                    step={step}
                    set={(next) => {
                      set(plan.cleanse.map((s, k) => (k === i ? next : s)));
                      setChosen(i + 1);
                    }}
                  />
                </div>
                <span className="flex gap-2 text-sm">
                  {stood?.steps[i] !== undefined && (
                    <span
                      className={stood.steps[i] > 0 ? "changed" : "faint"}
                      title="cells of the first records that it changes"
                    >
                      {grouped(stood.steps[i])}
                    </span>
                  )}
                  <button
                    type="button"
                    className="plain disabled:opacity-40"
                    disabled={i === 0}
                    onClick={() => move(i, -1)}
                    aria-label={`Move step ${i + 1} up`}
                  >
                    up
                  </button>
                  <button
                    type="button"
                    className="plain disabled:opacity-40"
                    disabled={i === plan.cleanse.length - 1}
                    onClick={() => move(i, 1)}
                    aria-label={`Move step ${i + 1} down`}
                  >
                    down
                  </button>
                  <button
                    type="button"
                    className="plain held"
                    onClick={() => set(plan.cleanse.filter((_, k) => k !== i))}
                    aria-label={`Take step ${i + 1} out`}
                  >
                    out
                  </button>
                </span>
              </div>
            </li>
          ))}
        </ol>
        <label className="mt-3 flex items-center gap-2">
          <select
            className="select select-sm max-w-72"
            aria-label="Add a step"
            value=""
            onChange={(e) => {
              if (!e.target.value) return;
              const next = [...plan.cleanse];
              next.splice(at, 0, firstStep(e.target.value as StepId, plan));
              set(next);
              setChosen(at + 1);
            }}
          >
            <option value="">
              Add a step {at < plan.cleanse.length ? (at === 0 ? "first" : `after step ${at}`) : ""}
            </option>
            {STEP_IDS.map((id) => (
              <option key={id} value={id} title={STEPS[id].about}>
                {STEPS[id].title}
              </option>
            ))}
          </select>
        </label>
      </div>
      <Records plan={plan} sample={sample} stood={stood} at={at} />
    </div>
  );
}

interface Standing {
  /** By record and field: the value, and what it was before the step at hand. */
  readonly values: readonly (readonly string[])[];
  readonly before: readonly (readonly string[])[];
  readonly leftOut: readonly boolean[];
  /** Cells that each step changes, or records it leaves out. */
  readonly steps: readonly number[];
  readonly error?: string;
}

/** The sample as it stands after so many steps; exactly what a load makes of it, for it is the same code. */
function standing(plan: Plan, sample: Sample, steps: number): Standing | null {
  const after = (n: number) => {
    const compiled = compilePlan(parsePlan({ ...plan, check: [], cleanse: plan.cleanse.slice(0, n) }));
    return siftRows(compiled, sample.columns, sample.rows);
  };
  try {
    const now = after(steps);
    const values = sample.rows.map((_, r) => cleansedValues(now, r));
    const leftOut = sample.rows.map((_, r) => now.verdict[r] === VERDICT.leftOut);
    const { steps: counts } = after(plan.cleanse.length).tally;
    const then = steps > 0 ? after(steps - 1) : now;
    return { values, before: sample.rows.map((_, r) => cleansedValues(then, r)), leftOut, steps: counts };
  } catch (error) {
    return { values: [], before: [], leftOut: [], steps: [], error: (error as Error).message };
  }
}

function Records({
  plan,
  sample,
  stood,
  at,
}: {
  plan: Plan;
  sample: Sample | null;
  stood: Standing | null;
  at: number;
}) {
  const [only, setOnly] = useState(false);
  if (!sample || !stood) return <p className="faint">Bring in a delivery to see what the steps do to its records.</p>;
  if (stood.error) return <p className="held">{stood.error}</p>;
  const changes = stood.values.map((row, r) => row.map((v, f) => v !== stood.before[r]![f]));
  const shown = sample.rows
    .map((_, r) => r)
    .filter((r) => !only || stood.leftOut[r] || changes[r]!.some((c) => c))
    .slice(0, 100);
  // What the step changes stands first, so that it is seen.
  const touched = plan.contract.fields.map((_, f) => changes.some((row) => row[f]));
  const order = plan.contract.fields.map((_, f) => f).sort((a, b) => Number(touched[b]) - Number(touched[a]) || a - b);
  const changed = changes.reduce((n, row) => n + row.filter((c) => c).length, 0);
  return (
    <section aria-label="Records" className="min-w-0">
      <p className="mb-1 flex items-baseline justify-between gap-4 text-sm">
        <span>
          The first {counted(sample.rows.length, "record")} {at === 0 ? "as they came" : `after step ${at}`}
          {at > 0 && (
            <>
              : <b className="changed">{counted(changed, "cell")} changed by it</b>
              {stood.leftOut.some((l) => l) && `, ${stood.leftOut.filter((l) => l).length} left out`}
            </>
          )}
        </span>
        <label className="flex items-center gap-1 whitespace-nowrap">
          <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} /> only what it changes
        </label>
      </p>
      <div
        tabIndex={0}
        role="region"
        aria-label="The records as they stand"
        className="max-h-[70vh] overflow-auto border-y border-[var(--ink)]"
      >
        <table className="ledger tight rows">
          <thead className="sticky top-0 bg-[var(--paper)]">
            <tr>
              <th className="n">line</th>
              {order.map((i) => (
                <th key={i} className={touched[i] ? "changed text-left" : "text-left"}>
                  {plan.contract.fields[i]!.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((r) => (
              <tr key={r} className={stood.leftOut[r] ? "line-through opacity-60" : ""}>
                <td className="n faint">{grouped(sample.lines[r]!)}</td>
                {order.map((i) => (
                  <td
                    key={i}
                    className={`max-w-48 truncate ${changes[r]![i] ? "bg-[var(--shade)] font-semibold changed" : ""}`}
                    title={changes[r]![i] ? `was: ${stood.before[r]![i] || "empty"}` : stood.values[r]![i]}
                  >
                    {stood.values[r]![i] || (changes[r]![i] ? "empty" : "")}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {shown.length === 0 && <p className="p-2">It changes none of them.</p>}
      </div>
    </section>
  );
}

function StepEditor({ plan, step, set }: { plan: Plan; step: Step; set: (step: Step) => void }) {
  const part = stepPart(step.do);
  const [choosing, setChoosing] = useState(false);
  const chosen = step.in === "*" ? plan.contract.fields.map((f) => f.name) : step.in;
  return (
    <div>
      <p>
        <b title={part.about}>{part.title}</b>
        {step.do !== "leave-out" && (
          <>
            {" in "}
            <button type="button" className="plain" aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
              {step.in === "*"
                ? "all fields"
                : step.in.length > 4
                  ? counted(step.in.length, "field")
                  : step.in.join(", ")}
            </button>
          </>
        )}
      </p>
      {choosing && (
        <fieldset className="my-1 flex flex-wrap gap-x-4 gap-y-0.5 border-l-4 border-[var(--ochre)] bg-[var(--paper-bright)] p-2">
          <legend className="sr-only">Fields of this step</legend>
          <label className="flex items-center gap-1 font-semibold">
            <input
              type="checkbox"
              checked={step.in === "*"}
              onChange={(e) => set({ ...step, in: e.target.checked ? "*" : chosen.slice(0, 1) })}
            />{" "}
            all fields
          </label>
          {plan.contract.fields.map((f) => (
            <label key={f.name} className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={chosen.includes(f.name)}
                onChange={(e) => {
                  const next = plan.contract.fields
                    .map((x) => x.name)
                    .filter((n) => (n === f.name ? e.target.checked : chosen.includes(n)));
                  if (next.length > 0) set({ ...step, in: next });
                }}
              />
              {f.name}
            </label>
          ))}
        </fieldset>
      )}
      <OptionsForm part={part} step={step} plan={plan} set={set} />
      {!part.record && <TryStep key={JSON.stringify(step)} step={step} />}
      {step.do === "value-map" && <Spellings plan={plan} step={step} set={set} />}
    </div>
  );
}

/** What the step makes of a value that is typed in. */
function TryStep({ step }: { step: Step }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  if (!open) {
    return (
      <button type="button" className="faint cursor-pointer text-xs underline" onClick={() => setOpen(true)}>
        try it
      </button>
    );
  }
  let result: string;
  try {
    const { do: _, in: __, ...options } = step;
    const heap = new Heap(new Uint8Array(64), 0);
    const cells = emptyCells(1);
    cells.start[0] = heap.append(text);
    cells.end[0] = heap.length;
    stepPart(step.do).apply(options)(heap, cells, 1, new Uint8Array(1));
    result = cellText(heap, cells, 0);
  } catch (error) {
    result = (error as Error).message;
  }
  return (
    <p className="mt-1 flex items-center gap-2 text-sm">
      <input
        autoFocus
        className="input input-xs max-w-40 font-mono"
        aria-label="A value to try the step on"
        placeholder="a value"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      becomes{" "}
      <span className={result === text ? "raw" : "raw changed font-semibold"}>{result === "" ? "empty" : result}</span>
    </p>
  );
}
