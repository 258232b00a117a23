"use client";

import { useState } from "react";
import type { Field } from "@/core/plan/field.ts";
import { ON_FAILURE } from "@/core/plan/types.ts";
import { TYPE_IDS, typePart, type TypeId } from "@/core/type/index.ts";
import { counted } from "../../kit/words.ts";
import { type Property, withProperty, withType } from "./field-edits.ts";

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
  const [property, setProperty] = useState<Property>("on failure");
  const [value, setValue] = useState("hold");
  if (count === 0) return null;
  const choices: Record<Property, string[] | null> = {
    required: ["yes", "no"],
    unique: ["yes", "no"],
    least: null,
    most: null,
    pattern: null,
    "on failure": [...ON_FAILURE],
    type: [...TYPE_IDS],
  };
  const options = choices[property];
  const edit = (f: Field): Field => {
    const text = value.trim();
    switch (property) {
      case "required":
      case "unique":
        return withProperty(f, { [property]: value === "yes" || undefined });
      case "on failure":
        return withProperty(f, { on_failure: value === "hold" ? undefined : value });
      case "type":
        return withType(f, value as TypeId);
      case "pattern":
        return f.type === "text" || f.type === "code" ? withProperty(f, { pattern: text || undefined }) : f;
      default:
        return typePart(f.type).order(f) === null ? f : withProperty(f, { [property]: text || undefined });
    }
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
          const p = e.target.value as Property;
          setProperty(p);
          setValue(choices[p]?.[0] ?? "");
        }}
      >
        {(Object.keys(choices) as Property[]).map((p) => (
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
