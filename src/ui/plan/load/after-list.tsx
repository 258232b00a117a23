"use client";

import { AFTER_OUTCOMES, afterWords, type AfterAction, type AfterOutcome } from "@/core/plan/after.ts";
import type { Plan } from "@/core/plan/document.ts";
import { AFTER_KINDS, newAction, withOutcome } from "./after-actions.ts";
import { ActionFields } from "./after-fields.tsx";

/** What a plan has done when a load has ended. */
export function AfterList({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const actions = plan.after ?? [];
  const put = (next: AfterAction[]): void => {
    const { after: _, ...rest } = plan;
    change(next.length > 0 ? { ...plan, after: next } : rest);
  };
  return (
    <>
      <h2 className="mt-6">After a load</h2>
      {actions.length === 0 && (
        <p className="max-w-prose">
          Nothing is done. A load can tell another program that it has ended, write what it accepted as files, put these
          to an address, give the records to another feed, run a statement, or put a notice on Today; what fails then
          never undoes the load, and is tried again.
        </p>
      )}
      {actions.map((action, i) => (
        <OneAction
          key={i}
          plan={plan}
          action={action}
          set={(next) => put(actions.flatMap((a, k) => (k !== i ? [a] : next ? [next] : [])))}
        />
      ))}
      <select
        className="select select-xs mt-1 max-w-96"
        aria-label="Add what is done after a load"
        value=""
        onChange={(e) => e.target.value && put([...actions, newAction(e.target.value as AfterAction["do"], plan.feed)])}
      >
        <option value="">add: what is done when a load has ended</option>
        {AFTER_KINDS.map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
      </select>
    </>
  );
}

const OUTCOME_WORDS: Record<AfterOutcome, string> = {
  loaded: "loaded, nothing held",
  "loaded with held": "loaded with held records",
  stopped: "stopped at a gate",
  failed: "failed",
};

function OneAction({
  plan,
  action,
  set,
}: {
  plan: Plan;
  action: AfterAction;
  set: (action: AfterAction | null) => void;
}) {
  const put = (more: Partial<Record<string, unknown>>): void => {
    const next = { ...action, ...more } as Record<string, unknown>;
    for (const [key, value] of Object.entries(next)) if (value === undefined) delete next[key];
    set(next as AfterAction);
  };
  return (
    <div className="mb-2 max-w-3xl border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <b>{AFTER_KINDS.find(([kind]) => kind === action.do)![1]}</b>
        <button
          type="button"
          className="plain ml-auto"
          aria-label={`Take out: ${afterWords(action)}`}
          onClick={() => set(null)}
        >
          take out
        </button>
      </div>
      <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        <ActionFields feed={plan.feed} action={action} put={put} />
      </div>
      <div className="mt-1 flex flex-wrap gap-x-4 text-sm">
        <span className="faint">when it was</span>
        {AFTER_OUTCOMES.map((outcome) => (
          <label key={outcome} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={action.on.includes(outcome)}
              // It is done after some end or other.
              disabled={action.on.length === 1 && action.on[0] === outcome}
              onChange={(e) => put({ on: withOutcome(action.on, outcome, e.target.checked) })}
            />
            {OUTCOME_WORDS[outcome]}
          </label>
        ))}
      </div>
    </div>
  );
}
