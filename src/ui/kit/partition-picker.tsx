"use client";

import { PERIODS, type Partition, type Period } from "@/core/write/files/partition.ts";
import { TakeAway } from "./take-away.tsx";

export interface PickedField {
  readonly name: string;
  readonly isDay: boolean;
}

/** Fields by whose values records are told apart, from the first to the last: each value by itself, or each period of a day. */
export function PartitionPicker({
  partitions,
  fields,
  words,
  set,
}: {
  partitions: readonly Partition[];
  fields: readonly PickedField[];
  words: { add: string; none: string; each: string };
  set: (partitions: Partition[]) => void;
}) {
  const isDay = (name: string): boolean => fields.some((f) => f.name === name && f.isDay);
  const change = (at: number, to: Partition | null): void =>
    set(partitions.flatMap((p, i) => (i !== at ? [p] : to ? [to] : [])));
  const add = (name: string): void =>
    set([...partitions, isDay(name) ? { field: name, by: "month" } : { field: name }]);
  const free = fields.filter((f) => !partitions.some((p) => p.field === f.name));
  return (
    <>
      <ul className="mb-2 flex flex-col gap-2">
        {partitions.map((p, i) => (
          <li key={p.field} className="flex items-center gap-2">
            <span className="font-mono text-sm min-w-32">{p.field}</span>
            {isDay(p.field) && (
              <select
                aria-label={`Period of ${p.field}`}
                className="select select-xs max-w-28"
                value={p.by ?? "day"}
                onChange={(e) => change(i, { field: p.field, by: e.target.value as Period })}
              >
                {PERIODS.map((period) => (
                  <option key={period} value={period}>
                    by {period}
                  </option>
                ))}
              </select>
            )}
            <TakeAway label={`Not by ${p.field}`} onClick={() => change(i, null)} />
          </li>
        ))}
      </ul>
      <select
        aria-label={words.add}
        className="select select-sm max-w-56"
        value=""
        onChange={(e) => e.target.value !== "" && add(e.target.value)}
      >
        <option value="">{partitions.length === 0 ? words.none : "and by…"}</option>
        {free.map((f) => (
          <option key={f.name} value={f.name}>
            {words.each} {f.name}
          </option>
        ))}
      </select>
    </>
  );
}
