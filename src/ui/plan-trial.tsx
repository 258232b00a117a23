"use client";

import Link from "next/link";
import { useEffect, useState } from "react";
import { OUTCOMES } from "@/core/ledger.ts";
import type { Load } from "@/store/loads.ts";
import { api, problemOf, type ApiProblem } from "./api.ts";
import { Mark } from "./mark.tsx";
import { ProblemNote } from "./problem-note.tsx";
import { OUTCOME_CLASS, grouped, recordsHref } from "./words.ts";

/** What a trial came to, in counts that lead to their records. */
export function TrialResult({
  load: id,
  feed,
  delivery,
  stale,
  onClose,
}: {
  load: number;
  feed: string;
  delivery: { name: string };
  stale: boolean;
  onClose: () => void;
}) {
  const [load, setLoad] = useState<Load | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  useEffect(() => {
    api<Load>(`/api/loads/${id}`)
      .then(setLoad)
      .catch((e: unknown) => setProblem(problemOf(e)));
  }, [id]);
  if (problem) return <ProblemNote problem={problem} />;
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
