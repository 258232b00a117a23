"use client";

import type { Plan } from "@/core/plan/document.ts";
import { PARAMETER_TYPES, parameterFault, type Parameter, type ParameterType } from "@/core/plan/parameters.ts";

const TYPE_WORDS: Record<ParameterType, string> = {
  text: "text",
  integer: "whole number",
  decimal: "decimal",
  boolean: "yes or no",
  date: "date",
};
/** What a parameter of a type is before a person says otherwise. */
const BEGINS: Record<ParameterType, string> = {
  text: "",
  integer: "0",
  decimal: "0.0",
  boolean: "false",
  date: "2000-01-01",
};

/** Values that a run of the plan may be given, which its formulas ask for. */
export function ParameterList({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const parameters = plan.parameters ?? [];
  const put = (next: Parameter[]): void => {
    const { parameters: _, ...rest } = plan;
    change(next.length > 0 ? { ...plan, parameters: next } : rest);
  };
  const free = (): string => {
    const taken = new Set(parameters.map((p) => p.name));
    for (let i = 1; ; i++) if (!taken.has(`parameter_${i}`)) return `parameter_${i}`;
  };
  return (
    <>
      <h2 className="mt-6">Parameters of a run</h2>
      {parameters.length === 0 && (
        <p className="max-w-prose">
          None. A parameter is a value that one run may be given, such as the day from which on records are taken;
          formulas and names of files ask for it, and every other run has what stands here.
        </p>
      )}
      {parameters.map((p, i) => (
        <OneParameter
          key={`${i} ${p.name} ${p.type}`}
          parameter={p}
          fault={parameterFault(p, plan.formulas)}
          set={(next) => put(parameters.flatMap((own, k) => (k !== i ? [own] : next ? [next] : [])))}
        />
      ))}
      <button
        type="button"
        className="btn btn-line btn-sm mt-1"
        onClick={() => put([...parameters, { name: free(), type: "date", default: BEGINS.date }])}
      >
        Add a parameter
      </button>
    </>
  );
}

function OneParameter({
  parameter: p,
  fault,
  set,
}: {
  parameter: Parameter;
  fault: string | null;
  set: (next: Parameter | null) => void;
}) {
  const text = (part: "name" | "default" | "about", label: string, width: string) => (
    <input
      className={`input input-sm text-sm ${width} ${part === "about" ? "" : "font-mono"}`}
      aria-label={`${label} of the parameter ${p.name}`}
      type={part === "default" && p.type === "date" ? "date" : "text"}
      defaultValue={p[part] ?? ""}
      maxLength={part === "about" ? 300 : 40}
      onBlur={(e) => {
        const value = e.target.value.trim();
        if (value === (p[part] ?? "")) return;
        const { about, ...rest } = p;
        if (part === "about") set(value === "" ? rest : { ...rest, about: value });
        else set({ ...rest, ...(about === undefined ? {} : { about }), [part]: value });
      }}
    />
  );
  return (
    <div className="mb-2 max-w-3xl border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span className="flex items-center gap-1">
          {text("name", "The name", "!w-40")}
          <span className="faint font-mono">()</span>
        </span>
        <select
          className="select select-sm !w-36 text-sm"
          aria-label={`The type of the parameter ${p.name}`}
          value={p.type}
          onChange={(e) => {
            const type = e.target.value as ParameterType;
            set({ ...p, type, default: BEGINS[type] });
          }}
        >
          {PARAMETER_TYPES.map((type) => (
            <option key={type} value={type}>
              {TYPE_WORDS[type]}
            </option>
          ))}
        </select>
        <label className="flex items-center gap-2">
          <span className="faint">unless given</span>
          {p.type === "boolean" ? (
            <select
              className="select select-sm !w-24 text-sm"
              aria-label={`The usual value of the parameter ${p.name}`}
              value={p.default}
              onChange={(e) => set({ ...p, default: e.target.value })}
            >
              <option value="true">yes</option>
              <option value="false">no</option>
            </select>
          ) : (
            text("default", "The usual value", "!w-36")
          )}
        </label>
        <button
          type="button"
          className="plain ml-auto"
          aria-label={`Take the parameter ${p.name} away`}
          onClick={() => set(null)}
        >
          take out
        </button>
      </div>
      <label className="mt-1 flex items-center gap-2">
        <span className="faint whitespace-nowrap">it is for</span>
        {text("about", "The purpose", "w-full")}
      </label>
      {fault && <p className="held mt-1">{fault}</p>}
    </div>
  );
}
