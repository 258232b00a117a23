"use client";

import { compareLoads, getLoad } from "@/routes/loads.ts";
import { useQuery } from "@tanstack/react-query";
import { OUTCOMES } from "@/core/kernel/ledger.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { Mark } from "../kit/mark.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { OUTCOME_CLASS, grouped, recordsHref } from "../kit/words.ts";

/** What a trial came to, in counts that lead to their records. */
export function TrialResult({
  load: id,
  against,
  feed,
  delivery,
  stale,
  onClose,
}: {
  load: number;
  /** A trial of the version in force on the same delivery. */
  against: number;
  feed: string;
  delivery: { name: string };
  stale: boolean;
  onClose: () => void;
}) {
  const { data: load, error } = useQuery({ queryKey: ["load", id], queryFn: () => ask(getLoad, { params: { id } }) });
  if (error) return <ProblemNote problem={problemOf(error)} />;
  if (!load) return <p>…</p>;
  if (!load.report)
    return (
      <ProblemNote
        problem={{
          type: "",
          title: load.error?.message ?? `The trial is ${load.state}.`,
          detail: load.error?.detail ?? "",
          hint: load.error?.hint ?? "",
        }}
      />
    );
  const { balance, checks, gates } = load.report;
  const fired = checks.filter((c) => c.problems > 0).sort((a, b) => b.problems - a.problems);
  const closed = gates.filter((g) => !g.passed);
  return (
    <div>
      <p className="flex flex-wrap items-baseline gap-x-4">
        <b>
          Trial on {delivery.name}
          {stale && ", before your last change"}
        </b>
        <Link className="count" href={recordsHref(id, {})}>
          {grouped(balance.read)} read =
        </Link>
        {OUTCOMES.filter((o) => balance.outcomes[o] > 0).map((o) => (
          <Link key={o} className={`count ${OUTCOME_CLASS[o]}`} href={recordsHref(id, { outcome: o })}>
            <Mark outcome={o} /> {grouped(balance.outcomes[o])} {o}
          </Link>
        ))}
        <Link className="plain" href={`/loads/${id}`}>
          Whole report
        </Link>
        <button type="button" className="plain ml-auto" onClick={onClose} aria-label={`Close the trial of ${feed}`}>
          Close
        </button>
      </p>
      <p className={closed.length > 0 ? "held" : "faint"}>
        {closed.length > 0 ? `It would stop: ${closed.map((g) => g.message).join(" ")}` : "It would pass every gate."}
      </p>
      <TrialChanges load={id} against={against} />
      {fired.length > 0 && (
        <p className="flex flex-wrap gap-x-4">
          {fired.slice(0, 8).map((c) => (
            <Link key={c.key} className="count" href={recordsHref(id, { check: c.key })}>
              {c.fault} <b className={c.onFailure === "note" ? "" : "held"}>{grouped(c.problems)}</b>
            </Link>
          ))}
          {fired.length > 8 && <span className="faint">{fired.length - 8} more</span>}
        </p>
      )}
    </div>
  );
}

/** How many records end otherwise than by the version in force, from which outcome to which. */
export function TrialChanges({ load, against }: { load: number; against: number }) {
  const { data } = useQuery({
    queryKey: ["against", load, against],
    queryFn: () => ask(compareLoads, { params: { id: load, other: against } }),
  });
  if (!data) return null;
  const moved = data.transitions.filter((t) => t.from !== t.to);
  const same = data.transitions.reduce((n, t) => n + (t.from === t.to ? t.count : 0), 0);
  if (data.records[0] !== data.records[1]) {
    return (
      <p>
        It reads {grouped(data.records[1])} records where the version in force reads {grouped(data.records[0])}, so they
        can’t be laid beside each other.
      </p>
    );
  }
  if (moved.length === 0) {
    return <p className="faint">Every record ends as it does by the version in force.</p>;
  }
  return (
    <table className="ledger my-1 w-auto">
      <caption className="text-left">
        Against the version in force <b>{grouped(moved.reduce((n, t) => n + t.count, 0))}</b> records end otherwise,{" "}
        {grouped(same)} as before:
      </caption>
      <tbody>
        {moved.map((t) => (
          <tr key={`${t.from} ${t.to}`}>
            <td className={OUTCOME_CLASS[t.from]}>
              <Mark outcome={t.from} /> {t.from}
            </td>
            <td className="faint">becomes</td>
            <td className={OUTCOME_CLASS[t.to]}>
              <Mark outcome={t.to} /> {t.to}
            </td>
            <td className="n">
              <Link className="count" href={recordsHref(load, { outcome: t.to, was: t.from, against })}>
                {grouped(t.count)}
              </Link>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
