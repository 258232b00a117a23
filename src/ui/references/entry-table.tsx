"use client";

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState, type Dispatch } from "react";
import { listEntries } from "@/routes/references.ts";
import type { ReferenceEntry, ReferenceInfo } from "@/store/references.ts";
import { ask, problemOf } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useSettled } from "../kit/use-settled.ts";
import { counted, grouped } from "../kit/words.ts";
import type { Draft, DraftEvent } from "./draft.ts";

export interface FoundEntries {
  readonly entries: readonly ReferenceEntry[];
  readonly count: number;
}

/** A list's entries, searched and typed over; new ones stand above the others. */
export function EntryTable({
  info,
  first,
  draft,
  tell,
}: {
  info: ReferenceInfo;
  first: FoundEntries;
  draft: Draft;
  tell: Dispatch<DraftEvent>;
}) {
  const { columns, key, accepted } = info.shape;
  const [text, setText] = useState("");
  const q = useSettled(text);
  const { data, error } = useQuery({
    queryKey: ["entries", info.name, info.version, q],
    queryFn: ({ signal }) => ask(listEntries, { params: { list: info.name }, query: { q }, signal }),
    enabled: q !== "",
    placeholderData: keepPreviousData,
  });
  const shown: FoundEntries = text === "" || !data ? first : data;
  return (
    <section className="min-w-0">
      <div className="mb-1 flex items-center gap-3">
        <input
          className="input input-sm !w-72"
          placeholder="Search in all columns…"
          aria-label="Search the entries"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <span className="faint" role="status">
          {counted(shown.count, "entry", "entries")}
          {shown.entries.length < shown.count && `, the first ${grouped(shown.entries.length)}`}
        </span>
      </div>
      {error && <ProblemNote problem={problemOf(error)} />}
      <div
        className="max-h-[70dvh] overflow-auto border-t border-b border-[var(--ink)]"
        tabIndex={0}
        role="region"
        aria-label="Entries"
      >
        <table className="ledger">
          <thead className="sticky top-0 z-10 bg-[var(--paper)]">
            <tr>
              {columns.map((c) => (
                <th key={c}>
                  {c}
                  {c === key && <span className="faint font-normal"> key</span>}
                  {c === accepted && <span className="faint font-normal"> synonym of</span>}
                </th>
              ))}
              <th />
            </tr>
          </thead>
          <tbody>
            {draft.fresh.map((cells, at) => (
              <tr key={`new ${at}`} className="bg-[var(--ochre-soft)]">
                {columns.map((c, column) => (
                  <td key={c} className="!p-0">
                    <CellInput
                      label={`New entry: ${c}`}
                      value={cells[column]!}
                      set={(value) => tell({ does: "edit new", at, column, value })}
                    />
                  </td>
                ))}
                <td className="text-right">
                  <button type="button" className="plain" onClick={() => tell({ does: "drop new", at })}>
                    not this
                  </button>
                </td>
              </tr>
            ))}
            {shown.entries.map((e) => {
              const cells = draft.edits[e.id] ?? e.cells;
              const out = draft.gone.has(e.id);
              const tone = out ? "line-through faint" : draft.edits[e.id] ? "bg-[var(--ochre-soft)]" : "";
              return (
                <tr key={e.id} className={tone}>
                  {columns.map((c, column) => (
                    <td key={c} className="!p-0">
                      {out || info.asked ? (
                        <span className="px-1">{cells[column]}</span>
                      ) : (
                        <CellInput
                          label={`${e.cells[columns.indexOf(key)]}: ${c}`}
                          value={cells[column]!}
                          set={(value) => tell({ does: "edit", id: e.id, cells, column, value })}
                        />
                      )}
                    </td>
                  ))}
                  <td className="text-right whitespace-nowrap">
                    {!info.asked && (
                      <button type="button" className="plain" onClick={() => tell({ does: "take out", id: e.id })}>
                        {out ? "keep" : "take out"}
                      </button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function CellInput({ label, value, set }: { label: string; value: string; set: (value: string) => void }) {
  return (
    <input
      className="w-full min-w-16 bg-transparent px-1 outline-offset-[-2px] focus:bg-[var(--paper-bright)]"
      aria-label={label}
      value={value}
      maxLength={10_000}
      onChange={(e) => set(e.target.value)}
    />
  );
}
