"use client";

import type { OwnTable } from "@/core/plan/own-table.ts";
import { FieldSelect } from "./field-select.tsx";
import { TakeAway } from "../../kit/take-away.tsx";

/** By which fields others look rows of a table up: each line an index, its fields in their order. */
export function IndexPanel({
  of,
  names,
  indexes = [],
  set: change,
}: {
  of: string;
  names: readonly string[];
  indexes: OwnTable["indexes"];
  set: (indexes: OwnTable["indexes"]) => void;
}) {
  const set = (to: readonly (readonly string[])[]): void =>
    change(to.length > 0 ? to.map((fields) => [...fields]) : undefined);
  const put = (at: number, fields: readonly string[]): void =>
    set(indexes.flatMap((have, i) => (i !== at ? [have] : fields.length > 0 ? [fields] : [])));
  return (
    <section className="mt-3" aria-label={`Indexes of ${of}`}>
      <h2>Indexes, beside the key’s</h2>
      {indexes.length === 0 && (
        <p className="faint max-w-prose">None: where others look rows up by other fields, an index makes that fast.</p>
      )}
      <ul className="mb-2">
        {indexes.map((fields, i) => (
          <li key={fields.join(" ")} className="flex flex-wrap items-center gap-2 py-0.5">
            <span className="font-mono text-sm">{fields.join(", ")}</span>
            <FieldSelect
              label={`Add a field to the index by ${fields.join(", ")}`}
              first="and by…"
              names={names.filter((n) => !fields.includes(n))}
              choose={(name) => put(i, [...fields, name])}
            />
            <TakeAway label={`Take the index by ${fields.join(", ")} away`} onClick={() => put(i, [])} />
          </li>
        ))}
      </ul>
      <FieldSelect
        label={`Add an index of ${of} by a field`}
        first="Add an index by…"
        names={names.filter((n) => !indexes.some((fields) => fields.length === 1 && fields[0] === n))}
        choose={(name) => set([...indexes, [name]])}
      />
    </section>
  );
}
