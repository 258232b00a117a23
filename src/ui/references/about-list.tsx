"use client";

import { useQuery } from "@tanstack/react-query";
import { useState, type Dispatch } from "react";
import { versionOfList } from "@/routes/references.ts";
import type { Proposal, ReferenceInfo, ReferenceVersion } from "@/store/references.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { counted, grouped, isoDay } from "../kit/words.ts";
import type { DraftEvent } from "./draft.ts";

export interface UsedBy {
  readonly feed: string;
  readonly title: string;
  readonly lookUps: readonly string[];
  readonly formulas: readonly { stage: string; says: string }[];
}

/** The plans that ask a list. */
export function WhereUsed({ used }: { used: readonly UsedBy[] }) {
  return (
    <>
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
    </>
  );
}

/** Entries that loads have proposed. */
export function Proposals({
  kept,
  waiting,
  add,
  refuse,
}: {
  /** The list is kept here, so that an entry can be put in. */
  kept: boolean;
  waiting: readonly Proposal[];
  add: (p: Proposal) => void;
  refuse: (p: Proposal) => void;
}) {
  if (waiting.length === 0) return null;
  return (
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
                {kept && (
                  <button type="button" className="plain" onClick={() => add(p)}>
                    add
                  </button>
                )}{" "}
                <button type="button" className="plain held" onClick={() => refuse(p)}>
                  refuse
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Values that records have asked for, and that no entry has. */
export function AskedInVain({
  asked,
  info,
  tell,
}: {
  asked: readonly { values: string[]; count: number; feed: string; lookUp: string }[];
  info: ReferenceInfo;
  tell: Dispatch<DraftEvent>;
}) {
  if (asked.length === 0) return null;
  const { columns, key } = info.shape;
  return (
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
              {!info.asked && (
                <td className="text-right">
                  <button
                    type="button"
                    className="plain"
                    onClick={() =>
                      tell({
                        does: "add",
                        cells: columns.map((c, k) => (c === key || k === 0 ? (a.values[0] ?? "") : "")),
                      })
                    }
                  >
                    add
                  </button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

export function Versions({ versions, info }: { versions: readonly ReferenceVersion[]; info: ReferenceInfo }) {
  return (
    <>
      <h2 className="mt-4">Versions</h2>
      <ul>
        {versions.map((v) => (
          <li key={v.version} className="border-b border-[var(--rule)] py-1">
            <b>{v.version}</b> {v.note}{" "}
            {(v.added > 0 || v.removed > 0) && (
              <VersionChanges list={info.name} version={v.version} shape={info.shape.columns} />
            )}
            <span className="faint block text-xs">
              {isoDay(v.madeAt)} by {v.madeBy || "nobody named"}: {grouped(v.added)} in, {grouped(v.removed)} out,{" "}
              {counted(v.entries, "entry", "entries")}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** What a version put in and took out, fetched when somebody asks. */
function VersionChanges({ list, version, shape }: { list: string; version: number; shape: readonly string[] }) {
  const [wanted, setWanted] = useState(false);
  const { data, error } = useQuery({
    queryKey: ["version of list", list, version],
    queryFn: () => ask(versionOfList, { params: { list, version } }),
    enabled: wanted,
  });
  if (!data) {
    return (
      <button
        type="button"
        className="plain text-xs"
        aria-label={`What version ${version} changed`}
        onClick={() => setWanted(true)}
      >
        {error ? problemOf(error).title : "what changed"}
      </button>
    );
  }
  const said = (cells: readonly string[]): string => cells.filter((c) => c !== "").join(", ");
  const full = (cells: readonly string[]): string => shape.map((c, i) => `${c}: ${cells[i] ?? ""}`).join("\n");
  return (
    <span className="mt-1 block max-h-60 overflow-auto text-xs" role="status">
      {data.removed.map((cells, i) => (
        <del key={`out ${i}`} className="held block truncate" title={full(cells)}>
          {said(cells)}
        </del>
      ))}
      {data.added.map((cells, i) => (
        <ins key={`in ${i}`} className="changed block truncate no-underline" title={full(cells)}>
          {said(cells)}
        </ins>
      ))}
    </span>
  );
}
