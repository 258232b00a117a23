"use client";

import type { ReactNode } from "react";
import type { Field } from "@/core/plan/field.ts";
import { ON_FAILURE } from "@/core/plan/types.ts";
import { TYPE_IDS, typePart, type TypeId } from "@/core/type/index.ts";
import { lineOf, withProperty, withSettings, withType } from "./check/field-edits.ts";
import { Text } from "./check/field-text.tsx";

type Update = (edit: (f: Field) => Field) => void;

/** The least value of a field, or the most. */
function Bound({ field: f, which, update }: { field: Field; which: "least" | "most"; update: Update }) {
  const bound = f[which];
  return (
    <Text
      label={`${which === "least" ? "Least" : "Most"} of ${f.name}`}
      value={bound === undefined ? "" : String(bound)}
      take={(v) => update((x) => withProperty(x, { [which]: v.trim() || undefined }))}
      whole
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
  const ordered = typePart(f.type).order(f) !== null;
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
      <td className="text-center">
        <input
          type="checkbox"
          aria-label={`${f.name} is required`}
          checked={f.required ?? false}
          onChange={(e) => update((x) => withProperty(x, { required: e.target.checked || undefined }))}
        />
      </td>
      <td className="text-center">
        <input
          type="checkbox"
          aria-label={`${f.name} is unique`}
          checked={(f.unique ?? false) || isKey}
          disabled={isKey}
          title={isKey ? "It is the key" : undefined}
          onChange={(e) => update((x) => withProperty(x, { unique: e.target.checked || undefined }))}
        />
      </td>
      <td>{ordered && <Bound field={f} which="least" update={update} />}</td>
      <td>{ordered && <Bound field={f} which="most" update={update} />}</td>
      <td className="min-w-16">
        {(f.type === "text" || f.type === "code") && (
          <Text
            label={`Pattern of ${f.name}`}
            value={f.pattern ?? ""}
            take={(v) => update((x) => withProperty(x, { pattern: v || undefined }))}
            mono
          />
        )}
      </td>
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
