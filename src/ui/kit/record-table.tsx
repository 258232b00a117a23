"use client";

import { Link } from "./link.tsx";
import { useAct } from "./use-act.ts";
import { loadRecords } from "@/routes/loads.ts";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import type { RecordPage } from "@/engine/look/records.ts";
import { ask } from "./api.ts";
import { Value } from "./cell.tsx";
import { Mark } from "./mark.tsx";
import { ProblemNote } from "./problem-note.tsx";
import { OUTCOME_CLASS, counted, grouped } from "./words.ts";

/** Records of a load: a grid with the line, the outcome, the fields, and the problems. */
export function RecordTable({
  load,
  query,
  first,
  kept,
}: {
  load: number;
  query: string;
  first: RecordPage;
  /** A field whose cell did not change what the target had, which is shown beside it. */
  kept?: string | undefined;
}) {
  const [records, setRecords] = useState(first.records);
  const [next, setNext] = useState(first.next);
  const { busy, problem, act } = useAct();
  const box = useRef<HTMLDivElement>(null);
  // oxlint-disable-next-line react/incompatible-library
  const rows = useVirtualizer({
    count: records.length,
    getScrollElement: () => box.current,
    estimateSize: () => 27,
    overscan: 12,
  });

  const more = async (): Promise<void> => {
    if (next === null) return;
    await act(async () => {
      const page = await ask(loadRecords, {
        params: { id: load },
        query: { ...(Object.fromEntries(new URLSearchParams(query)) as object), from: next, limit: 500 },
      });
      setRecords((have) => [...have, ...page.records]);
      setNext(page.next);
    });
  };

  if (records.length === 0) return <p className="py-6">No record of this load is such.</p>;
  const items = rows.getVirtualItems();
  const above = items[0]?.start ?? 0;
  const below = rows.getTotalSize() - (items.at(-1)?.end ?? 0);
  return (
    <>
      <p className="mb-1 font-bold">
        {counted(records.length, "record")}
        {next !== null && " so far"}
      </p>
      <div
        ref={box}
        tabIndex={0}
        role="region"
        aria-label="Records"
        className="max-h-[calc(100dvh-13rem)] overflow-auto border-b border-[var(--ink)]"
      >
        <table className="ledger">
          <thead className="sticky top-0 z-10 bg-[var(--paper)]">
            <tr>
              <th>file</th>
              <th className="n">line</th>
              <th>outcome</th>
              {kept !== undefined && <th>{kept} in the target</th>}
              {first.fields.map((f) => (
                <th key={f}>{f}</th>
              ))}
              <th>problems</th>
            </tr>
          </thead>
          <tbody>
            {above > 0 && (
              <tr aria-hidden="true">
                <td colSpan={first.fields.length + 5} height={above} />
              </tr>
            )}
            {items.map((item) => (
              <RecordRow
                key={records[item.index]!.record}
                {...{ load, kept }}
                index={item.index}
                record={records[item.index]!}
                fields={first.fields}
              />
            ))}
            {below > 0 && (
              <tr aria-hidden="true">
                <td colSpan={first.fields.length + 5} height={below} />
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {problem && <ProblemNote problem={problem} />}
      {next !== null && (
        <button type="button" className="btn btn-line mt-2" onClick={() => void more()} disabled={busy}>
          {busy ? "Looking…" : "Show 500 more"}
        </button>
      )}
    </>
  );
}

/** A record in one row: what arrived struck through where it was changed, what is wrong with it at the end. */
function RecordRow({
  load,
  index,
  record: r,
  fields,
  kept,
}: {
  load: number;
  /** Its place in the list. */
  index: number;
  record: RecordPage["records"][number];
  fields: readonly string[];
  kept: string | undefined;
}) {
  const wrong = new Set(r.problems.map((p) => p.field));
  const tint = (field: string, at: number): string => {
    if (field === kept) return "bg-[var(--shade)]";
    if (wrong.has(field)) return "bg-[var(--plum-soft)]";
    return r.changed[at] ? "bg-[var(--ochre-soft)]" : "";
  };
  return (
    <tr data-index={index} className="h-[27px]">
      <td className="faint whitespace-nowrap">{r.file}</td>
      <td className="n faint">
        <Link href={`/loads/${load}/records/${r.record}`} title="All that is known of this record">
          {grouped(r.line)}
        </Link>
      </td>
      <td className={`whitespace-nowrap ${r.outcome ? OUTCOME_CLASS[r.outcome] : ""}`}>
        {r.outcome && <Mark outcome={r.outcome} />} {r.outcome}
      </td>
      {kept !== undefined && (
        <td className="max-w-64 truncate font-semibold whitespace-nowrap">
          <Value text={r.stays ?? ""} />
        </td>
      )}
      {r.raw !== null ? (
        <td colSpan={fields.length} className="max-w-[60rem] truncate">
          <Value text={r.raw} mono />
        </td>
      ) : (
        r.values.map((value, f) => (
          <td key={f} className={`max-w-64 truncate whitespace-nowrap ${tint(fields[f]!, f)}`}>
            {r.changed[f] && (
              <s className="faint mr-1.5 text-[0.9em]">
                <Value text={r.arrived[f] ?? ""} />
              </s>
            )}
            <Value text={value} />
          </td>
        ))
      )}
      <td className="held whitespace-nowrap">{r.problems.map((p) => p.message).join(" ")}</td>
    </tr>
  );
}
