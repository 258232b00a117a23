"use client";

import { TAKES, type Further, type FurtherField, type Takes } from "@/core/plan/further-schema.ts";
import { furtherFields } from "@/core/plan/further.ts";
import type { Plan } from "@/core/plan/document.ts";
import { setColumn, setFurther, sourceOf, sourcesOf, withSource, withTakes } from "./further-edits.ts";

export interface ListProps {
  plan: Plan;
  change: (plan: Plan) => void;
}

/** A further target, and its place in the list. */
export interface OneProps extends ListProps {
  further: Further;
  at: number;
}

/** Its columns: what each has, and which are the key. */
export function Columns({ plan, further, at, change }: OneProps) {
  const columns = furtherFields(plan, further);
  const put = (next: Further): void => change(setFurther(plan, at, next));
  const free = plan.contract.fields.find((f) => !columns.some((c) => c.name === f.name));
  return (
    <>
      <div className="mt-2 max-h-80 overflow-auto" tabIndex={0} aria-label={`Columns of ${further.target}`}>
        <table className="ledger tight w-full">
          <thead>
            <tr>
              <th>key</th>
              <th>column</th>
              <th>has</th>
              {further.rows === "key" && <th>of many</th>}
              <th aria-label="take out" />
            </tr>
          </thead>
          <tbody>
            {columns.map((column, i) => (
              <ColumnRow
                key={i}
                {...{ plan, further, at, column }}
                set={(next) => put(setColumn(further, plan, i, next))}
                put={put}
              />
            ))}
          </tbody>
        </table>
      </div>
      <button
        type="button"
        className="plain mt-1"
        onClick={() =>
          put({
            ...further,
            fields: [
              ...columns,
              {
                name: free?.name ?? `column_${columns.length + 1}`,
                ...(free ? {} : { of: plan.contract.fields[0]!.name }),
              },
            ],
          })
        }
      >
        add a column
      </button>
    </>
  );
}

/** A column, what it has, and of many records which one’s. */
function ColumnRow({
  plan,
  further,
  at,
  column,
  set,
  put,
}: Omit<OneProps, "change"> & {
  column: FurtherField;
  set: (next: FurtherField | null) => void;
  put: (next: Further) => void;
}) {
  const { name, takes } = column;
  const isKey = further.key.includes(name);
  return (
    <tr>
      <td>
        <input
          type="checkbox"
          aria-label={`${name} is of the key of ${further.target}`}
          checked={isKey}
          onChange={(e) => {
            const { takes: _, ...plain } = column;
            const all = furtherFields(plan, further);
            const key = all.map((c) => c.name).filter((n) => (n === name ? e.target.checked : further.key.includes(n)));
            put({ ...further, key, fields: all.map((c) => (c.name === name && e.target.checked ? plain : c)) });
          }}
        />
      </td>
      <td>
        <input
          className="input input-xs !w-40 text-sm"
          aria-label={`Name of the column ${name}`}
          key={name}
          defaultValue={name}
          pattern="[a-z][a-z0-9_]*"
          onBlur={(e) => {
            const next = e.target.value.trim();
            if (next === name || next === "" || !e.target.validity.valid) return;
            // It has what it had.
            const same =
              column.handed || (takes === "count" && column.of === undefined) ? {} : { of: column.of ?? name };
            set({ ...column, ...same, name: next });
          }}
        />
      </td>
      <td>
        <select
          className="select select-xs !w-48 text-sm"
          aria-label={`What ${name} has`}
          value={sourceOf(column)}
          onChange={(e) => set(withSource(column, e.target.value))}
        >
          {sourcesOf(plan, further, at).map((s) => (
            <option key={s.value} value={s.value}>
              {s.words}
            </option>
          ))}
        </select>
      </td>
      {further.rows === "key" && (
        <td>
          {!isKey && !column.handed && sourceOf(column) !== "count" && (
            <select
              className="select select-xs !w-24 text-sm"
              aria-label={`What ${name} takes of many records`}
              value={takes ?? "first"}
              onChange={(e) => set(withTakes(column, e.target.value as Takes))}
            >
              {TAKES.map((t) => (
                <option key={t}>{t}</option>
              ))}
            </select>
          )}
        </td>
      )}
      <td>
        <button
          type="button"
          className="plain held"
          aria-label={`Take out the column ${name}`}
          onClick={() => set(null)}
        >
          ×
        </button>
      </td>
    </tr>
  );
}
