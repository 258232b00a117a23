"use client";

import { useAct } from "../kit/use-act.ts";
import { cancelLoad, dropLoad, letThrough, runWithout } from "@/routes/loads.ts";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useProgress } from "../kit/use-progress.ts";
import { counted, grouped } from "../kit/words.ts";

/** A load on its way: how far, how fast, and a way to end it. */
export function LoadProgress({ load }: { load: number }) {
  const router = useRouter();
  const progress = useProgress(load, () => router.refresh());
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [now, setNow] = useState(0);
  const [asked, setAsked] = useState(false);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 300);
    return () => clearInterval(timer);
  }, []);
  const began = progress?.startedAt ? new Date(progress.startedAt).getTime() : null;
  const seconds = began && now > began ? (now - began) / 1000 : 0;
  const share = progress && progress.bytesTotal > 0 ? progress.bytesSoFar / progress.bytesTotal : 0;
  const rate = seconds > 0.4 && progress ? progress.recordsSoFar / seconds : 0;
  const left = share > 0.02 && seconds > 1 ? (seconds / share) * (1 - share) : null;
  return (
    <section className="my-6 max-w-2xl" aria-live="polite">
      <p className="text-lg">
        {progress?.state === "queued" || !progress
          ? "Waiting for a worker"
          : progress.stage === "closing"
            ? `Closing: writing ${grouped(progress.recordsSoFar)} records in one step`
            : `${grouped(progress.recordsSoFar)} records so far`}
        {rate > 0 && progress?.stage === "reading" && (
          <span className="faint">
            , {grouped(Math.round(rate))} a second{left !== null && `, about ${Math.max(1, Math.round(left))} s left`}
          </span>
        )}
      </p>
      <progress
        className="progress progress-primary my-2 w-full"
        value={progress?.stage === "closing" ? undefined : Math.floor(share * 100)}
        max="100"
        aria-label="Share of the delivery that was read"
      />
      <p className="faint mb-2">Nothing is written to the target before the end; this page may be left.</p>
      <button
        type="button"
        className="btn btn-line"
        disabled={asked}
        onClick={() => {
          setAsked(true);
          ask(cancelLoad, { params: { id: load }, body: {} })
            .then(() => router.refresh())
            .catch((e: unknown) => {
              setAsked(false);
              setProblem(problemOf(e));
            });
        }}
      >
        {asked ? "Cancelling…" : "Cancel this load"}
      </button>
      {problem && <ProblemNote problem={problem} />}
    </section>
  );
}

/** What a person decides about a load that stopped at a gate. */
export function GateDecision({
  load,
  held,
  read,
  checks,
}: {
  load: number;
  held: number;
  read: number;
  /** Checks that keep records back and could be switched off for this load. */
  checks: readonly { key: string; fault: string; problems: number }[];
}) {
  const router = useRouter();
  const [reason, setReason] = useState("");
  const { busy, problem, act } = useAct();
  const [off, setOff] = useState<readonly string[]>([]);
  const decide = (what: "let-through" | "without" | "drop"): void => {
    const params = { id: load };
    const acts = {
      "let-through": () => ask(letThrough, { params, body: { reason } }),
      without: () => ask(runWithout, { params, body: { reason, checks: [...off] } }),
      drop: () => ask(dropLoad, { params, body: { reason } }),
    };
    void act(async () => {
      await acts[what]();
      router.refresh();
    });
  };
  return (
    <div className="mt-2">
      <label className="block">
        Your reason, for the report
        <input
          className="input input-sm mt-1 max-w-lg"
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          maxLength={500}
        />
      </label>
      {checks.length > 0 && (
        <details className="mt-2">
          <summary className="cursor-pointer underline">Switch checks off for this load</summary>
          {checks.map((c) => (
            <label key={c.key} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                checked={off.includes(c.key)}
                onChange={(e) => setOff(e.target.checked ? [...off, c.key] : off.filter((k) => k !== c.key))}
              />
              {c.fault}, <span className="held">{grouped(c.problems)}</span>
            </label>
          ))}
        </details>
      )}
      <div className="mt-2 flex flex-wrap gap-3">
        {off.length > 0 && (
          <button
            type="button"
            className="btn btn-primary"
            disabled={busy || reason.trim() === ""}
            onClick={() => decide("without")}
          >
            Run it again without {counted(off.length, "check")}
          </button>
        )}
        <button
          type="button"
          className={`btn ${off.length > 0 ? "btn-line" : "btn-primary"}`}
          disabled={busy || reason.trim() === ""}
          onClick={() => decide("let-through")}
        >
          Let it through: load {grouped(read - held)}, hold {grouped(held)}
        </button>
        <button
          type="button"
          className="btn btn-line"
          disabled={busy || reason.trim() === ""}
          onClick={() => decide("drop")}
        >
          Drop this load
        </button>
      </div>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}
