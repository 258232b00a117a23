"use client";

import { useRouter } from "next/navigation";
import { useCallback, useEffect, useMemo, useReducer, useState, type Dispatch } from "react";
import type { Plan } from "@/core/plan/document.ts";
import { withNamed } from "@/core/plan/edit.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Stage } from "@/core/plan/types.ts";
import type { Stratum } from "@/core/report/strata.ts";
import { savePlan } from "@/routes/feeds.ts";
import type { CheckHistory } from "@/store/load-history.ts";
import { ContractExchange } from "../feeds/contract-exchange.tsx";
import { useFormulas } from "../formulas/use-formulas.ts";
import { ask, type ApiProblem } from "../kit/api.ts";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { grouped } from "../kit/words.ts";
import { CheckHistoryTable } from "../loads/check-history.tsx";
import { isTyping } from "../shell/nav.tsx";
import { BetweenList } from "./check/between-list.tsx";
import { RuleList } from "./check/rule-list.tsx";
import { StepList } from "./cleanse/step-list.tsx";
import { newHistory, nextHistory, type HistoryEvent } from "./history.ts";
import { LookUpStage } from "./lookup/look-up-stage.tsx";
import { MapStage } from "./map/map-stage.tsx";
import { MatchStage } from "./match/match-stage.tsx";
import type { MatchSeen } from "./match/parts.ts";
import { FieldTable } from "./plan-fields.tsx";
import { PlanChanges, PlanHeading } from "./plan-heading.tsx";
import { PlanJson, faultOf, planFrom } from "./plan-json.tsx";
import { LoadStage } from "./load/load-stage.tsx";
import { ReadStage } from "./read/read-stage.tsx";
import { TrialResult } from "./plan-trial.tsx";
import { STAGE_TITLES, StageList, stageBeside } from "./stage-list.tsx";
import { useTrial, type TrialWork } from "./use-trial.ts";

type Delivery = { id: number; name: string; bytes: number } | null;

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
  begin = "Check",
}: {
  feed: { name: string; title: string };
  shown: { version: number; document: Plan; note: string };
  newest: number;
  versions: number[];
  delivery: Delivery;
  sift: readonly Stratum[] | null;
  /** What the newest load or trial found to be one. */
  matches?: MatchSeen | null;
  /** A change that was proposed elsewhere: made, and not saved. */
  proposed?: Plan | null;
  /** How often each check has found something. */
  fired?: readonly CheckHistory[];
  /** The stage that is shown first. */
  begin?: Stage;
}) {
  const router = useRouter();
  const [history, tell] = useReducer(nextHistory, { shown: shown.document, proposed }, newHistory);
  const plan = history.plans[history.at]!;
  const [stage, setStage] = useState<Stage>(begin);
  const { busy, problem, setProblem, act } = useAct();
  const [saving, setSaving] = useState(false);
  const [json, setJson] = useState<string | null>(null);
  const trying = useTrial(feed.name, matches);
  const { trial } = trying;
  const library = useFormulas();
  // A plan carries the named formulas that it uses, so that it means the same for ever.
  const change = useCallback((next: Plan): void => tell({ does: "change", to: withNamed(next, library) }), [library]);
  usePlanKeys(tell, (by) => setStage((s) => stageBeside(s, by)));
  useWarning(history.at > 0);

  const fault = useMemo((): ApiProblem | null => {
    try {
      parsePlan(plan);
      return null;
    } catch (error) {
      return faultOf(error);
    }
  }, [plan]);

  const save = async (note: string): Promise<void> => {
    await act(async () => {
      await ask(savePlan, { params: { feed: feed.name }, body: { document: plan, note, from: newest } });
      setSaving(false);
      tell({ does: "saved" });
      router.push(`/feeds/${feed.name}/plan`);
      router.refresh();
    });
  };

  const takeJson = (text: string): void => {
    const taken = planFrom(text);
    if ("problem" in taken) return setProblem(taken.problem);
    change(taken.plan);
    setJson(null);
    setProblem(null);
  };

  return (
    <>
      <PlanHeading
        {...{ feed, shown, newest, versions, history, tell }}
        title={STAGE_TITLES[stage]}
        trying={{
          begin: () => void act(() => trying.begin(plan)),
          off: busy || fault !== null || delivery === null || (trial !== null && !trial.done),
          hint: delivery ? `On ${delivery.name}` : "There is no delivery to try it on",
        }}
        saving={{ begin: () => setSaving(true), off: fault !== null || busy }}
      />
      {saving && (
        <NoteForm
          tone="pine"
          focus
          label="What changed and why, for those who read the versions later"
          submit={`Save version ${newest + 1}`}
          ready={!busy}
          back={{ says: "Not yet", go: () => setSaving(false) }}
          save={save}
        >
          <PlanChanges was={shown.document} is={plan} />
        </NoteForm>
      )}
      {problem && <ProblemNote problem={problem} />}
      {fault && <ProblemNote problem={fault} />}
      <TrialPanel {...{ trying, plan, delivery }} feed={feed.name} />
      <div className="mt-3 grid grid-cols-1 gap-4 lg:grid-cols-[8rem_minmax(0,1fr)] xl:grid-cols-[13rem_minmax(0,1fr)] xl:gap-5">
        <nav aria-label="Stages of the plan">
          <StageList {...{ plan, stage, sift }} go={setStage} />
          <div className="mt-4 flex flex-col items-start gap-1 text-sm">
            <button
              type="button"
              className="plain"
              onClick={() => setJson(json === null ? JSON.stringify(plan, null, 2) : null)}
            >
              {json === null ? "The plan as JSON" : "Back to the table"}
            </button>
          </div>
        </nav>
        <section className="min-w-0">
          {json !== null ? (
            <PlanJson name={feed.name} text={json} set={setJson} take={() => takeJson(json)} />
          ) : (
            <StageDesk {...{ stage, plan, change, delivery, fired }} seen={trying.seen} />
          )}
        </section>
      </div>
    </>
  );
}

/** All that can be said of one stage. */
function StageDesk({
  stage,
  plan,
  change,
  delivery,
  fired,
  seen,
}: {
  stage: Stage;
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: Delivery;
  fired: readonly CheckHistory[];
  seen: MatchSeen | null;
}) {
  switch (stage) {
    case "Read":
      return <ReadStage plan={plan} change={change} />;
    case "Map":
      return <MapStage plan={plan} change={change} delivery={delivery} />;
    case "Cleanse":
      return <StepList plan={plan} change={change} delivery={delivery} />;
    case "Check":
      return (
        <>
          <FieldTable plan={plan} change={change} delivery={delivery} />
          <RuleList plan={plan} change={change} delivery={delivery} />
          <BetweenList plan={plan} change={change} />
          <CheckHistoryTable history={fired} />
          <ContractExchange plan={plan} change={change} />
        </>
      );
    case "Look up":
      return <LookUpStage plan={plan} change={change} delivery={delivery} />;
    case "Match":
      return <MatchStage plan={plan} change={change} seen={seen} />;
    case "Load":
      return <LoadStage plan={plan} change={change} />;
  }
}

/** How far a trial is, and what it came to. */
function TrialPanel({
  trying: { trial, progress, leave },
  plan,
  feed,
  delivery,
}: {
  trying: TrialWork;
  plan: Plan;
  feed: string;
  delivery: Delivery;
}) {
  if (!trial || !delivery) return null;
  return (
    <div className="mt-2 border-l-4 border-[var(--slate)] bg-[var(--paper-bright)] px-3 py-2" aria-live="polite">
      {trial.done ? (
        <TrialResult
          load={trial.load}
          against={trial.against}
          feed={feed}
          delivery={delivery}
          stale={trial.of !== plan}
          onClose={leave}
        />
      ) : (
        <p>
          <span className="loading loading-dots loading-xs mr-2" aria-hidden="true" />
          Trying it on {delivery.name}: {progress ? `${grouped(progress.recordsSoFar)} records` : "waiting"}. Nothing is
          written to the target.
        </p>
      )}
    </div>
  );
}

/** Undo and redo, and from stage to stage, by keys. */
function usePlanKeys(tell: Dispatch<HistoryEvent>, go: (by: 1 | -1) => void): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (isTyping(event.target)) return;
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
        event.preventDefault();
        tell({ does: event.shiftKey ? "redo" : "undo" });
      } else if (event.altKey && (event.key === "ArrowDown" || event.key === "ArrowUp")) {
        event.preventDefault();
        go(event.key === "ArrowDown" ? 1 : -1);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}

/** Who leaves the page with something unsaved is asked. */
function useWarning(unsaved: boolean): void {
  useEffect(() => {
    if (!unsaved) return;
    const warn = (event: BeforeUnloadEvent): void => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [unsaved]);
}
