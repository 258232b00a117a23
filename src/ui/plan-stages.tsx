"use client";

import { useState } from "react";
import { STEPS, STEP_IDS, stepPart, type StepId } from "@/core/cleanse/index.ts";
import type { Gate, Plan, Step } from "@/core/plan/schema.ts";
import { OptionsForm } from "./options-form.tsx";
import { ReadForm } from "./read-form.tsx";
import { TargetPanel } from "./target-panel.tsx";
import { counted } from "./words.ts";

interface StageProps {
  plan: Plan;
  change: (plan: Plan) => void;
}

/** How files are read. */
export function ReadStage({ plan, change }: StageProps) {
  return (
    <div className="max-w-2xl">
      <ReadForm read={plan.read} set={(read) => change({ ...plan, read })} />
    </div>
  );
}

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

/** Cleansing steps in their order. */
export function StepList({ plan, change }: StageProps) {
  const set = (cleanse: Step[]): void => change({ ...plan, cleanse });
  const move = (i: number, by: number): void => {
    const next = [...plan.cleanse];
    const [step] = next.splice(i, 1);
    next.splice(i + by, 0, step!);
    set(next);
  };
  return (
    <>
      {plan.cleanse.length === 0 && (
        <p className="mb-2">
          Steps that change values before they are checked will be listed here. Add the first below.
        </p>
      )}
      <ol>
        {plan.cleanse.map((step, i) => (
          <li
            key={i}
            className="grid grid-cols-[2rem_minmax(0,1fr)_auto] items-start gap-3 border-b border-[var(--rule)] py-2"
          >
            <span className="faint text-right">{i + 1}</span>
            <StepEditor plan={plan} step={step} set={(next) => set(plan.cleanse.map((s, k) => (k === i ? next : s)))} />
            <span className="flex gap-3 text-sm">
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
                take out
              </button>
            </span>
          </li>
        ))}
      </ol>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        Add a step:
        {STEP_IDS.map((id) => (
          <button
            key={id}
            type="button"
            className="btn btn-line btn-sm"
            title={STEPS[id].about}
            onClick={() => set([...plan.cleanse, firstStep(id, plan)])}
          >
            {STEPS[id].title}
          </button>
        ))}
      </div>
    </>
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
    </div>
  );
}

/** Where good records go, by which key, and past which limits a load stops. */
export function LoadStage({ plan, change }: StageProps) {
  const { load, gates } = plan;
  const set = (more: Partial<Plan["load"]>): void => change({ ...plan, load: { ...load, ...more } });
  const share = gates.find((g): g is Extract<Gate, { limit: "held share" }> => g.limit === "held share");
  const setGate = (limit: Gate["limit"], gate: Gate | null): void =>
    change({ ...plan, gates: [...gates.filter((g) => g.limit !== limit), ...(gate ? [gate] : [])] });
  const has = (limit: Gate["limit"]): boolean => gates.some((g) => g.limit === limit);
  return (
    <div className="grid grid-cols-1 gap-8 xl:grid-cols-2">
      <div>
        <div className="grid grid-cols-[9rem_1fr] items-center gap-x-4 gap-y-2">
          <label htmlFor="load-target">target table</label>
          <input
            id="load-target"
            className="input input-sm"
            key={`${load.schema}.${load.target}`}
            defaultValue={load.target}
            onBlur={(e) => {
              const name = e.target.value.trim();
              // Another name is a table of Good Sieve's own again.
              const { schema: _, ...own } = load;
              if (name !== load.target) change({ ...plan, load: { ...own, target: name } });
            }}
          />
          <label htmlFor="load-mode">mode</label>
          <select
            id="load-mode"
            className="select select-sm"
            value={load.mode}
            onChange={(e) => set({ mode: e.target.value as Plan["load"]["mode"] })}
          >
            <option value="append">append: add; a key that is there already is held</option>
            <option value="replace">replace all: empty the target first</option>
            <option value="upsert">upsert: add what is new, update what differs</option>
          </select>
        </div>
        <fieldset className="mt-3">
          <legend className="faint text-sm font-bold">
            Key: the fields that together tell one record from another
          </legend>
          <div className="flex flex-wrap gap-x-4">
            {plan.contract.fields.map((f) => (
              <label key={f.name} className="flex items-center gap-1">
                <input
                  type="checkbox"
                  checked={load.key.includes(f.name)}
                  onChange={(e) =>
                    set({
                      key: plan.contract.fields
                        .map((x) => x.name)
                        .filter((n) => (n === f.name ? e.target.checked : load.key.includes(n))),
                    })
                  }
                />
                {f.name}
              </label>
            ))}
          </div>
        </fieldset>
        <h2 className="mt-4">Gates: past these a load stops before the target is touched</h2>
        <label className="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            checked={share !== undefined}
            onChange={(e) => setGate("held share", e.target.checked ? { limit: "held share", over: 0.2 } : null)}
          />
          held share over
          <input
            type="number"
            min={0}
            max={100}
            step={1}
            className="input input-xs max-w-20 text-right"
            aria-label="Held share in per cent"
            disabled={!share}
            value={share ? Math.round(share.over * 1000) / 10 : ""}
            onChange={(e) =>
              setGate("held share", {
                limit: "held share",
                over: Math.min(1, Math.max(0, Number(e.target.value) / 100)),
              })
            }
          />
          %
        </label>
        {(["nothing read", "required column missing"] as const).map((limit) => (
          <label key={limit} className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              checked={has(limit)}
              onChange={(e) => setGate(limit, e.target.checked ? { limit } : null)}
            />
            {limit}
          </label>
        ))}
      </div>
      <TargetPanel plan={plan} change={change} />
    </div>
  );
}
