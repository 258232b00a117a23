import type { Plan } from "@/core/plan/document.ts";
import { STAGES, type Stage } from "@/core/plan/types.ts";
import type { Stratum } from "@/core/report/strata.ts";
import { counted, readWords } from "../kit/words.ts";
import { StratumChip } from "../loads/sift.tsx";

export const STAGE_TITLES: Record<Stage, string> = {
  Read: "Read: how files are read",
  Map: "Map: columns to fields",
  Cleanse: "Cleanse: steps in their order",
  Check: "Check: fields, types and limits",
  "Look up": "Look up: what lists know",
  Match: "Match: records that are one",
  Load: "Load: where good records go",
};

/** The stage that stands so many below another. */
export function stageBeside(stage: Stage, by: number): Stage {
  return STAGES[Math.max(0, Math.min(STAGES.length - 1, STAGES.indexOf(stage) + by))]!;
}

/** What a plan does at each stage, in a few words. */
function stageWords(plan: Plan): Record<Stage, string> {
  return {
    Read: readWords(plan.read),
    Map: counted(plan.contract.fields.length, "field"),
    Cleanse: counted(plan.cleanse.length, "step"),
    Check: "types, limits, policies",
    "Look up": plan.lookup?.length
      ? counted(plan.lookup.length, "list is asked", "lists are asked")
      : "no list is asked",
    Match: plan.match ? `${counted(plan.match.fields.length, "field")} compared` : "nothing is compared",
    Load: `${plan.load.only ? `${plan.load.only} only` : plan.load.mode} into ${plan.load.target}${plan.load.further ? ` and ${plan.load.further.length} more` : ""}`,
  };
}

/** The stages of a plan in the order of a load's course, with what the newest load left at each. */
export function StageList({
  plan,
  stage,
  go,
  sift,
}: {
  plan: Plan;
  stage: Stage;
  go: (stage: Stage) => void;
  sift: readonly Stratum[] | null;
}) {
  const words = stageWords(plan);
  return (
    <>
      {STAGES.map((s) => (
        <button
          key={s}
          type="button"
          aria-current={s === stage ? "step" : undefined}
          onClick={() => go(s)}
          className={`flex w-full cursor-pointer flex-wrap items-center justify-between gap-x-2 border-b xl:flex-nowrap border-l-4 border-b-[var(--rule)] px-2 py-2 text-left ${s === stage ? "border-l-[var(--pine)] bg-[var(--shade)]" : "border-l-transparent"}`}
        >
          <span>
            <b>{s}</b>
            <span className="block text-xs faint">{words[s]}</span>
          </span>
          {sift?.some((t) => t.stage === s) && <StratumChip strata={sift} at={sift.findIndex((t) => t.stage === s)} />}
        </button>
      ))}
      <p className="faint mt-2 text-xs">
        <kbd>Alt ↑</kbd> <kbd>Alt ↓</kbd> stage
      </p>
    </>
  );
}
