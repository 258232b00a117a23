"use client";

import type { Parameter } from "@/core/plan/parameters.ts";
import type { Telling, TellingAct } from "./run.ts";
import { counted } from "../kit/words.ts";
import { offCount } from "./run.ts";

/** What of a plan can be switched off for a run, with the words that tell it. */
export interface Switchable {
  readonly checks: readonly { readonly key: string; readonly title: string }[];
  readonly steps: readonly { readonly step: number; readonly words: string }[];
  readonly lookUps: readonly { readonly name: string; readonly words: string }[];
  /** Names of further targets that nothing else takes a value from. */
  readonly targets: readonly string[];
}

/** What a run is given beside its plan: values of parameters, and what it is to do without. */
export function RunInputs({
  telling,
  act,
  parameters,
  switchable,
}: {
  telling: Telling;
  act: (act: TellingAct) => void;
  parameters: readonly Parameter[];
  switchable: Switchable;
}) {
  const off = offCount(telling);
  return (
    <section aria-label="What the run is given">
      <h2>Parameters</h2>
      {parameters.length === 0 && (
        <p className="faint mb-2">The plan has none. They are made in its stage Load, and formulas ask for them.</p>
      )}
      {parameters.map((p) => (
        <ParameterValue
          key={p.name}
          parameter={p}
          value={telling.parameters[p.name]}
          set={(value) => act({ does: "tell", parameter: p.name, value })}
        />
      ))}
      <h2 className="mt-4">Without, for this run</h2>
      <Switches
        title="Steps"
        of={switchable.steps.map(({ step, words }) => ({
          key: String(step),
          words: `${step}. ${words}`,
          off: telling.steps.has(step),
        }))}
        turn={(key) => act({ does: "switch step", step: Number(key) })}
      />
      <Switches
        title="Checks"
        of={switchable.checks.map(({ key, title }) => ({ key, words: title, off: telling.checks.has(key) }))}
        turn={(key) => act({ does: "switch", what: "checks", key })}
      />
      <Switches
        title="Look-ups"
        of={switchable.lookUps.map(({ name, words }) => ({ key: name, words, off: telling.lookUps.has(name) }))}
        turn={(key) => act({ does: "switch", what: "lookUps", key })}
      />
      <Switches
        title="Further targets"
        of={switchable.targets.map((name) => ({ key: name, words: name, off: telling.targets.has(name) }))}
        turn={(key) => act({ does: "switch", what: "targets", key })}
      />
      {off > 0 && (
        <label className="mt-2 block">
          Why {counted(off, "thing is", "things are")} switched off, for the report
          <input
            className="input input-sm mt-1 w-full"
            value={telling.reason}
            maxLength={500}
            onChange={(e) => act({ does: "reason", reason: e.target.value })}
          />
        </label>
      )}
    </section>
  );
}

/** A parameter's value for this run; null: as the plan has it. */
function ParameterValue({
  parameter: { name, type, default: usual, about },
  value,
  set,
}: {
  parameter: Parameter;
  value: string | undefined;
  set: (value: string | null) => void;
}) {
  const put = (text: string): void => set(text === usual ? null : text);
  return (
    <label className="mb-2 block">
      <span className="font-semibold">{name}</span> <span className="faint">{about}</span>
      <span className="flex items-center gap-2">
        {type === "boolean" ? (
          <select className="select select-sm w-44" value={value ?? usual} onChange={(e) => put(e.target.value)}>
            <option value="true">yes</option>
            <option value="false">no</option>
          </select>
        ) : (
          <input
            className="input input-sm w-44 font-mono"
            type={type === "date" ? "date" : "text"}
            inputMode={type === "integer" || type === "decimal" ? "decimal" : undefined}
            value={value ?? usual}
            maxLength={500}
            onChange={(e) => put(e.target.value)}
          />
        )}
        {value !== undefined && (
          <button type="button" className="plain text-sm" onClick={() => set(null)}>
            as the plan has it: {usual === "" ? "nothing" : usual}
          </button>
        )}
      </span>
    </label>
  );
}

/** A list of what can be switched off, folded while nothing of it is. */
function Switches({
  title,
  of,
  turn,
}: {
  title: string;
  of: readonly { readonly key: string; readonly words: string; readonly off: boolean }[];
  turn: (key: string) => void;
}) {
  const off = of.filter((o) => o.off).length;
  if (of.length === 0) return null;
  return (
    <details className="mt-1">
      <summary className="cursor-pointer">
        {title}, {of.length}
        {off > 0 && <b className="held">, {off} switched off</b>}
      </summary>
      <ul className="max-h-64 overflow-auto border-y border-[var(--rule)]">
        {of.map(({ key, words, off: isOff }) => (
          <li key={key}>
            <label className="flex items-start gap-2 py-0.5">
              <input type="checkbox" className="mt-1" checked={isOff} onChange={() => turn(key)} />
              <span className={isOff ? "line-through" : ""}>{words}</span>
            </label>
          </li>
        ))}
      </ul>
    </details>
  );
}
