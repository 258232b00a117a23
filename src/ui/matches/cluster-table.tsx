"use client";

import { useAct } from "../kit/use-act.ts";
import type { BodyGiven } from "@/routes/declare.ts";
import { changeClusters } from "@/routes/loads.ts";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { listed } from "@/core/kernel/problem.ts";
import type { Cluster } from "@/store/matches.ts";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";

/** Clusters with their members as they came; a member can be split off, two clusters can be joined, and any row of the target with one of them. */
export function ClusterTable({
  load,
  fields,
  clusters,
  open,
  keyFields,
}: {
  load: number;
  fields: readonly string[];
  clusters: readonly Cluster[];
  /** The load stands, so that its clusters can be changed. */
  open: boolean;
  /** The fields of the target's key, by which a row of it is named. */
  keyFields: readonly string[];
}) {
  const router = useRouter();
  const [chosen, setChosen] = useState<readonly number[]>([]);
  const { busy, problem, act } = useAct();
  /** Fields of the row that was changed last in which somebody has set something else since. */
  const [stays, setStays] = useState<readonly string[]>([]);
  const make: Make = (body) =>
    void act(async () => {
      setStays((await ask(changeClusters, { params: { id: load }, body })).stays);
      setChosen([]);
      router.refresh();
    });
  return (
    <>
      {problem && <ProblemNote problem={problem} />}
      {stays.length > 0 && (
        <p className="mt-2" role="status">
          Done. Somebody has changed {listed(stays)} of the kept row since the load; there the target has what they set.
        </p>
      )}
      <ChosenClusters chosen={chosen} keyFields={keyFields} busy={busy} make={make} />
      <div className="mt-1 overflow-x-auto" tabIndex={0} role="region" aria-label="Clusters">
        <table className="ledger">
          <thead>
            <tr>
              <th />
              {fields.map((f) => (
                <th key={f}>{f}</th>
              ))}
            </tr>
          </thead>
          {clusters.map((c) => (
            <OneCluster
              key={c.first}
              cluster={c}
              chosen={open ? chosen.includes(c.first) : null}
              choose={(is) => setChosen(is ? [...chosen, c.first] : chosen.filter((n) => n !== c.first))}
              busy={busy}
              make={make}
            />
          ))}
        </table>
      </div>
    </>
  );
}

type Make = (change: BodyGiven<typeof changeClusters>) => void;

/** What can be done with the clusters that are chosen: two are joined, one takes a row of the target. */
function ChosenClusters({
  chosen,
  keyFields,
  busy,
  make,
}: {
  chosen: readonly number[];
  keyFields: readonly string[];
  busy: boolean;
  make: Make;
}) {
  return (
    <div className="sticky top-0 z-10 mt-2 flex min-h-9 bg-[var(--paper)] flex-wrap items-center gap-x-4 text-sm">
      <span className="faint">Underlined: where each kept value came from.</span>
      {chosen.length > 0 && (
        <button
          type="button"
          className="btn btn-line btn-sm"
          disabled={busy || chosen.length !== 2}
          onClick={() => make({ act: "join", first: chosen[0]!, other: chosen[1]! })}
        >
          {chosen.length === 2 ? "Join the two: they are one" : "Choose two clusters to join them"}
        </button>
      )}
      {chosen.length === 1 && keyFields.length > 0 && (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            const given = new FormData(e.currentTarget);
            make({ act: "row", first: chosen[0]!, key: keyFields.map((f) => String(given.get(f) ?? "").trim()) });
          }}
        >
          <span>or put to it the row of the target with</span>
          {keyFields.map((f) => (
            <label key={f} className="flex items-center gap-1.5">
              {f} <input name={f} required maxLength={1000} className="input input-sm !w-36 font-mono" />
            </label>
          ))}
          <button type="submit" className="btn btn-line btn-sm" disabled={busy}>
            Join
          </button>
        </form>
      )}
    </div>
  );
}

/** A cluster: its kept record, and its members below. */
function OneCluster({
  cluster: c,
  chosen,
  choose,
  busy,
  make,
}: {
  cluster: Cluster;
  /** Null where it can't be changed. */
  chosen: boolean | null;
  choose: (is: boolean) => void;
  busy: boolean;
  make: Make;
}) {
  return (
    <tbody className="border-t border-[var(--ink)]">
      <tr className="bg-[var(--shade)]">
        <td className="font-semibold whitespace-nowrap">
          {chosen !== null ? (
            <label className="flex cursor-pointer items-center gap-1.5">
              <input
                type="checkbox"
                aria-label={`Choose the cluster of record ${c.first + 1}`}
                checked={chosen}
                onChange={(e) => choose(e.target.checked)}
              />
              kept
            </label>
          ) : (
            "kept"
          )}
        </td>
        {c.kept.map((value, f) => (
          <td key={f} className="font-semibold whitespace-nowrap">
            {value}
          </td>
        ))}
      </tr>
      {c.members.map((m, i) => (
        <tr key={i} className={m.split ? "line-through opacity-60" : ""}>
          <td className="faint whitespace-nowrap">
            {m.entry ? `entry ${m.entry[1]}` : m.record === null ? "target" : `record ${m.record + 1}`}{" "}
            {chosen !== null && i > 0 && (
              <button
                type="button"
                className="plain"
                disabled={busy}
                title={
                  m.split
                    ? `Split off by ${m.split}; puts it to the others again`
                    : m.entry
                      ? "Its values are kept no more, and it is not taken for one of these again"
                      : "It becomes a row of its own, and is not taken for one of these again"
                }
                onClick={() => make({ act: m.split ? "back" : "split", first: c.first, at: i })}
              >
                {m.split ? "put back" : "split off"}
              </button>
            )}
          </td>
          {m.values.map((value, f) => (
            <td
              key={f}
              className={`whitespace-nowrap ${c.origins[f] === i ? "" : "faint"}`}
              title={c.origins[f] === i ? "the kept value came from here" : undefined}
            >
              {c.origins[f] === i && value !== "" ? <u className="decoration-[var(--ochre)]">{value}</u> : value}
            </td>
          ))}
        </tr>
      ))}
    </tbody>
  );
}
