"use client";

import { useState } from "react";
import { withDefault, type OwnTable } from "@/core/plan/own-table.ts";
import { FieldSelect } from "./field-select.tsx";
import { TakeAway } from "../../kit/take-away.tsx";

/** What the database has in columns of a row that others add without them. */
export function DefaultPanel({
  of,
  names,
  defaults = {},
  set: change,
}: {
  of: string;
  names: readonly string[];
  defaults: OwnTable["defaults"];
  set: (defaults: OwnTable["defaults"]) => void;
}) {
  // A field that has been chosen and has no value yet.
  const [begun, setBegun] = useState<string | null>(null);
  const set = (name: string, text: string | undefined): void => change(withDefault(defaults, name, text));
  return (
    <section className="mt-3" aria-label={`Defaults of ${of}`}>
      <h2>Defaults, for rows that others add</h2>
      {begun === null && Object.keys(defaults).length === 0 && (
        <p className="faint max-w-prose">None: a load fills every field itself.</p>
      )}
      <ul className="mb-2">
        {names
          .filter((name) => name === begun || Object.hasOwn(defaults, name))
          .map((name) => (
            <li key={name} className="flex flex-wrap items-center gap-2 py-0.5">
              <label className="flex items-center gap-2">
                <span className="font-mono min-w-36 text-sm">{name}</span>
                <input
                  className="input input-sm !w-40 text-sm"
                  key={defaults[name]}
                  autoFocus={name === begun}
                  defaultValue={defaults[name]}
                  aria-label={`Default of ${name}`}
                  onBlur={(e) => {
                    const text = e.target.value;
                    if (name === begun) setBegun(null);
                    if (text !== (defaults[name] ?? "")) set(name, text === "" ? undefined : text);
                  }}
                />
              </label>
              <TakeAway
                label={`Take the default of ${name} away`}
                onClick={() => (name === begun ? setBegun(null) : set(name, undefined))}
              />
            </li>
          ))}
      </ul>
      <FieldSelect
        label={`Add a default of a field of ${of}`}
        first="Add a default of…"
        names={names.filter((name) => name !== begun && !Object.hasOwn(defaults, name))}
        choose={setBegun}
      />
    </section>
  );
}
