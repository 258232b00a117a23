"use client";

import { useRef, useState } from "react";
import { ABOUT, mapColumns } from "@/core/map/columns.ts";
import { suggestColumn, type Suggestion } from "@/core/map/suggest.ts";
import type { ColumnProfile } from "@/core/profile/facts.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { proposeField } from "@/core/profile/propose.ts";
import { splitList } from "@/core/type/part.ts";
import { useProfile } from "../../profile/use-profile.ts";
import { counted } from "../../kit/words.ts";

interface StageProps {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number; name: string } | null;
}

/**
 * Which column of the latest delivery meets which field, in one table: by name, or by the names that
 * columns have had. Where a field has none, a column is suggested by what is in it.
 */
export function MapStage({ plan, change, delivery }: StageProps) {
  const { columns, at, suggestions, free, waiting, give, acceptAll, addField, setAlso } = useMapping({
    plan,
    change,
    delivery,
  });
  const { fields } = plan.contract;
  const body = useRef<HTMLTableSectionElement>(null);
  const open = suggestions.filter((s) => s !== null).length;

  const onKey = (event: React.KeyboardEvent, i: number): void => {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement) return;
    const rows = body.current?.querySelectorAll<HTMLTableRowElement>("tr") ?? [];
    const suggestion = suggestions[i];
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      if (event.altKey) return;
      event.preventDefault();
      rows[i + (event.key === "ArrowDown" ? 1 : -1)]?.focus();
    } else if (event.key === "Enter" && suggestion) {
      event.preventDefault();
      give(fields[i]!.name, suggestion.column);
      rows[suggestions.findIndex((s, j) => s && j > i)]?.focus();
    }
  };

  return (
    <>
      <div className="mb-2 flex items-baseline justify-between gap-4">
        <p className="faint">
          {delivery
            ? `A column meets a field by name, whatever its case, spaces and place. Here: ${delivery.name}.`
            : "A column meets a field by name, whatever its case, spaces and place."}
          {waiting && <span className="loading loading-dots loading-xs ml-2" aria-label="looking at the delivery" />}
        </p>
        {open > 0 && (
          <button type="button" className="btn btn-line btn-sm whitespace-nowrap" onClick={acceptAll}>
            Accept {counted(open, "suggestion")}
          </button>
        )}
      </div>
      <table className="ledger w-full">
        <thead>
          <tr>
            <th className="text-left">field</th>
            <th className="text-left">column</th>
            <th className="text-left">what is in it</th>
            <th className="text-left">other names of its column, comma between</th>
          </tr>
        </thead>
        <tbody ref={body}>
          {fields.map((f, i) => (
            <MapRow
              key={f.name}
              field={f}
              columns={columns}
              at={at[i]!}
              suggestion={suggestions[i] ?? null}
              onKey={(e) => onKey(e, i)}
              give={(column) => give(f.name, column)}
              setAlso={(also) => setAlso(f.name, also)}
            />
          ))}
        </tbody>
      </table>
      {free.length > 0 && <FreeColumns free={free} add={addField} />}
      <WhenFilesDiffer plan={plan} change={change} />
    </>
  );
}

/** Which columns of a delivery meet which fields, what is suggested for those that none meets, and how that is changed. */
function useMapping({ plan, change, delivery }: StageProps) {
  const { profile } = useProfile(delivery?.id ?? 0, delivery ? plan.read : undefined);
  const columns = profile?.document?.columns ?? [];
  const named = new Map(columns.map((c) => [c.name, c]));
  const { fields } = plan.contract;
  const mapping = mapColumns(
    columns.map((c) => c.name),
    fields,
  );
  const setAlso = (name: string, also: readonly string[]): void =>
    change({ ...plan, contract: { fields: fields.map((f) => (f.name === name ? withAlso(f, also) : f)) } });
  /** The column meets this field from now on, and no other. */
  const give = (name: string, column: string): void =>
    change({
      ...plan,
      contract: {
        fields: fields.map((f) => {
          const also = (f.also ?? []).filter((a) => a !== column);
          return withAlso(f, f.name === name && column !== "" ? [...also, column] : also);
        }),
      },
    });
  const waiting = delivery !== null && profile?.state !== "done" && profile?.state !== "failed";
  const free = mapping.extra.flatMap((name) => named.get(name) ?? []);
  const taken = new Set<string>();
  const suggestions = fields.map((f, i) => {
    if (columns.length === 0 || mapping.column[i] !== -1) return null;
    const suggestion = suggestColumn(
      f,
      free.filter((c) => !taken.has(c.name)),
    );
    if (suggestion) taken.add(suggestion.column);
    return suggestion;
  });

  const acceptAll = (): void => {
    const bySuggestion = new Map(fields.map((f, i) => [f.name, suggestions[i]]));
    change({
      ...plan,
      contract: {
        fields: fields.map((f) => {
          const column = bySuggestion.get(f.name)?.column;
          return column === undefined ? f : withAlso(f, [...(f.also ?? []), column]);
        }),
      },
    });
  };

  const addField = (column: ColumnProfile): void => {
    const { field } = proposeField(column, new Set(fields.map((f) => f.name)));
    // What one delivery shows can't be demanded of the next.
    delete field.required;
    change({ ...plan, contract: { fields: [...fields, field] } });
  };

  return { columns, at: mapping.column, suggestions, free, waiting, give, acceptAll, addField, setAlso };
}

/** One field, the column that meets it or is suggested, what is in that, and the names that its column has had. */
function MapRow({
  field: f,
  columns,
  at,
  suggestion,
  onKey,
  give,
  setAlso,
}: {
  field: Field;
  columns: readonly ColumnProfile[];
  /** Place of the column that meets it; under 0 none, or what is known of the record itself. */
  at: number;
  suggestion: Suggestion | null;
  onKey: (event: React.KeyboardEvent) => void;
  give: (column: string) => void;
  setAlso: (also: string[]) => void;
}) {
  const column = at >= 0 ? columns[at] : undefined;
  const about = Object.entries(ABOUT).find(([, code]) => code === at)?.[0];
  return (
    <tr tabIndex={0} onKeyDown={onKey} aria-label={f.name}>
      <td className="font-semibold">
        {f.name}
        {f.title && f.title !== f.name && <span className="block text-xs font-normal faint">{f.title}</span>}
      </td>
      <td>
        {columns.length > 0 && (
          <select
            className="select select-xs w-44"
            aria-label={`Column of ${f.name}`}
            value={about ?? column?.name ?? ""}
            onChange={(e) => give(e.target.value)}
          >
            <option value="">none</option>
            {columns.map((c) => (
              <option key={c.name}>{c.name}</option>
            ))}
            {Object.keys(ABOUT).map((name) => (
              <option key={name} value={name}>
                {name === "@file" ? "name of its file" : "its line"}
              </option>
            ))}
          </select>
        )}
      </td>
      <td className="max-w-72">
        {column && (
          <span className="raw block truncate text-sm" title={examples(column)}>
            {examples(column)}
          </span>
        )}
        {suggestion && (
          <span className="changed">
            <button type="button" className="plain mr-1 font-semibold" onClick={() => give(suggestion.column)}>
              {suggestion.column}?
            </button>
            {suggestion.why} <kbd>Enter</kbd>
          </span>
        )}
        {columns.length > 0 && at === -1 && !suggestion && (
          <span className={f.required ? "held" : "faint"}>
            {f.required ? "no column, and it is required" : "no column"}
          </span>
        )}
      </td>
      <td>
        <OtherNames field={f} set={setAlso} />
      </td>
    </tr>
  );
}

/** Columns that no field takes, each of which can become one. */
function FreeColumns({ free, add }: { free: readonly ColumnProfile[]; add: (column: ColumnProfile) => void }) {
  return (
    <>
      <h2 className="mt-4">Columns that no field takes</h2>
      <table className="ledger max-w-4xl">
        <tbody>
          {free.map((c) => (
            <tr key={c.name}>
              <td className="font-semibold">{c.name}</td>
              <td className="max-w-96">
                <span className="raw block truncate text-sm">{examples(c)}</span>
              </td>
              <td className="text-right">
                <button type="button" className="plain" onClick={() => add(c)}>
                  Make a field of it
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** What is done where columns are missing, too many or in another order. */
function WhenFilesDiffer({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  return (
    <>
      <h2 className="mt-4">When files differ from the plan</h2>
      <div className="mt-1 grid max-w-2xl grid-cols-[1fr_auto] items-center gap-x-4 gap-y-2">
        {POLICIES.map(({ key, what, usual, choices }) => (
          <label key={key} className="contents">
            <span>{what}</span>
            <select
              className="select select-sm w-64"
              value={plan.map[key] ?? usual}
              onChange={(e) => change({ ...plan, map: { ...plan.map, [key]: e.target.value } })}
            >
              {choices.map((c) => (
                <option key={c} value={c}>
                  {CHOICES[c]}
                </option>
              ))}
            </select>
          </label>
        ))}
      </div>
    </>
  );
}

function OtherNames({ field, set }: { field: Field; set: (also: string[]) => void }) {
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <input
      aria-label={`Other names of ${field.name}`}
      className="w-full border-b border-transparent bg-transparent hover:border-[var(--rule)] focus:border-[var(--ink)]"
      value={draft ?? (field.also ?? []).join(", ")}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={() => {
        if (draft === null) return;
        setDraft(null);
        const also = splitList(draft);
        if (also.join() !== (field.also ?? []).join()) set(also);
      }}
    />
  );
}

function withAlso(field: Field, also: readonly string[]): Field {
  const { also: _, ...rest } = field;
  return also.length > 0 ? { ...rest, also: [...also] } : rest;
}

function examples(column: ColumnProfile): string {
  const values = column.common.slice(0, 4).map((v) => v.value);
  return values.length > 0 ? values.join(" · ") : `${column.least} … ${column.most}`;
}

type Policy = "keep" | "leave" | "note" | "hold" | "stop";

const CHOICES: Record<Policy, string> = {
  keep: "take it along as JSON, and note it",
  leave: "leave it without a word",
  note: "note it on the report",
  hold: "hold the file",
  stop: "stop the load",
};

const POLICIES: {
  key: "extra" | "missing" | "reordered" | "retyped" | "codes";
  what: string;
  usual: Policy;
  choices: Policy[];
}[] = [
  {
    key: "extra",
    what: "a column that no field takes",
    usual: "note",
    choices: ["note", "keep", "leave", "hold", "stop"],
  },
  { key: "missing", what: "a field without its column", usual: "note", choices: ["note", "hold", "stop"] },
  {
    key: "reordered",
    what: "columns in another order than before",
    usual: "leave",
    choices: ["leave", "note", "hold", "stop"],
  },
  { key: "retyped", what: "values that are mostly of another type", usual: "note", choices: ["note", "hold", "stop"] },
  {
    key: "codes",
    what: "codes that are not in their list, again and again",
    usual: "note",
    choices: ["note", "leave", "hold", "stop"],
  },
];
