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

/** Values that a run of the plan may be told, which its formulas ask for. */
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
          None. A parameter is a value that one run may be told, such as the day from which on records are taken;
          formulas and names of files ask for it, and every other run has what stands here.
        </p>
      )}
      {parameters.length > 0 && (
        <table className="ledger tight">
          <thead>
            <tr>
              <th>name</th>
              <th>type</th>
              <th>unless told</th>
              <th>what it is for</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {parameters.map((p, i) => (
              <OneParameter
                key={`${i} ${p.name} ${p.type}`}
                parameter={p}
                fault={parameterFault(p, plan.formulas)}
                set={(next) => put(parameters.flatMap((own, k) => (k !== i ? [own] : next ? [next] : [])))}
              />
            ))}
          </tbody>
        </table>
      )}
      <button
        type="button"
        className="btn btn-xs mt-1"
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
      className={`input input-xs ${width} ${part === "about" ? "" : "font-mono"}`}
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
    <>
      <tr>
        <td className="whitespace-nowrap">
          {text("name", "The name", "w-28")}
          <span className="faint font-mono">()</span>
        </td>
        <td>
          <select
            className="select select-xs w-32"
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
        </td>
        <td>
          {p.type === "boolean" ? (
            <select
              className="select select-xs w-32"
              aria-label={`The usual value of the parameter ${p.name}`}
              value={p.default}
              onChange={(e) => set({ ...p, default: e.target.value })}
            >
              <option value="true">yes</option>
              <option value="false">no</option>
            </select>
          ) : (
            text("default", "The usual value", "w-32")
          )}
        </td>
        <td>{text("about", "The purpose", "w-48")}</td>
        <td>
          <button
            type="button"
            className="plain text-sm"
            aria-label={`Take the parameter ${p.name} away`}
            onClick={() => set(null)}
          >
            take away
          </button>
        </td>
      </tr>
      {fault && (
        <tr>
          <td colSpan={5} className="held">
            {fault}
          </td>
        </tr>
      )}
    </>
  );
}
