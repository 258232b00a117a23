"use client";

import { useQuery } from "@tanstack/react-query";
import { AFTER_OUTCOMES, afterWords, type AfterAction, type AfterOutcome } from "@/core/plan/after.ts";
import type { Plan } from "@/core/plan/document.ts";
import { OUTPUT_IDS } from "@/core/write/records/index.ts";
import { listFeeds } from "@/routes/feeds.ts";
import { ask } from "../../kit/api.ts";
import { AFTER_KINDS, newAction, withOutcome } from "./after-actions.ts";

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
          to an address, give the records to another feed, or run a statement; what fails then never undoes the load,
          and is tried again.
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
  const { data } = useQuery({ queryKey: ["feeds"], queryFn: () => ask(listFeeds, {}), enabled: action.do === "feed" });
  const put = (more: Partial<Record<string, unknown>>): void => {
    const next = { ...action, ...more } as Record<string, unknown>;
    for (const [key, value] of Object.entries(next)) if (value === undefined) delete next[key];
    set(next as AfterAction);
  };
  const text = (label: string, key: string, value: string | undefined, wide: string, must = false): React.ReactNode => (
    <label className="flex items-center gap-2">
      <span className="faint">{label}</span>
      <input
        className={`input input-sm font-mono ${wide}`}
        key={value}
        defaultValue={value}
        maxLength={1000}
        onBlur={(e) => {
          const given = e.target.value.trim();
          if (given === (value ?? "") || (must && given === "")) return;
          put({ [key]: given === "" ? undefined : given });
        }}
      />
    </label>
  );
  const format = (value: string | undefined, open?: string): React.ReactNode => (
    <label className="flex items-center gap-2">
      <span className="faint">as</span>
      <select
        className="select select-sm !w-44"
        value={value ?? ""}
        onChange={(e) => put({ format: e.target.value === "" ? undefined : e.target.value })}
      >
        {open !== undefined && <option value="">{open}</option>}
        {OUTPUT_IDS.map((id) => (
          <option key={id} value={id}>
            {id}
          </option>
        ))}
      </select>
    </label>
  );
  const files = (action: AfterAction & { do: "file" | "put" }): React.ReactNode => (
    <>
      {format(action.format)}
      {text("in folders by", "partition", action.partition, "!w-56")}
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={action.gzip === true}
          onChange={(e) => put({ gzip: e.target.checked ? true : undefined })}
        />
        compressed
      </label>
    </>
  );
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
        {action.do === "call" && (
          <>
            {text("address", "url", action.url, "!w-80", true)}
            {text("signed with the connection", "signed_with", action.signed_with, "!w-36")}
          </>
        )}
        {action.do === "file" && (
          <>
            {text("folder", "folder", action.folder, "!w-48", true)}
            {files(action)}
          </>
        )}
        {action.do === "put" && (
          <>
            {text("below the address", "url", action.url, "!w-80", true)}
            {text("by the connection", "connection", action.connection, "!w-36")}
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={action.as === "object storage"}
                disabled={action.connection === undefined}
                onChange={(e) => put({ as: e.target.checked ? "object storage" : "basic" })}
              />
              an object storage: signed
            </label>
            {files(action)}
          </>
        )}
        {action.do === "feed" && (
          <>
            <label className="flex items-center gap-2">
              <span className="faint">feed</span>
              <select
                className="select select-sm !w-56"
                value={action.feed}
                onChange={(e) => put({ feed: e.target.value })}
              >
                {!(data?.feeds ?? []).some((f) => f.name === action.feed) && (
                  <option value={action.feed}>{action.feed}</option>
                )}
                {(data?.feeds ?? [])
                  .filter((f) => f.name !== plan.feed)
                  .map((f) => (
                    <option key={f.name} value={f.name}>
                      {f.title}
                    </option>
                  ))}
              </select>
            </label>
            {format(action.format, "as that feed reads")}
          </>
        )}
        {action.do === "sql" && (
          <>
            {text("connection", "connection", action.connection, "!w-36", true)}
            <textarea
              className="textarea textarea-sm w-full font-mono"
              aria-label="Statement"
              rows={3}
              maxLength={20_000}
              key={action.sql}
              defaultValue={action.sql}
              onBlur={(e) =>
                e.target.value.trim() !== "" && e.target.value !== action.sql && put({ sql: e.target.value })
              }
            />
          </>
        )}
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
