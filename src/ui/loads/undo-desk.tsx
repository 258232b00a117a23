"use client";

import { Link } from "../kit/link.tsx";
import { useAct } from "../kit/use-act.ts";
import { previewUndo, undoWriting } from "@/routes/writings.ts";
import { useRouter } from "next/navigation";
import { useState } from "react";
import type { UndoPreview, UndoneRow } from "@/engine/undo/preview.ts";
import type { Undone } from "@/engine/undo/undo.ts";
import type { LeftBecause, UndoDoes } from "@/core/kernel/writing.ts";
import { ask } from "../kit/api.ts";
import { Value } from "../kit/cell.tsx";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { writingWords } from "./writing-list.tsx";
import { counted, grouped } from "../kit/words.ts";

type Preview = UndoPreview & { rows: readonly UndoneRow[]; next: number | null };
interface Filter {
  does?: UndoDoes | undefined;
  left?: LeftBecause | "any" | undefined;
}

/** What is said of one row, and of several. */
type OneOrMany = readonly [one: string, many: string];
const DOES: Record<UndoDoes, OneOrMany> = {
  "put back": ["row is put back as it was", "rows are put back as they were"],
  remove: ["row goes, as it was not there before", "rows go, as they were not there before"],
  "bring back": ["row comes back", "rows come back"],
};
const LEFT: Record<LeftBecause, { says: OneOrMany; decide: boolean }> = {
  changed: { says: ["row that was changed since", "rows that were changed since"], decide: true },
  gone: { says: ["row that was taken away since", "rows that were taken away since"], decide: true },
  another: { says: ["row that was put there anew since", "rows that were put there anew since"], decide: true },
  undone: { says: ["row of what was undone since", "rows of what was undone since"], decide: true },
  referred: { says: ["row that other tables refer to", "rows that other tables refer to"], decide: false },
  rule: {
    says: ["row that would break a rule of the target", "rows that would break a rule of the target"],
    decide: false,
  },
};
const said = (n: number, [one, many]: OneOrMany): string => (n === 1 ? one : many);

/** How many rows still stand as the writing left them. */
const standing = ({ does }: Preview): number => does.remove + does["put back"] + does["bring back"];

interface Undoing {
  preview: Preview;
  filter: Filter;
  keyNames: readonly string[];
}

/** What undoing a writing does, and, once it is done, what it did: that stays when nothing is left to undo. */
export function UndoDesk({ preview, ...rest }: Omit<Undoing, "preview"> & { preview: Preview | null }) {
  const router = useRouter();
  const [done, setDone] = useState<Undone | null>(null);
  if (done) return <DoneWords done={done} />;
  if (!preview) return null;
  return (
    <ToUndo
      preview={preview}
      {...rest}
      tell={(undone) => {
        setDone(undone);
        router.refresh();
      }}
    />
  );
}

/** In counts that lead to rows; what was changed since is left unless a person says otherwise. */
function ToUndo({ preview, filter, keyNames, tell }: Undoing & { tell: (done: Undone) => void }) {
  const { writing, left } = preview;
  const [rows, setRows] = useState(preview.rows);
  const [next, setNext] = useState(preview.next);
  const [over, setOver] = useState<ReadonlySet<string>>(new Set());
  const [all, setAll] = useState(false);
  const { busy, problem, act } = useAct();
  const stands = standing(preview);
  const open = left.changed + left.gone + left.another;
  const chosen = all ? open : over.size;
  const more = async (): Promise<void> => {
    await act(async () => {
      const page = await ask(previewUndo, {
        params: { id: writing.id },
        query: { does: filter.does, left: filter.left, from: next },
      });
      setRows((have) => [...have, ...page.rows]);
      setNext(page.next);
    });
  };
  const undo = async (reason: string): Promise<void> => {
    await act(async () => {
      const answer = await ask(undoWriting, {
        params: { id: writing.id },
        body: { reason, over: all ? "all" : over.size > 0 ? [...over] : "none" },
      });
      tell(answer);
    });
  };
  return (
    <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[22rem_minmax(0,1fr)]">
      <section aria-label="What undoing it does">
        <WhatItDoes preview={preview} filter={filter} />
        {open > 0 && (
          <label className="mt-3 flex items-start gap-2">
            <input type="checkbox" className="mt-1" checked={all} onChange={(e) => setAll(e.target.checked)} />
            <span>
              Undo the {grouped(open)} too that were changed since: what others have written there is lost, until this
              undo is undone
            </span>
          </label>
        )}
        <NoteForm
          tone="plain"
          label="Why it is undone"
          submit={
            chosen > 0
              ? `Undo ${counted(stands + chosen, "row")}, ${grouped(chosen)} over newer ones`
              : `Undo ${counted(stands, "row")}`
          }
          ready={!busy}
          save={undo}
        />
        {problem && <ProblemNote problem={problem} />}
      </section>
      <section aria-label="Rows" className="min-w-0">
        <h2>
          {rows.length === 0 ? "No row is such" : `${counted(rows.length, "row")}${next !== null ? " so far" : ""}`}
          {over.size > 0 && !all && `, ${grouped(over.size)} to be undone all the same`}
        </h2>
        <Rows
          rows={rows}
          columns={preview.columns}
          keyNames={keyNames}
          left={filter.left !== undefined}
          over={over}
          all={all}
          pick={(key) =>
            setOver((have) => {
              const now = new Set(have);
              if (!now.delete(key)) now.add(key);
              return now;
            })
          }
        />
        {next !== null && (
          <button type="button" className="btn btn-line mt-2" disabled={busy} onClick={() => void more()}>
            {busy ? "Looking…" : "Show more"}
          </button>
        )}
      </section>
    </div>
  );
}

/** What was undone, and the way to undo that. */
function DoneWords({ done }: { done: Undone }) {
  return (
    <p role="status" className="mt-4 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2">
      <b>Undone by writing {done.writing}:</b> {counted(done.removed, "row")} went, {grouped(done.restored)} are as they
      were before
      {done.left > 0 ? `, ${grouped(done.left)} left as ${done.left === 1 ? "it is" : "they are"}` : ""}.{" "}
      <Link className="underline" href={`/writings/${done.writing}`}>
        That can be undone too
      </Link>
      .
    </p>
  );
}

/** What an undo does, leaves and takes along, in counts that lead to the rows. */
function WhatItDoes({ preview, filter }: { preview: Preview; filter: Filter }) {
  const { writing, does, left, along } = preview;
  const lefts = (Object.keys(LEFT) as LeftBecause[]).filter((b) => left[b] > 0);
  const link = (f: Filter, n: number, says: string) => (
    <RowsLink key={says} writing={writing.id} to={f} here={f.does === filter.does && f.left === filter.left} n={n}>
      {says}
    </RowsLink>
  );
  return (
    <>
      <h2>{writing.kind === "undo" ? "Undoing this undo" : "Undoing it"}</h2>
      {standing(preview) === 0 && <p className="mt-1">Nothing of what it wrote still stands as it wrote it.</p>}
      <ul className="mt-1">
        {(Object.keys(DOES) as UndoDoes[])
          .filter((d) => does[d] > 0)
          .map((d) => link({ does: d }, does[d], said(does[d], DOES[d])))}
      </ul>
      {lefts.length > 0 && (
        <>
          <h2 className="mt-3">It leaves as they are</h2>
          <ul className="mt-1">
            {lefts.map((b) => link({ left: b }, left[b], said(left[b], LEFT[b].says)))}
            {lefts.length > 1 &&
              link(
                { left: "any" },
                lefts.reduce((n, b) => n + left[b], 0),
                "in all",
              )}
          </ul>
        </>
      )}
      {along.length > 0 && (
        <>
          <h2 className="mt-3">With it goes what came of its records later</h2>
          <ul className="mt-1">
            {along.map((w) => (
              <li key={w.id}>
                <Link className="underline" href={`/writings/${w.id}`}>
                  {w.id}
                </Link>{" "}
                {writingWords(w)}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** A count that leads to its rows. */
function RowsLink({
  writing,
  to,
  here,
  n,
  children,
}: {
  writing: number;
  to: Filter;
  here: boolean;
  n: number;
  children: string;
}) {
  const query = new URLSearchParams(Object.entries(to).filter((e): e is [string, string] => e[1] !== undefined));
  return (
    <li>
      <Link
        href={`/writings/${writing}?${query.toString()}`}
        aria-current={here ? "true" : undefined}
        className={`flex gap-2 border-l-4 py-1 pr-2 pl-2 ${here ? "border-l-[var(--pine)] bg-[var(--shade)]" : "border-l-transparent"}`}
      >
        <b className="min-w-14 text-right tabular-nums">{grouped(n)}</b>
        <span>{children}</span>
      </Link>
    </li>
  );
}

function becauseWords(row: UndoneRow): React.ReactNode {
  const who =
    row.by === null ? (
      "another program"
    ) : (
      <Link className="underline" href={`/writings/${row.by}`}>
        writing {row.by}
      </Link>
    );
  switch (row.because) {
    case "changed":
      return <>changed by {who}</>;
    case "another":
      return <>put there by {who}</>;
    case "gone":
      return "taken away by another program";
    case "referred":
    case "rule":
      return row.detail;
    case null:
      return row.does === "remove" ? "goes" : row.does === "put back" ? "is put back" : "comes back";
  }
}

/** Rows with what stands there above what comes back, and what differs marked. */
function Rows({
  rows,
  columns,
  keyNames,
  left,
  over,
  all,
  pick,
}: {
  rows: readonly UndoneRow[];
  columns: readonly string[];
  keyNames: readonly string[];
  left: boolean;
  over: ReadonlySet<string>;
  all: boolean;
  pick: (key: string) => void;
}) {
  if (rows.length === 0) return null;
  // What differs stands beside the key, however far to the right it is in the plan.
  const differs = (c: string): boolean => rows.some((r) => r.now !== null && r.back !== null && r.now[c] !== r.back[c]);
  const others = columns.filter((c) => !keyNames.includes(c));
  const shown = [
    ...keyNames.filter((k) => columns.includes(k)),
    ...others.filter(differs),
    ...others.filter((c) => !differs(c)),
  ];
  return (
    <div
      tabIndex={0}
      role="region"
      aria-label="Rows"
      className="max-h-[calc(100dvh-15rem)] overflow-auto border-b border-[var(--ink)]"
    >
      <table className="ledger">
        <thead className="sticky top-0 z-10 bg-[var(--paper)]">
          <tr>
            {left && <th>undo too</th>}
            <th>what</th>
            <th></th>
            {shown.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r, i) => {
            const decide = r.because !== null && LEFT[r.because].decide;
            const both = r.now !== null && r.back !== null;
            const lines = [
              ...(r.now || r.because === "gone" ? [{ says: "stands there", values: r.now }] : []),
              ...(r.does === "remove" ? [{ says: "then", values: null }] : [{ says: "comes back", values: r.back }]),
            ];
            return lines.map((line, n) => (
              <tr key={`${i} ${line.says}`} className={n === lines.length - 1 ? "" : "[&>td]:border-b-0"}>
                {n === 0 && left && (
                  <td rowSpan={lines.length} className="align-top">
                    {decide && (
                      <input
                        type="checkbox"
                        aria-label={`Undo ${r.key.replaceAll("\u001e", " ").replaceAll("\u001f", ", ")} too`}
                        checked={all || over.has(r.key)}
                        disabled={all}
                        onChange={() => pick(r.key)}
                      />
                    )}
                  </td>
                )}
                {n === 0 && (
                  <td rowSpan={lines.length} className={`max-w-72 min-w-44 align-top ${r.because ? "held" : ""}`}>
                    {r.target !== null && <b>{r.target}: </b>}
                    {becauseWords(r)}
                  </td>
                )}
                <td className="faint text-xs whitespace-nowrap">{line.says}</td>
                {line.values === null ? (
                  <td colSpan={shown.length} className="faint">
                    no row
                  </td>
                ) : (
                  shown.map((c) => (
                    <td
                      key={c}
                      className={`max-w-56 truncate whitespace-nowrap ${both && r.now![c] !== r.back![c] ? "bg-[var(--ochre-soft)] font-semibold" : ""}`}
                    >
                      <Value text={line.values![c] ?? ""} />
                    </td>
                  ))
                )}
              </tr>
            ));
          })}
        </tbody>
      </table>
    </div>
  );
}
