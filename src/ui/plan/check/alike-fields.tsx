"use client";

import { useState } from "react";
import type { Field } from "@/core/field/field.ts";
import { ON_FAILURE } from "@/core/plan/types.ts";
import { TYPE_IDS, type TypeId } from "@/core/type/index.ts";
import { counted } from "../../kit/words.ts";
import { CHECK_COLUMNS, withChecked, withProperty, withType } from "./field-edits.ts";

/** What can be set of many fields, and what it can be; null: whatever is typed. */
const CHOICES: Readonly<Record<string, readonly string[] | null>> = {
  ...Object.fromEntries(CHECK_COLUMNS.map(({ option, kind }) => [option, kind === "yes" ? ["yes", "no"] : null])),
  "on failure": ON_FAILURE,
  type: TYPE_IDS,
};

/** One change for all the picked fields. */
export function Alike({
  count,
  apply,
  clear,
}: {
  count: number;
  apply: (edit: (f: Field) => Field) => void;
  clear: () => void;
}) {
  const [property, setProperty] = useState("on failure");
  const [value, setValue] = useState("hold");
  if (count === 0) return null;
  const options = CHOICES[property] ?? null;
  const edit = (f: Field): Field => {
    if (property === "on failure") return withProperty(f, { on_failure: value === "hold" ? undefined : value });
    if (property === "type") return withType(f, value as TypeId);
    const column = CHECK_COLUMNS.find((c) => c.option === property)!;
    return withChecked(f, column, column.kind === "yes" ? value === "yes" : value.trim());
  };
  return (
    <form
      className="mb-2 flex flex-wrap items-center gap-2 border-l-4 border-[var(--ochre)] bg-[var(--paper-bright)] px-3 py-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        apply(edit);
      }}
    >
      <b>{counted(count, "field")} picked:</b> set
      <select
        className="select select-xs w-32"
        aria-label="Property"
        value={property}
        onChange={(e) => {
          setProperty(e.target.value);
          setValue(CHOICES[e.target.value]?.[0] ?? "");
        }}
      >
        {Object.keys(CHOICES).map((p) => (
          <option key={p}>{p}</option>
        ))}
      </select>
      to
      {options ? (
        <select
          className="select select-xs w-32"
          aria-label="Value"
          value={value}
          onChange={(e) => setValue(e.target.value)}
        >
          {options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      ) : (
        <input
          className="input input-xs w-40"
          aria-label="Value"
          value={value}
          onChange={(e) => setValue(e.target.value)}
          placeholder="empty takes it away"
        />
      )}
      <button type="submit" className="btn btn-line btn-sm">
        Change {counted(count, "field")}
      </button>
      <button type="button" className="plain" onClick={clear}>
        pick none
      </button>
    </form>
  );
}
