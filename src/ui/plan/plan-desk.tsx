"use client";

import { useAct } from "../kit/use-act.ts";
import { loadReport } from "@/routes/loads.ts";
import { savePlan, tryPlan } from "@/routes/feeds.ts";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useCallback, useEffect, useMemo, useState } from "react";
import type { CheckHistory } from "@/store/loads.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Stratum } from "@/core/report/strata.ts";
import { STAGES, type Stage } from "@/core/plan/types.ts";
import { ask, type ApiProblem } from "../kit/api.ts";
import { ContractExchange } from "../feeds/contract-exchange.tsx";
import { isTyping } from "../shell/nav.tsx";
import { MapStage } from "./map/map-stage.tsx";
import { FieldTable } from "./plan-fields.tsx";
import { LookUpStage } from "./lookup/look-up-stage.tsx";
import { MatchStage } from "./match/match-stage.tsx";
import type { MatchSeen } from "./match/parts.ts";
import { ReadStage, LoadStage } from "./plan-stages.tsx";
import { StepList } from "./cleanse/step-list.tsx";
import { TrialResult } from "./plan-trial.tsx";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { RuleList } from "./check/rule-list.tsx";
import { CheckHistoryTable } from "../loads/check-history.tsx";
import { BetweenList } from "./check/between-list.tsx";
import { StratumChip } from "../loads/sift.tsx";
import { differences } from "@/core/plan/difference.ts";
import { withNamed } from "@/core/plan/edit.ts";
import { useFormulas } from "../formulas/use-formulas.ts";
import { useProgress } from "../kit/use-progress.ts";
import { counted, grouped, readWords } from "../kit/words.ts";

const TITLES: Record<Stage, string> = {
  Read: "Read: how files are read",
  Map: "Map: columns to fields",
  Cleanse: "Cleanse: steps in their order",
  Check: "Check: fields, types and limits",
  "Look up": "Look up: what lists know",
  Match: "Match: records that are one",
  Load: "Load: where good records go",
};

/** What a person is about to save, in words. */
function Changes({ was, is }: { was: Plan; is: Plan }) {
  const found = useMemo(() => differences(was, is), [was, is]);
  const shown = found.slice(0, 6);
  return (
    <ul className="w-full text-sm" aria-label="What is different">
      {shown.map((d, i) => (
        <li key={i} className="truncate" title={`${d.was ?? "not there"} → ${d.is ?? "not there"}`}>
          {d.stage}: {d.what}, {d.was === null ? "new" : <del className="held">{d.was}</del>}
          {d.is === null ? ", taken out" : d.was === null ? `: ${d.is}` : ` now ${d.is}`}
        </li>
      ))}
      {found.length > shown.length && (
        <li className="faint">and {counted(found.length - shown.length, "change")} more</li>
      )}
    </ul>
  );
}

/** A plan being changed: an undo for every change, a trial before anything is saved, versions that are kept. */
export function PlanDesk({
  feed,
  shown,
  newest,
  versions,
  delivery,
  sift,
  matches = null,
  proposed = null,
  fired = [],
}: {
  feed: { name: string; title: string };
  shown: { version: number; document: Plan; note: string };
  newest: number;
  versions: number[];
  delivery: { id: number; name: string; bytes: number } | null;
  sift: readonly Stratum[] | null;
  /** What the newest load or trial found to be one. */
  matches?: MatchSeen | null;
  /** A change that was proposed elsewhere: made, and not saved. */
  proposed?: Plan | null;
  /** How often each check has found something. */
  fired?: readonly CheckHistory[];
}) {
  const router = useRouter();
  const [history, setHistory] = useState<{ plans: Plan[]; at: number }>({
    plans: proposed ? [shown.document, proposed] : [shown.document],
    at: proposed ? 1 : 0,
  });
  const plan = history.plans[history.at]!;
  const changed = history.at > 0;
  const [stage, setStage] = useState<Stage>("Check");
  const { busy, problem, setProblem, act } = useAct();
  const [trial, setTrial] = useState<{ load: number; against: number; done: boolean; of: Plan } | null>(null);
  const [saving, setSaving] = useState(false);
  const [unsavedJson, setUnsavedJson] = useState<string | null>(null);

  const library = useFormulas();
  const change = useCallback(
    (next: Plan): void => {
      // A plan carries the named formulas that it uses, so that it means the same for ever.
      const whole = withNamed(next, library);
      setHistory((h) => ({ plans: [...h.plans.slice(0, h.at + 1), whole], at: h.at + 1 }));
    },
    [library],
  );
  const undo = useCallback((): void => setHistory((h) => ({ ...h, at: Math.max(0, h.at - 1) })), []);
  const redo = useCallback((): void => setHistory((h) => ({ ...h, at: Math.min(h.plans.length - 1, h.at + 1) })), []);

  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (isTyping(event.target)) return;
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
        event.preventDefault();
        if (event.shiftKey) redo();
        else undo();
      } else if (event.altKey && (event.key === "ArrowDown" || event.key === "ArrowUp")) {
        event.preventDefault();
        setStage(
          (s) =>
            STAGES[Math.max(0, Math.min(STAGES.length - 1, STAGES.indexOf(s) + (event.key === "ArrowDown" ? 1 : -1)))]!,
        );
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [undo, redo]);

  useEffect(() => {
    if (!changed) return;
    const warn = (event: BeforeUnloadEvent): void => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [changed]);

  const fault = useMemo((): ApiProblem | null => {
    try {
      parsePlan(plan);
      return null;
    } catch (error) {
      const e = error as { message: string; detail?: string };
      return { type: "", title: e.message, detail: e.detail ?? "", hint: "" };
    }
  }, [plan]);

  const [tried, setTried] = useState<MatchSeen | null>(null);
  const seen = tried ?? matches;
  const progress = useProgress(trial && !trial.done ? trial.load : null, () => {
    setTrial((t) => t && { ...t, done: true });
    // A trial draws the scores anew.
    if (trial && trial.of.match) {
      void ask(loadReport, { params: { id: trial.load } }).then(
        (report) => {
          if (report.matches) setTried({ load: trial.load, metrics: report.matches, decided: matches?.decided ?? [] });
        },
        () => {},
      );
    }
  });

  const run = async (): Promise<void> => {
    setProblem(null);
    await act(async () => {
      const asked = await ask(tryPlan, {
        params: { feed: feed.name },
        body: { document: plan },
      });
      setTrial({ ...asked, done: false, of: plan });
    });
  };

  const save = async (note: string): Promise<void> => {
    setProblem(null);
    await act(async () => {
      await ask(savePlan, { params: { feed: feed.name }, body: { document: plan, note, from: newest } });
      setSaving(false);
      setHistory({ plans: [plan], at: 0 });
      router.push(`/feeds/${feed.name}/plan`);
      router.refresh();
    });
  };

  const takeJson = (text: string): void => {
    try {
      change(parsePlan(JSON.parse(text)));
      setUnsavedJson(null);
      setProblem(null);
    } catch (error) {
      const e = error as { message: string; detail?: string };
      setProblem({ type: "", title: e.message, detail: e.detail ?? "", hint: "Nothing was taken over." });
    }
  };

  const nextVersion = newest + 1;
  const notes: Record<Stage, string> = {
    Read: readWords(plan.read),
    Map: counted(plan.contract.fields.length, "field"),
    Cleanse: counted(plan.cleanse.length, "step"),
    Check: "types, limits, policies",
    "Look up": plan.lookup?.length
      ? counted(plan.lookup.length, "list is asked", "lists are asked")
      : "no list is asked",
    Match: plan.match ? `${counted(plan.match.fields.length, "field")} compared` : "nothing is compared",
    Load: `${plan.load.mode} into ${plan.load.target}`,
  };
  return (
    <>
      <div className="flex items-end justify-between gap-4">
        <div>
          <p className="faint">
            <Link href={`/feeds/${feed.name}`}>{feed.title}</Link> / plan,{" "}
            {shown.version === newest ? `version ${shown.version}` : `version ${shown.version} of ${newest}`}
            {changed ? ", changed and not saved" : `: ${shown.note}`}
            {versions.length > 1 && !changed && (
              <>
                {" · "}
                <Link
                  className="underline"
                  href={`/feeds/${feed.name}/versions?from=${Math.max(1, shown.version - 1)}&to=${shown.version}`}
                >
                  what it changed
                </Link>
              </>
            )}
          </p>
          <h1>{TITLES[stage]}</h1>
        </div>
        <div className="flex flex-wrap items-center justify-end gap-3">
          {versions.length > 1 && (
            <label className="flex items-center gap-1.5 text-sm whitespace-nowrap">
              version
              <select
                className="select select-sm w-20"
                value={shown.version}
                onChange={(e) => router.push(`/feeds/${feed.name}/plan?version=${e.target.value}`)}
              >
                {versions.map((v) => (
                  <option key={v}>{v}</option>
                ))}
              </select>
            </label>
          )}
          <button
            type="button"
            className="plain whitespace-nowrap disabled:opacity-40"
            onClick={undo}
            disabled={history.at === 0}
          >
            Undo <kbd>Ctrl Z</kbd>
          </button>
          <button
            type="button"
            className="plain disabled:opacity-40"
            onClick={redo}
            disabled={history.at === history.plans.length - 1}
          >
            Redo
          </button>
          <button
            type="button"
            className="btn btn-line"
            disabled={busy || fault !== null || delivery === null || (trial !== null && !trial.done)}
            onClick={() => void run()}
            title={delivery ? `On ${delivery.name}` : "There is no delivery to try it on"}
          >
            Try on the latest delivery
          </button>
          <button
            type="button"
            className="btn btn-primary"
            disabled={(!changed && shown.version === newest) || fault !== null || busy}
            onClick={() => setSaving(true)}
          >
            Save as version {nextVersion}…
          </button>
        </div>
      </div>
      {saving && (
        <NoteForm
          tone="pine"
          focus
          label="What changed and why, for those who read the versions later"
          submit={`Save version ${nextVersion}`}
          ready={!busy}
          back={{ says: "Not yet", go: () => setSaving(false) }}
          save={save}
        >
          <Changes was={shown.document} is={plan} />
        </NoteForm>
      )}
      {problem && <ProblemNote problem={problem} />}
      {fault && <ProblemNote problem={fault} />}
      {trial && (
        <div className="mt-2 border-l-4 border-[var(--slate)] bg-[var(--paper-bright)] px-3 py-2" aria-live="polite">
          {trial.done ? (
            <TrialResult
              load={trial.load}
              against={trial.against}
              feed={feed.name}
              delivery={delivery!}
              stale={trial.of !== plan}
              onClose={() => setTrial(null)}
            />
          ) : (
            <p>
              <span className="loading loading-dots loading-xs mr-2" aria-hidden="true" />
              Trying it on {delivery?.name}: {progress ? `${grouped(progress.recordsSoFar)} records` : "waiting"}.
              Nothing is written to the target.
            </p>
          )}
        </div>
      )}
      <div className="mt-3 grid grid-cols-1 gap-4 lg:grid-cols-[8rem_minmax(0,1fr)] xl:grid-cols-[13rem_minmax(0,1fr)] xl:gap-5">
        <nav aria-label="Stages of the plan">
          {STAGES.map((s) => (
            <button
              key={s}
              type="button"
              aria-current={s === stage ? "step" : undefined}
              onClick={() => setStage(s)}
              className={`flex w-full cursor-pointer flex-wrap items-center justify-between gap-x-2 border-b xl:flex-nowrap border-l-4 border-b-[var(--rule)] px-2 py-2 text-left ${s === stage ? "border-l-[var(--pine)] bg-[var(--shade)]" : "border-l-transparent"}`}
            >
              <span>
                <b>{s}</b>
                <span className="block text-xs faint">{notes[s]}</span>
              </span>
              {sift?.some((t) => t.stage === s) && (
                <StratumChip strata={sift} at={sift.findIndex((t) => t.stage === s)} />
              )}
            </button>
          ))}
          <p className="faint mt-2 text-xs">
            <kbd>Alt ↑</kbd> <kbd>Alt ↓</kbd> stage
          </p>
          <div className="mt-4 flex flex-col items-start gap-1 text-sm">
            <button
              type="button"
              className="plain"
              onClick={() => setUnsavedJson(unsavedJson === null ? JSON.stringify(plan, null, 2) : null)}
            >
              {unsavedJson === null ? "The plan as JSON" : "Back to the table"}
            </button>
          </div>
        </nav>
        <section className="min-w-0">
          {unsavedJson !== null ? (
            <>
              <textarea
                className="textarea raw h-[60vh] text-sm"
                aria-label="The plan as JSON"
                spellCheck={false}
                value={unsavedJson}
                onChange={(e) => setUnsavedJson(e.target.value)}
              />
              <div className="mt-2 flex gap-3">
                <button type="button" className="btn btn-line" onClick={() => takeJson(unsavedJson)}>
                  Take this over
                </button>
                <a
                  className="plain self-center"
                  download={`${feed.name}-plan.json`}
                  href={`data:application/json;charset=utf-8,${encodeURIComponent(unsavedJson)}`}
                >
                  Save it as a file
                </a>
              </div>
            </>
          ) : stage === "Read" ? (
            <ReadStage plan={plan} change={change} />
          ) : stage === "Map" ? (
            <MapStage plan={plan} change={change} delivery={delivery} />
          ) : stage === "Cleanse" ? (
            <StepList plan={plan} change={change} delivery={delivery} />
          ) : stage === "Check" ? (
            <>
              <FieldTable plan={plan} change={change} delivery={delivery} />
              <RuleList plan={plan} change={change} delivery={delivery} />
              <BetweenList plan={plan} change={change} />
              <CheckHistoryTable history={fired} />
              <ContractExchange plan={plan} change={change} />
            </>
          ) : stage === "Look up" ? (
            <LookUpStage plan={plan} change={change} delivery={delivery} />
          ) : stage === "Match" ? (
            <MatchStage plan={plan} change={change} seen={seen} />
          ) : (
            <LoadStage plan={plan} change={change} />
          )}
        </section>
      </div>
    </>
  );
}
