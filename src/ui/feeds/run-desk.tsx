"use client";

import { useQuery } from "@tanstack/react-query";
import { useReducer, useState } from "react";
import type { Parameter } from "@/core/plan/parameters.ts";
import { listDeliveries, runAgain } from "@/routes/runs.ts";
import type { DeliveryRow } from "@/store/runs.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { counted, grouped, moment } from "../kit/words.ts";
import { loadedOf, newerThanChosen, newTelling, offCount, requestOf, tell, trialWords } from "./run.ts";
import { RunInputs, type Switchable } from "./run-inputs.tsx";

const ASK_MS = 1000;
const isOpen = (state: string | undefined): boolean => state === "queued" || state === "running";

/** Deliveries of a feed run again by the plan in force: which, with which inputs, first as a trial and then in earnest. */
export function RunDesk({
  feed,
  version,
  chosen,
  parameters,
  switchable,
  now,
}: {
  feed: string;
  version: number | null;
  chosen: readonly number[];
  parameters: readonly Parameter[];
  switchable: Switchable;
  now: string;
}) {
  const [since, setSince] = useState("");
  const [telling, act] = useReducer(tell, chosen, newTelling);
  const { data, error, refetch } = useQuery({
    queryKey: ["deliveries", feed, since],
    queryFn: ({ signal }) =>
      ask(listDeliveries, { params: { feed }, query: { limit: 200, ...(since ? { since } : {}) }, signal }),
    refetchInterval: ({ state }) =>
      state.data?.deliveries.some((d) => isOpen(d.load?.state) || isOpen(d.trial?.state)) ? ASK_MS : false,
  });
  const { busy, problem, act: run } = useAct();
  const deliveries = data?.deliveries ?? [];
  const picked = deliveries.filter((d) => telling.chosen.has(d.id) && d.kept);
  const many = counted(picked.length, "delivery", "deliveries");
  const newer = newerThanChosen(telling.chosen, deliveries);
  const ready = picked.length > 0 && !busy && (offCount(telling) === 0 || telling.reason.trim() !== "");
  const begin = (kind: "trial" | "load"): void =>
    void run(async () => {
      await ask(runAgain, { params: { feed }, body: requestOf(telling, kind, deliveries) });
      await refetch();
    });
  return (
    <>
      <div className="flex flex-wrap items-end justify-between gap-4 border-b border-[var(--ink)] pb-3">
        <label className="flex items-center gap-2 whitespace-nowrap">
          deliveries since
          <input
            type="date"
            className="input input-sm w-40 text-sm"
            value={since}
            onChange={(e) => setSince(e.target.value)}
          />
          {since && (
            <button type="button" className="plain" onClick={() => setSince("")}>
              all
            </button>
          )}
        </label>
        <div className="flex gap-2">
          <button type="button" className="btn btn-line" disabled={!ready} onClick={() => begin("load")}>
            {picked.length > 0 ? `Load ${many} again` : "Load again"}
          </button>
          <button type="button" className="btn btn-primary" disabled={!ready} onClick={() => begin("trial")}>
            {picked.length > 0 ? `Try ${many}` : "Try"}
          </button>
        </div>
      </div>
      {problem && <ProblemNote problem={problem} />}
      {error && <ProblemNote problem={problemOf(error)} />}
      {newer.length > 0 && (
        <p className="mt-2 border-l-4 border-[var(--ochre)] pl-3">
          {counted(newer.length, "newer delivery is", "newer deliveries are")} loaded and not chosen: where the plan
          writes over what is there, older values may come over newer ones. The trial counts what would be updated.
        </p>
      )}
      <div className="mt-3 grid grid-cols-1 gap-8 lg:grid-cols-[minmax(0,1fr)_22rem]">
        <DeliveryTable
          deliveries={deliveries.toReversed()}
          waiting={data === undefined && !error}
          version={version}
          chosen={telling.chosen}
          choose={(delivery) => act({ does: "choose", delivery })}
          chooseAll={() => act({ does: "choose all", deliveries: deliveries.filter((d) => d.kept).map((d) => d.id) })}
          now={new Date(now)}
        />
        <RunInputs telling={telling} act={act} parameters={parameters} switchable={switchable} />
      </div>
    </>
  );
}

function DeliveryTable(props: {
  deliveries: readonly DeliveryRow[];
  waiting: boolean;
  version: number | null;
  chosen: ReadonlySet<number>;
  choose: (delivery: number) => void;
  chooseAll: () => void;
  now: Date;
}) {
  const { deliveries, chosen, version, now } = props;
  if (props.waiting) return <p className="py-4">Looking for the deliveries…</p>;
  if (deliveries.length === 0) return <p className="py-4">No whole delivery came in that time.</p>;
  const whole = deliveries.filter((d) => d.kept);
  return (
    <div>
      <table className="ledger rows">
        <thead>
          <tr>
            <th>
              <input
                type="checkbox"
                aria-label="All deliveries"
                checked={whole.length > 0 && whole.every((d) => chosen.has(d.id))}
                onChange={props.chooseAll}
              />
            </th>
            <th className="n">delivery</th>
            <th>came</th>
            <th>from</th>
            <th>last load</th>
            <th className="n">read</th>
            <th className="n">loaded</th>
            <th className="n">held</th>
            <th>by plan version {version}, as a trial</th>
          </tr>
        </thead>
        <tbody>
          {deliveries.map((d) => (
            <DeliveryLine key={d.id} delivery={d} chosen={chosen.has(d.id)} choose={props.choose} now={now} />
          ))}
        </tbody>
      </table>
      <p className="faint mt-2 max-w-prose text-sm">
        They are run one after the other, the oldest first. Each trial is held against the target as it is now, not as
        the run before it would leave it.
      </p>
    </div>
  );
}

function DeliveryLine({
  delivery: d,
  chosen,
  choose,
  now,
}: {
  delivery: DeliveryRow;
  chosen: boolean;
  choose: (delivery: number) => void;
  now: Date;
}) {
  const from = d.sender || d.files.join(", ");
  return (
    <tr>
      <td>
        <input
          type="checkbox"
          aria-label={`Delivery ${d.id} of ${from}`}
          checked={chosen && d.kept}
          disabled={!d.kept}
          title={d.kept ? undefined : "Its bytes are no longer kept."}
          onChange={() => choose(d.id)}
        />
      </td>
      <td className="n">
        <Link className="count" href={`/deliveries/${d.id}/profile`}>
          {d.id}
        </Link>
      </td>
      <td className="whitespace-nowrap">{moment(new Date(d.receivedAt), now)}</td>
      <td className="max-w-48 truncate" title={d.files.join(", ")}>
        {from}
      </td>
      <td className="whitespace-nowrap">
        {d.load ? (
          <>
            <Link className="plain" href={`/loads/${d.load.id}`}>
              {d.load.id}
            </Link>{" "}
            <span className="faint">{d.load.state}</span>
          </>
        ) : (
          <span className="faint">none</span>
        )}
      </td>
      <td className="n">{typeof d.load?.read === "number" && grouped(d.load.read)}</td>
      <td className="n">{d.load?.outcomes && grouped(loadedOf(d.load)!)}</td>
      <td className="n held">{d.load?.outcomes && d.load.outcomes.held > 0 && grouped(d.load.outcomes.held)}</td>
      <td>
        {d.trial && (
          <Link
            className="plain"
            href={
              d.load?.outcomes && d.trial.outcomes
                ? `/loads/${d.trial.id}/beside?other=${d.load.id}`
                : `/loads/${d.trial.id}`
            }
          >
            {trialWords(d.trial, d.load)}
          </Link>
        )}
        {d.trial?.told && (
          <span className="faint" title="It was given parameters, or did without something">
            {" "}
            with other inputs
          </span>
        )}
      </td>
    </tr>
  );
}
