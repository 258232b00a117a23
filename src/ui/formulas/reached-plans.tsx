"use client";

import { useState } from "react";
import type { Reached } from "@/routes/formulas.ts";
import { useProgress } from "../kit/use-progress.ts";
import { TrialChanges } from "../plan/plan-trial.tsx";

/** The plans that a change of a formula reaches, each with its trial; those that are picked take it over. */
export function ReachedPlans({
  list,
  before,
  taken,
  take,
}: {
  list: readonly Reached[];
  /** Whether the formula was changed since. */
  before: boolean;
  taken: ReadonlySet<string>;
  take: (feeds: ReadonlySet<string>) => void;
}) {
  const toggle = (feed: string): void => {
    const next = new Set(taken);
    if (!next.delete(feed)) next.add(feed);
    take(next);
  };
  return (
    <div className="mt-2">
      {before && <p className="held">Before your last change:</p>}
      {list.length === 0 && <p>No plan uses it.</p>}
      {list.map((r) => (
        <ReachedPlan key={r.feed} reached={r} taken={taken.has(r.feed)} toggle={() => toggle(r.feed)} />
      ))}
    </div>
  );
}

function ReachedPlan({ reached, taken, toggle }: { reached: Reached; taken: boolean; toggle: () => void }) {
  const { trial } = reached;
  const [ended, setEnded] = useState(0);
  useProgress(trial?.load ?? null, () => setEnded((n) => n + 1));
  useProgress(trial?.against ?? null, () => setEnded((n) => n + 1));
  return (
    <div className="mb-2 border-l-4 border-[var(--slate)] bg-[var(--paper-bright)] px-3 py-2">
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={taken} onChange={toggle} />
        <b>{reached.title}</b>
        <span className="faint">{reached.uses.map((u) => `${u.stage}: ${u.says}`).join("; ")}</span>
      </label>
      {trial === null ? (
        <p className="faint">It has no delivery to try the change on.</p>
      ) : ended < 2 ? (
        <p>
          <span className="loading loading-dots loading-xs mr-2" aria-hidden="true" />
          Trying it on the latest delivery.
        </p>
      ) : (
        <TrialChanges load={trial.load} against={trial.against} />
      )}
    </div>
  );
}
