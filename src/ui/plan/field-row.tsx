"use client";

import type { ReactNode } from "react";
import type { Field } from "@/core/field/field.ts";
import { ON_FAILURE } from "@/core/plan/types.ts";
import { TYPE_IDS, type TypeId } from "@/core/type/index.ts";
import {
  canHave,
  CHECK_COLUMNS,
  type CheckColumn,
  lineOf,
  withChecked,
  withProperty,
  withSettings,
  withType,
} from "./check/field-edits.ts";
import { Text } from "./check/field-text.tsx";

type Update = (edit: (f: Field) => Field) => void;

/** How the columns of checks stand. */
const CELL: Readonly<Partial<Record<CheckColumn["kind"], string>>> = { yes: "text-center", text: "min-w-16" };

/** What a field says of one check. */
function CheckCell({
  field: f,
  column,
  isKey,
  update,
}: {
  field: Field;
  column: CheckColumn;
  isKey: boolean;
  update: Update;
}) {
  const { check, option, kind } = column;
  const value = (f as Readonly<Record<string, unknown>>)[option];
  if (kind === "yes") {
    const byKey = check === "unique" && isKey;
    return (
      <input
        type="checkbox"
        aria-label={`${f.name} is ${option}`}
        checked={value === true || byKey}
        disabled={byKey}
        title={byKey ? "It is the key" : undefined}
        onChange={(e) => update((x) => withChecked(x, column, e.target.checked))}
      />
    );
  }
  return (
    <Text
      label={`${option[0]!.toUpperCase()}${option.slice(1)} of ${f.name}`}
      value={value === undefined ? "" : String(value)}
      take={(v) => update((x) => withChecked(x, column, v))}
      mono={kind === "text"}
      whole={kind !== "text"}
    />
  );
}

/** What becomes of a record whose value of a field is wrong; what is said check by check is said elsewhere. */
function OnFailure({ field: f, update, byCheck }: { field: Field; update: Update; byCheck: () => void }) {
  return (
    <select
      className="select select-xs"
      aria-label={`On failure of ${f.name}`}
      value={typeof f.on_failure === "object" ? "by check" : (f.on_failure ?? "hold")}
      onChange={(e) =>
        e.target.value === "by check"
          ? byCheck()
          : update((x) => withProperty(x, { on_failure: e.target.value === "hold" ? undefined : e.target.value }))
      }
    >
      {ON_FAILURE.map((p) => (
        <option key={p}>{p}</option>
      ))}
      <option>by check</option>
    </select>
  );
}

/** One field of the contract, edited in its row. */
export function FieldRow({
  field: f,
  isKey,
  picked,
  open,
  failing,
  pick,
  rename,
  update,
  more,
}: {
  field: Field;
  /** Whether it alone is the key of the target. */
  isKey: boolean;
  picked: boolean;
  open: boolean;
  /** How many of the sample fail, where there is one. */
  failing: ReactNode | undefined;
  pick: () => void;
  rename: (to: string) => void;
  update: Update;
  /** Shows what else there is of it, or hides that. */
  more: (open: boolean) => void;
}) {
  const line = lineOf(f.type);
  return (
    <tr aria-selected={open}>
      <td>
        <input type="checkbox" aria-label={`Pick ${f.name}`} checked={picked} onChange={pick} />
      </td>
      <td>
        <Text label={`Name of ${f.name}`} value={f.name} take={(v) => rename(v.trim())} bold whole />
      </td>
      <td className="w-28">
        <select
          className="select select-xs"
          aria-label={`Type of ${f.name}`}
          value={f.type}
          onChange={(e) => update((x) => withType(x, e.target.value as TypeId))}
        >
          {TYPE_IDS.map((t) => (
            <option key={t} value={t}>
              {t}
            </option>
          ))}
        </select>
      </td>
      <td className="w-1/4 min-w-24">
        {line && (
          <Text
            label={`${line.hint} of ${f.name}`}
            placeholder={line.hint}
            value={line.show(f)}
            take={(v) => update((x) => withSettings(x, v))}
          />
        )}
      </td>
      {CHECK_COLUMNS.map((column) => (
        <td key={column.check} className={CELL[column.kind]}>
          {canHave(f, column.check) && <CheckCell field={f} column={column} isKey={isKey} update={update} />}
        </td>
      ))}
      <td className="w-28">
        <OnFailure field={f} update={update} byCheck={() => more(true)} />
      </td>
      {failing !== undefined && <td className="n">{failing}</td>}
      <td>
        <button type="button" className="plain" aria-expanded={open} onClick={() => more(!open)}>
          {open ? "less" : "more"}
        </button>
      </td>
    </tr>
  );
}
