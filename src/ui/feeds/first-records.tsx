"use client";

import type { Doubt } from "@/core/read/part.ts";
import type { PartPreview } from "@/engine/look/preview.ts";
import { Value } from "../kit/cell.tsx";
import { grouped } from "../kit/words.ts";

const ASKED: Record<Doubt["setting"], string> = {
  encoding: "The same bytes could be either of these. Which are the words that were written?",
  header: "Nothing tells whether the first line names the columns or is a record. Which is it?",
  below: "Nothing tells whether the line below the names says units or types, or is a record. Which is it?",
  skip_end: "Nothing tells whether the last line is a record. Which is it?",
};

/** A guess that could as well be another: what both make of the same bytes, for a person to say which is right. */
export function DoubtAsked({ doubt, set }: { doubt: Doubt; set: (value: string | boolean | number) => void }) {
  return (
    <section aria-label={`Which ${doubt.setting} it is`} className="mb-3 border-l-4 border-[var(--ochre)] pl-3">
      <p>{ASKED[doubt.setting]}</p>
      <ul className="mt-1 grid gap-1">
        {doubt.readings.map(({ value, says, shows }) => (
          <li key={String(value)} className="flex flex-wrap items-baseline gap-x-3">
            <button type="button" className="btn btn-line btn-sm" onClick={() => set(value)}>
              {says}
            </button>
            {shows.map((text, i) => (
              <span key={i} className="font-semibold">
                {text}
              </span>
            ))}
          </li>
        ))}
      </ul>
      <p className="faint mt-1 text-sm">
        {doubt.setting === "encoding" && "Neither? Choose the encoding beside. "}Until it is said, nothing is loaded.
      </p>
    </section>
  );
}

/** The first records of a part as they were read. */
export function FirstRecords({ part }: { part: PartPreview }) {
  if (part.rows.length === 0) return <p className="py-4">{part.error ? "" : "There are no records in it."}</p>;
  return (
    <div
      tabIndex={0}
      role="region"
      aria-label="First records"
      className="max-h-[calc(100dvh-13rem)] overflow-auto border-b border-[var(--ink)]"
    >
      <table className="ledger tight rows">
        <thead className="sticky top-0 bg-[var(--paper)]">
          <tr>
            <th className="n">line</th>
            {part.columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {part.rows.map((row, i) => (
            <tr key={i}>
              <td className="n faint">{grouped(row.line)}</td>
              {row.cells ? (
                part.columns.map((c, k) => (
                  <td key={c} className="max-w-56 truncate">
                    <Value text={row.cells![k] ?? ""} />
                  </td>
                ))
              ) : (
                <td colSpan={part.columns.length} className="held max-w-md truncate">
                  can't be read: <span className="raw">{row.raw}</span>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
