"use client";

import { useAct } from "../kit/use-act.ts";
import { bringListIn, changeEntries, listEntries, refuseProposal, versionOfList } from "@/routes/references.ts";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import type { Proposal, ReferenceEntry, ReferenceInfo, ReferenceVersion } from "@/store/references.ts";
import { ask, problemOf } from "../kit/api.ts";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted, grouped, isoDay } from "../kit/words.ts";
import { withPath } from "../kit/with-path.ts";

interface Found {
  entries: ReferenceEntry[];
  count: number;
}

/** A reference list: its entries to be searched and changed, its versions, where it is used, and what was asked of it in vain. */
export function ReferenceDesk({
  info,
  versions,
  used,
  first,
  asked,
  proposed,
}: {
  info: ReferenceInfo;
  versions: ReferenceVersion[];
  used: { feed: string; title: string; lookUps: string[]; formulas: { stage: string; says: string }[] }[];
  first: Found;
  asked: { values: string[]; count: number; feed: string; lookUp: string }[];
  proposed: Proposal[];
}) {
  const router = useRouter();
  const { columns, key, accepted } = info.shape;
  const [text, setText] = useState("");
  const [found, setFound] = useState(first);
  const [edits, setEdits] = useState<Record<number, string[]>>({});
  const [gone, setGone] = useState<ReadonlySet<number>>(new Set());
  const [fresh, setFresh] = useState<string[][]>([]);
  const { busy, problem, setProblem, act } = useAct();
  // Proposals that were added to the new entries, or refused.
  const [taken, setTaken] = useState<ReadonlySet<number>>(new Set());
  const waiting = proposed.filter((p) => !taken.has(p.id));
  const [replacing, setReplacing] = useState<File | null>(null);

  useEffect(() => {
    if (text === "") return;
    const timer = setTimeout(() => {
      ask(listEntries, { params: { list: info.name }, query: { q: text } }).then(setFound, (error: unknown) =>
        setProblem(problemOf(error)),
      );
    }, 200);
    return () => clearTimeout(timer);
  }, [text, info.name, setProblem]);

  const shown = text === "" ? first : found;
  const changed = Object.entries(edits).filter(([id]) => !gone.has(Number(id)));
  const added = fresh.filter((cells) => cells.some((c) => c !== ""));
  const many = changed.length + gone.size + added.length;

  const save = async (note: string): Promise<void> => {
    await act(
      async () => {
        if (replacing) {
          const query = { file: replacing.name, note };
          await ask(bringListIn, { params: { list: info.name }, query, file: replacing });
        } else {
          await ask(changeEntries, {
            params: { list: info.name },
            body: {
              from: info.version,
              add: [...changed.map(([, cells]) => cells), ...added],
              remove: [...changed.map(([id]) => Number(id)), ...gone],
              note,
            },
          });
        }
        router.refresh();
      },
      { leaves: true },
    );
  };

  const cell = (value: string, set: (value: string) => void, label: string) => (
    <input
      className="w-full min-w-16 bg-transparent px-1 outline-offset-[-2px] focus:bg-[var(--paper-bright)]"
      aria-label={label}
      value={value}
      maxLength={10_000}
      onChange={(e) => set(e.target.value)}
    />
  );
  return (
    <>
      <p className="faint">
        <Link href="/references">References</Link> / {info.name}
      </p>
      <div className="flex items-end justify-between gap-4">
        <h1>
          {info.title}: {counted(info.entries, "entry", "entries")}, version {info.version}
        </h1>
        <div className="flex items-center gap-4">
          <a className="plain" href={withPath(`/api/references/${info.name}/file`)}>
            As CSV
          </a>
          <label className="plain cursor-pointer">
            Replace by a file…
            <input type="file" className="sr-only" onChange={(e) => setReplacing(e.target.files?.[0] ?? null)} />
          </label>
          <button
            type="button"
            className="btn btn-line"
            onClick={() => setFresh((have) => [...have, columns.map(() => "")])}
          >
            Add an entry
          </button>
        </div>
      </div>
      {info.about && <p>{info.about}</p>}
      {problem && <ProblemNote problem={problem} />}
      {(many > 0 || replacing) && (
        <NoteForm
          tone="pine"
          label={
            replacing
              ? `All entries become those of ${replacing.name}; what is the same stays. Why`
              : `${[
                  changed.length > 0 ? `${grouped(changed.length)} changed` : "",
                  added.length > 0 ? `${grouped(added.length)} added` : "",
                  gone.size > 0 ? `${grouped(gone.size)} taken out` : "",
                ]
                  .filter((w) => w !== "")
                  .join(", ")}. Why`
          }
          submit={`Save as version ${info.version + 1}`}
          ready={!busy}
          back={{
            says: "Forget that",
            go: () => {
              setEdits({});
              setGone(new Set());
              setFresh([]);
              setTaken(new Set());
              setReplacing(null);
            },
          }}
          save={save}
        />
      )}
      <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_20rem]">
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
                {fresh.map((cells, n) => (
                  <tr key={`new ${n}`} className="bg-[var(--ochre-soft)]">
                    {columns.map((c, i) => (
                      <td key={c} className="!p-0">
                        {cell(
                          cells[i]!,
                          (v) =>
                            setFresh((have) => have.map((r, j) => (j === n ? r.map((x, k) => (k === i ? v : x)) : r))),
                          `New entry: ${c}`,
                        )}
                      </td>
                    ))}
                    <td className="text-right">
                      <button
                        type="button"
                        className="plain"
                        onClick={() => setFresh((have) => have.filter((_, j) => j !== n))}
                      >
                        not this
                      </button>
                    </td>
                  </tr>
                ))}
                {shown.entries.map((e) => {
                  const cells = edits[e.id] ?? e.cells;
                  const out = gone.has(e.id);
                  return (
                    <tr key={e.id} className={out ? "line-through faint" : edits[e.id] ? "bg-[var(--ochre-soft)]" : ""}>
                      {columns.map((c, i) => (
                        <td key={c} className="!p-0">
                          {out
                            ? cells[i]
                            : cell(
                                cells[i]!,
                                (v) =>
                                  setEdits((have) => ({ ...have, [e.id]: cells.map((x, k) => (k === i ? v : x)) })),
                                `${e.cells[columns.indexOf(key)]}: ${c}`,
                              )}
                        </td>
                      ))}
                      <td className="text-right whitespace-nowrap">
                        <button
                          type="button"
                          className="plain"
                          onClick={() =>
                            setGone((have) => {
                              const next = new Set(have);
                              if (!next.delete(e.id)) next.add(e.id);
                              return next;
                            })
                          }
                        >
                          {out ? "keep" : "take out"}
                        </button>
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </div>
        </section>
        <aside className="min-w-0">
          <h2>Where it is used</h2>
          {used.length === 0 && (
            <p className="faint">
              No plan asks it. In a feed’s plan the stage Look up does, and formulas by inList and fromList.
            </p>
          )}
          {used.map((u) => (
            <p key={u.feed}>
              <Link className="underline" href={`/feeds/${u.feed}/plan`}>
                {u.title}
              </Link>
              : {[...u.lookUps, ...u.formulas.map((f) => `${f.stage}: ${f.says}`)].join("; ")}
            </p>
          ))}
          {waiting.length > 0 && (
            <>
              <h2 className="mt-4">Proposed entries, {grouped(waiting.length)}</h2>
              <table className="ledger tight">
                <tbody>
                  {waiting.map((p) => (
                    <tr key={p.id}>
                      <td className="max-w-40 truncate" title={p.cells.join(", ")}>
                        {p.cells.filter((c) => c !== "").join(", ")}
                      </td>
                      <td className="n" title={`records, the last in load ${p.lastLoad}`}>
                        {grouped(p.records)}
                      </td>
                      <td className="text-right whitespace-nowrap">
                        <button
                          type="button"
                          className="plain"
                          onClick={() => {
                            setFresh((have) => [...have, [...p.cells]]);
                            setTaken((have) => new Set([...have, p.id]));
                          }}
                        >
                          add
                        </button>{" "}
                        <button
                          type="button"
                          className="plain held"
                          onClick={() => {
                            setTaken((have) => new Set([...have, p.id]));
                            ask(refuseProposal, {
                              params: { list: info.name },
                              body: { id: p.id },
                            }).catch((error: unknown) => setProblem(problemOf(error)));
                          }}
                        >
                          refuse
                        </button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          {asked.length > 0 && (
            <>
              <h2 className="mt-4">Asked for, and not there</h2>
              <table className="ledger tight">
                <tbody>
                  {asked.map((a, i) => (
                    <tr key={i}>
                      <td className="max-w-44 truncate" title={`${a.lookUp}, feed ${a.feed}`}>
                        {a.values.join(", ")}
                      </td>
                      <td className="n">{grouped(a.count)}</td>
                      <td className="text-right">
                        <button
                          type="button"
                          className="plain"
                          onClick={() =>
                            setFresh((have) => [
                              ...have,
                              columns.map((c, k) => (c === key || k === 0 ? (a.values[0] ?? "") : "")),
                            ])
                          }
                        >
                          add
                        </button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          <h2 className="mt-4">Versions</h2>
          <ul>
            {versions.map((v) => (
              <li key={v.version} className="border-b border-[var(--rule)] py-1">
                <b>{v.version}</b> {v.note}{" "}
                {(v.added > 0 || v.removed > 0) && (
                  <VersionChanges list={info.name} version={v.version} shape={columns} />
                )}
                <span className="faint block text-xs">
                  {isoDay(v.madeAt)} by {v.madeBy || "nobody named"}: {grouped(v.added)} in, {grouped(v.removed)} out,{" "}
                  {counted(v.entries, "entry", "entries")}
                </span>
              </li>
            ))}
          </ul>
        </aside>
      </div>
    </>
  );
}

/** What a version put in and took out, fetched when somebody asks. */
function VersionChanges({ list, version, shape }: { list: string; version: number; shape: readonly string[] }) {
  const [changes, setChanges] = useState<{ added: string[][]; removed: string[][] } | null>(null);
  const [problem, setProblem] = useState("");
  if (!changes) {
    return (
      <button
        type="button"
        className="plain text-xs"
        aria-label={`What version ${version} changed`}
        onClick={() => {
          ask(versionOfList, { params: { list, version } })
            .then(setChanges)
            .catch((error: unknown) => setProblem(problemOf(error).title));
        }}
      >
        {problem || "what changed"}
      </button>
    );
  }
  const said = (cells: readonly string[]): string => cells.filter((c) => c !== "").join(", ");
  const full = (cells: readonly string[]): string => shape.map((c, i) => `${c}: ${cells[i] ?? ""}`).join("\n");
  return (
    <span className="mt-1 block max-h-60 overflow-auto text-xs" role="status">
      {changes.removed.map((cells, i) => (
        <del key={`out ${i}`} className="held block truncate" title={full(cells)}>
          {said(cells)}
        </del>
      ))}
      {changes.added.map((cells, i) => (
        <ins key={`in ${i}`} className="changed block truncate no-underline" title={full(cells)}>
          {said(cells)}
        </ins>
      ))}
    </span>
  );
}
