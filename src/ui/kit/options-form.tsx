"use client";

import { useId, useMemo, useState } from "react";
import { z } from "zod";
import type { StepPart } from "@/core/cleanse/part.ts";
import { WORDS_FROM } from "@/core/match/word-lists.ts";
import type { Plan } from "@/core/plan/document.ts";
import { useNamed } from "../formulas/use-formulas.ts";
import { FormulaEditor } from "../formulas/formula-editor.tsx";
import { splitList } from "@/core/type/part.ts";
import { FieldChoice, ListChoice, ValueTable, ValueTableFile } from "./option-values.tsx";

interface Property {
  type?: string;
  enum?: string[];
  description?: string;
  minimum?: number;
  maximum?: number;
  maxLength?: number;
  items?: { type?: string };
}

/** Anything that has options and speaks of fields: a step, a check between records, or what a match compares. */
interface Options {
  readonly in?: "*" | readonly string[];
  readonly [option: string]: unknown;
}

/** A step's options as inputs, made from the part's own statement of them. */
export function OptionsForm<T extends Options>({
  part,
  step,
  plan,
  set,
}: {
  part: Pick<StepPart<object>, "title" | "options" | "fieldOptions" | "formulaOptions" | "ofRecord">;
  step: T;
  plan: Plan;
  set: (step: T) => void;
}) {
  const { properties = {}, required = [] } = useMemo(
    () =>
      z.toJSONSchema(z.object(part.options), { io: "input" }) as {
        properties?: Record<string, Property>;
        required?: string[];
      },
    [part],
  );
  const commit = (name: string, value: unknown): void => {
    const { [name]: _, ...others } = step;
    const next = (value === undefined ? others : { ...step, [name]: value }) as T;
    if (JSON.stringify(next) !== JSON.stringify(step)) set(next);
  };
  const names = plan.contract.fields.map((f) => f.name);
  const named = useNamed(plan);
  return (
    <div className="flex flex-wrap items-end gap-x-5 gap-y-1">
      {Object.entries(properties).map(([name, p]) => {
        const value = step[name];
        if (part.formulaOptions?.includes(name) && p.type === "array") {
          const scope = { named, fields: plan.contract.fields };
          return <RuleRows key={name} rules={value as Rule[]} scope={scope} set={(rules) => commit(name, rules)} />;
        }
        if (part.formulaOptions?.includes(name)) {
          const it = part.ofRecord || !step.in || step.in === "*" ? undefined : names.indexOf(step.in[0]!);
          return (
            <div key={name} className="w-full max-w-3xl">
              <FormulaEditor
                label={`Formula: ${part.title}`}
                value={String(value ?? "")}
                scope={{ named, fields: plan.contract.fields, it: it ?? (step["do"] === "derive" ? 0 : undefined) }}
                onChange={(source) => commit(name, source)}
              />
            </div>
          );
        }
        if (part.fieldOptions?.includes(name)) {
          return (
            <FieldChoice
              key={name}
              label={p.description ?? name}
              names={names}
              many={p.type === "array"}
              needed={required.includes(name)}
              value={value as string | string[] | undefined}
              set={(v) => commit(name, v)}
            />
          );
        }
        return (
          <Option
            key={name}
            name={name}
            property={p}
            needed={required.includes(name)}
            value={value}
            set={(v) => commit(name, v)}
          />
        );
      })}
    </div>
  );
}

interface Rule {
  is: string;
  when: string;
}

/** Categories with the formula of each, the first that is true counts. */
function RuleRows({
  rules,
  scope,
  set,
}: {
  rules: readonly Rule[];
  scope: React.ComponentProps<typeof FormulaEditor>["scope"];
  set: (rules: Rule[]) => void;
}) {
  const change = (i: number, more: Partial<Rule>): void => set(rules.map((r, k) => (k === i ? { ...r, ...more } : r)));
  return (
    <div className="w-full max-w-3xl">
      {rules.map((rule, i) => (
        <div key={i} className="mb-2">
          <span className="flex items-center gap-2">
            <input
              className="input input-xs"
              aria-label={`Category ${i + 1}`}
              placeholder="category"
              value={rule.is}
              maxLength={200}
              onChange={(e) => change(i, { is: e.target.value })}
            />
            <button
              type="button"
              className="plain disabled:opacity-40"
              disabled={i === 0}
              aria-label={`Ask category ${i + 1} earlier`}
              onClick={() => set([...rules.slice(0, i - 1), rule, rules[i - 1]!, ...rules.slice(i + 1)])}
            >
              earlier
            </button>
            <button
              type="button"
              className="plain held disabled:opacity-40"
              disabled={rules.length === 1}
              aria-label={`Take category ${i + 1} out`}
              onClick={() => set(rules.filter((_, k) => k !== i))}
            >
              out
            </button>
          </span>
          <FormulaEditor
            label={`When it is category ${i + 1}`}
            value={rule.when}
            scope={scope}
            placeholder="quantity_g < 1.0"
            onChange={(when) => change(i, { when })}
          />
        </div>
      ))}
      <button
        type="button"
        className="plain text-sm"
        onClick={() => set([...rules, { is: `category ${rules.length + 1}`, when: "true" }])}
      >
        one more category
      </button>
    </div>
  );
}

function Option({
  name,
  property: p,
  needed,
  value,
  set,
}: {
  name: string;
  property: Property;
  needed: boolean;
  value: unknown;
  set: (value: unknown) => void;
}) {
  const id = useId();
  const [draft, setDraft] = useState<string | null>(null);
  const says = p.description ?? name;
  if (p.type === "boolean") {
    return (
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={value === true} onChange={(e) => set(e.target.checked || undefined)} />
        {says}
      </label>
    );
  }
  const box = (input: React.ReactNode, wide = false): React.ReactNode => (
    <div className={wide ? "w-full max-w-3xl" : "w-64"}>
      <label htmlFor={id} className="faint block text-xs">
        {says}
      </label>
      {input}
    </div>
  );
  if (p.enum) {
    return box(
      <select
        id={id}
        className="select select-xs"
        value={String(value ?? "")}
        onChange={(e) => set(e.target.value || undefined)}
      >
        {value === undefined && <option value="">as usual</option>}
        {p.enum.map((o) => (
          <option key={o}>{o}</option>
        ))}
      </select>,
    );
  }
  if (p.type === "object") {
    const table = (value ?? {}) as Record<string, string[]>;
    const put = (next: Record<string, string[]>): void =>
      set(!needed && Object.keys(next).length === 0 ? undefined : next);
    return box(
      <>
        <ValueTable id={id} value={table} set={put} />
        <ValueTableFile value={table} set={put} />
      </>,
      true,
    );
  }
  if (name === WORDS_FROM) return box(<ListChoice id={id} value={value as string | undefined} set={set} />);
  const list = p.type === "array";
  const number = p.type === "integer" || p.type === "number";
  const shown = list ? ((value as string[] | undefined) ?? []).join(", ") : String(value ?? "");
  return box(
    <input
      id={id}
      className={`input input-xs ${number || list ? "" : "font-mono"}`}
      type={number ? "number" : "text"}
      min={p.minimum}
      max={p.maximum}
      maxLength={p.maxLength}
      value={draft ?? shown}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={(e) => {
        setDraft(null);
        const text = e.target.value;
        if (list) set(splitList(text).length > 0 ? splitList(text) : value);
        else if (number) set(text === "" ? undefined : Number(text));
        else set(text === "" && !needed ? undefined : text);
      }}
    />,
  );
}
