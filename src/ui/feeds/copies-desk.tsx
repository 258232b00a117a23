"use client";

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Compared } from "@/engine/copies/compare.ts";
import { compareCopies, mendCopies } from "@/routes/feeds.ts";
import { ask, problemOf } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { cellNumber, counted, grouped } from "../kit/words.ts";

/** How the copies of a feed's targets stand beside them, and a way to bring them into step. */
export function CopiesDesk({ feed }: { feed: string }) {
  const queryKey = ["copies", feed];
  const { data, error, isFetching } = useQuery({
    queryKey,
    queryFn: ({ signal }) => ask(compareCopies, { params: { feed }, signal }),
    staleTime: Infinity,
    refetchOnWindowFocus: false,
    retry: false,
  });
  const client = useQueryClient();
  const [said, setSaid] = useState("");
  const { busy, problem, act } = useAct();
  if (error) return <ProblemNote problem={problemOf(error)} />;
  if (!data) return <p className="faint mt-3">Every row of the targets is held against its copies …</p>;
  const off = data.copies.reduce((n, c) => n + c.otherwise + c.missing + c.more, 0);
  const mend = () =>
    void act(async () => {
      const { copies } = await ask(mendCopies, { params: { feed } });
      const rows = copies.reduce((n, c) => n + c.otherwise + c.missing + c.more, 0);
      setSaid(`${counted(rows, "row")} brought into step.`);
      await client.invalidateQueries({ queryKey });
    });
  return (
    <>
      <p className="mt-1 max-w-prose">
        {off === 0
          ? "Each copy is what its target is, row by row."
          : `${counted(off, "row")} of copies ${off === 1 ? "is" : "are"} not what the target has: others have changed them there, or the target here by hand.`}
      </p>
      <div className="mt-3 overflow-x-auto">
        <table className="ledger">
          <thead>
            <tr>
              <th>target</th>
              <th>its copy</th>
              <th>connection</th>
              <th className="n">alike</th>
              <th className="n">otherwise</th>
              <th className="n">missing there</th>
              <th className="n">there alone</th>
            </tr>
          </thead>
          <tbody>
            {data.copies.map((c) => (
              <tr key={`${c.connection} ${c.table} ${c.target}`}>
                <td>{c.target}</td>
                <td>{c.table}</td>
                <td>{c.connection}</td>
                <td className="n">{grouped(c.same)}</td>
                <td className="n">{cellNumber(c.otherwise, true)}</td>
                <td className="n">{cellNumber(c.missing, true)}</td>
                <td className="n">{cellNumber(c.more, true)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {data.copies.map((c) => (
        <FirstKeys key={`${c.connection} ${c.table} ${c.target}`} of={c} />
      ))}
      <p className="mt-3 flex flex-wrap items-center gap-3">
        <button
          type="button"
          className="btn btn-line btn-sm"
          disabled={isFetching}
          onClick={() => void client.invalidateQueries({ queryKey })}
        >
          {isFetching ? "Comparing …" : "Compare again"}
        </button>
        {off > 0 && (
          <button type="button" className="btn btn-primary btn-sm" disabled={busy || isFetching} onClick={mend}>
            Bring {off === 1 ? "it" : `the ${grouped(off)} rows`} into step
          </button>
        )}
        {off > 0 && (
          <span className="faint">What others changed there is written over; it can’t be undone from here.</span>
        )}
        <span role="status">{said}</span>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </>
  );
}

const KINDS = [
  ["otherwise", "otherwise"],
  ["missing", "missing there"],
  ["more", "there alone"],
] as const;

/** By their keys, the first rows of a copy that are not what the target has. */
function FirstKeys({ of }: { of: Compared }) {
  const kinds = KINDS.filter(([kind]) => of[kind] > 0);
  if (kinds.length === 0) return null;
  return (
    <ul className="mt-2" aria-label={`Rows of ${of.table} that differ`}>
      {kinds.map(([kind, words]) => (
        <li key={kind}>
          <span className="faint">
            {of.table}, {words}:
          </span>{" "}
          <span className="raw">{of.some[kind].join("; ")}</span>
          {of[kind] > of.some[kind].length && (
            <span className="faint"> and {grouped(of[kind] - of.some[kind].length)} more</span>
          )}
        </li>
      ))}
    </ul>
  );
}
