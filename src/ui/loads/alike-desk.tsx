"use client";

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { alikeIn, isWhole } from "@/core/mend/alike.ts";
import type { AlikePair } from "@/engine/release/alike.ts";
import { closeAlike, findAlike, reopenAlike } from "@/routes/loads.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Value } from "../kit/cell.tsx";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { grouped } from "../kit/words.ts";
import { alikeWords } from "./load-words.ts";

const nameOf = ({ load, record }: Pick<AlikePair, "load" | "record">): string => `${load}:${record}`;

/** Held records beside the records of a later load that are most like them, for a person to say which are the same. */
export function AlikeDesk({ load, open }: { load: number; open: boolean }) {
  const { data, error } = useQuery({
    queryKey: ["alike", load],
    queryFn: ({ signal }) => ask(findAlike, { params: { id: load }, signal }),
    // Closed ones would go from the list before anybody has seen that they are closed.
    staleTime: Infinity,
    refetchOnWindowFocus: false,
  });
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set());
  const { busy, problem, act } = useAct();
  if (error) return <ProblemNote problem={problemOf(error)} />;
  if (!data) return <p className="faint mt-3">The records of this load are computed again and compared …</p>;
  const close = (pairs: readonly AlikePair[]) =>
    void act(async () => {
      const records = pairs.map(({ load: of, record, again }) => ({ load: of, record, again }));
      await ask(closeAlike, { params: { id: load }, body: { records } });
      setClosed(new Set([...closed, ...pairs.map(nameOf)]));
    });
  const reopen = (pair: AlikePair) =>
    void act(async () => {
      await ask(reopenAlike, {
        params: { id: load },
        body: { records: [{ load: pair.load, record: pair.record }] },
      });
      setClosed(new Set([...closed].filter((name) => name !== nameOf(pair))));
    });
  const whole = data.pairs.filter((p) => isWhole(p) && !closed.has(nameOf(p)));
  return (
    <>
      <p className="mt-1 max-w-prose">{alikeWords(data)}</p>
      {data.pairs.length > 0 && (
        <p className="faint mt-1 max-w-prose">
          Alike is not the same: it is for you to say. What is the same is closed in the quarantine, and held again if
          this load is undone.
        </p>
      )}
      {open && whole.length > 1 && (
        <button type="button" className="btn btn-line btn-sm mt-2" disabled={busy} onClick={() => close(whole)}>
          Close the {grouped(whole.length)} that are the same in all that was sound
        </button>
      )}
      {problem && <ProblemNote problem={problem} />}
      <ul className="mt-3">
        {data.pairs.map((pair) => (
          <li key={nameOf(pair)} className="mt-4 border-t border-[var(--rule)] pt-2">
            <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
              <span>
                held in{" "}
                <Link className="underline" href={`/quarantine?load=${pair.load}`}>
                  load {pair.load}, line {grouped(pair.line)}
                </Link>
                , and record {grouped(pair.again + 1)} here, which is {pair.outcome}
              </span>
              <span className="faint">{alikeIn(pair)}</span>
              <span className="ml-auto">
                {closed.has(nameOf(pair)) ? (
                  <>
                    closed{" "}
                    <button type="button" className="plain" disabled={busy} onClick={() => reopen(pair)}>
                      hold it again
                    </button>
                  </>
                ) : (
                  open && (
                    <button type="button" className="btn btn-line btn-xs" disabled={busy} onClick={() => close([pair])}>
                      It is the same
                    </button>
                  )
                )}
              </span>
            </div>
            <p className="held">{pair.problems.map((p) => p.message).join(" ")}</p>
            <Beside fields={data.fields} pair={pair} />
          </li>
        ))}
      </ul>
    </>
  );
}

/** Two records field by field, those that differ first. */
function Beside({ fields, pair: { was, is } }: { fields: readonly string[]; pair: AlikePair }) {
  const differs = (f: number): boolean => was[f] !== is[f];
  const all = [...fields.keys()];
  const order = [...all.filter(differs), ...all.filter((f) => !differs(f))];
  return (
    <div className="mt-1 overflow-x-auto">
      <table className="ledger tight">
        <thead>
          <tr>
            <th></th>
            {order.map((f) => (
              <th key={f}>{fields[f]}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {Object.entries({ held: was, here: is }).map(([which, values]) => (
            <tr key={which}>
              <td className="faint">{which}</td>
              {order.map((f) => (
                <td key={f} className={`whitespace-nowrap ${differs(f) ? "font-semibold" : "faint"}`}>
                  <Value text={values[f] ?? ""} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
