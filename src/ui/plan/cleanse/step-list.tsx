"use client";

import { DndContext, KeyboardSensor, PointerSensor, closestCenter, useSensor, useSensors } from "@dnd-kit/core";
import {
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical } from "lucide-react";
import { useState } from "react";
import { STEPS, STEP_IDS, mapStepFormulas, stepPart, type StepId } from "@/core/cleanse/index.ts";
import { fitSteps } from "@/core/plan/edit.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Step } from "@/core/plan/sections.ts";
import { OneRecord } from "../one-record.tsx";
import { StepEditor } from "./step-editor.tsx";
import { RememberedMends } from "./remembered.tsx";
import { SampleWords, StepRecords } from "./step-records.tsx";
import { useCopiedSteps, type CopiedSteps } from "./use-copied-steps.ts";
import { USUAL_SAMPLE, useSample, useSteps } from "../use-sample.ts";
import { counted, grouped } from "../../kit/words.ts";

/** A step as it begins: as in the part's own first example, over the plan's own fields. */
function firstStep(id: StepId, plan: Plan): Step {
  const part = stepPart(id);
  const names = plan.contract.fields.map((f) => f.name);
  const example = part.records?.[0];
  const step: Step = {
    do: id,
    in: part.everywhere || part.leavesOut ? "*" : names.slice(-1),
    ...(part.examples[0] ?? example!).options,
  };
  for (const o of part.fieldOptions ?? []) {
    if (step[o] !== undefined) step[o] = Array.isArray(step[o]) ? names.slice(0, 2) : names[0];
  }
  return { ...step, ...mapStepFormulas(part, step, () => (part.ofRecord ? "false" : "it")) };
}

/** Cleansing steps in their order, and beside them telling records as they stand after any of them. */
export function StepList({
  plan,
  change,
  delivery,
}: {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number } | null;
}) {
  const [size, setSize] = useState<number>(USUAL_SAMPLE);
  const [only, setOnly] = useState(false);
  const [chosen, setChosen] = useState<number | null>(null);
  const [copied, keepCopied] = useCopiedSteps();
  const [said, setSaid] = useState("");
  const [picked, setPicked] = useState<number | null>(null);
  const at = Math.min(chosen ?? plan.cleanse.length, plan.cleanse.length);
  const sample = useSample(plan, delivery?.id ?? null, size);
  const stood = useSteps(plan, sample, at, only);
  const set = (cleanse: Step[]): void => change({ ...plan, cleanse });
  const move = (from: number, to: number): void => {
    if (to < 0 || to >= plan.cleanse.length || from === to) return;
    const next = [...plan.cleanse];
    const [step] = next.splice(from, 1);
    next.splice(to, 0, step!);
    set(next);
    setChosen(to + 1);
  };
  const insert = (steps: readonly Step[]): void => {
    set([...plan.cleanse.slice(0, at), ...steps, ...plan.cleanse.slice(at)]);
    setChosen(at + steps.length);
  };
  const paste = (): void => {
    const { steps, left } = fitSteps(plan, copied?.steps ?? []);
    if (steps.length > 0) insert(steps);
    setSaid(`${counted(steps.length, "step")} put in${left.length > 0 ? `; not put in: ${left.join("; ")}` : ""}.`);
  };
  const onKey = (event: React.KeyboardEvent): void => {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement || event.altKey) return;
    if ((event.target as HTMLElement).closest("textarea, .cm-editor, [aria-roledescription]")) return;
    if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
    event.preventDefault();
    const by = event.key === "ArrowDown" ? 1 : -1;
    if (event.shiftKey && at > 0) move(at - 1, at - 1 + by);
    else setChosen(Math.max(0, Math.min(plan.cleanse.length, at + by)));
  };
  const where = at < plan.cleanse.length ? (at === 0 ? "first" : `after step ${at}`) : "at the end";
  return (
    <div className="grid grid-cols-1 gap-6 xl:grid-cols-[27rem_minmax(0,1fr)]">
      <div onKeyDown={onKey}>
        <button
          type="button"
          aria-current={at === 0 ? "step" : undefined}
          className={`mb-1 cursor-pointer border-l-4 px-2 ${at === 0 ? "border-[var(--pine)] bg-[var(--shade)]" : "border-transparent"}`}
          onClick={() => setChosen(0)}
        >
          as it came
        </button>
        <Ordered count={plan.cleanse.length} move={move}>
          {plan.cleanse.map((step, i) => (
            <StepRow
              key={i}
              number={i + 1}
              here={at === i + 1}
              step={step}
              plan={plan}
              count={stood.result?.steps[i]}
              choose={() => setChosen(i + 1)}
              set={(next) => {
                set(plan.cleanse.flatMap((s, k) => (k === i ? (next ? [next] : []) : [s])));
                if (next) setChosen(i + 1);
              }}
              copy={() => {
                const before = copied?.feed === plan.feed ? copied.steps : [];
                keepCopied({ feed: plan.feed, steps: [...before, step] });
                setSaid(`Step ${i + 1} is copied.`);
              }}
            />
          ))}
        </Ordered>
        <MoreSteps {...{ plan, where, copied, insert, paste }} keep={keepCopied} say={setSaid} />
        {said && (
          <p className="faint mt-1 text-sm" role="status">
            {said}
          </p>
        )}
        <RememberedMends plan={plan} change={change} />
      </div>
      <div className="min-w-0">
        {sample ? (
          <>
            <OneRecord plan={plan} sample={sample} at={picked} setAt={setPicked} />
            <StepRecords
              plan={plan}
              sample={sample}
              stood={stood}
              at={at}
              only={only}
              setOnly={setOnly}
              picked={picked}
              pick={setPicked}
            />
            <SampleWords sample={sample} size={size} setSize={setSize} />
          </>
        ) : (
          <p className="faint">
            {delivery ? "Choosing records…" : "Bring in a delivery to see what the steps do to its records."}
          </p>
        )}
      </div>
    </div>
  );
}

/** Steps that can be dragged into another order, or moved by keys. */
function Ordered({
  count,
  move,
  children,
}: {
  count: number;
  move: (from: number, to: number) => void;
  children: React.ReactNode;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  return (
    <DndContext
      id="steps"
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={({ active, over }) => over && move(Number(active.id) - 1, Number(over.id) - 1)}
    >
      <SortableContext items={Array.from({ length: count }, (_, i) => i + 1)} strategy={verticalListSortingStrategy}>
        <ol>{children}</ol>
      </SortableContext>
    </DndContext>
  );
}

/** Steps that are added, copied from here, or put in from what was copied, in another plan too. */
function MoreSteps({
  plan,
  where,
  copied,
  keep,
  insert,
  paste,
  say,
}: {
  plan: Plan;
  /** Where steps are put in, in words. */
  where: string;
  copied: CopiedSteps | null;
  keep: (copied: CopiedSteps | null) => void;
  insert: (steps: readonly Step[]) => void;
  paste: () => void;
  say: (text: string) => void;
}) {
  return (
    <>
      <div className="mt-3 flex flex-wrap items-center gap-x-4 gap-y-2">
        <select
          className="select select-sm max-w-72"
          aria-label="Add a step"
          value=""
          onChange={(e) => e.target.value && insert([firstStep(e.target.value as StepId, plan)])}
        >
          <option value="">Add a step {where}</option>
          {STEP_IDS.map((id) => (
            <option key={id} value={id} title={STEPS[id].about}>
              {STEPS[id].title}
            </option>
          ))}
        </select>
        {plan.cleanse.length > 1 && (
          <button
            type="button"
            className="plain"
            onClick={() => {
              keep({ feed: plan.feed, steps: plan.cleanse });
              say(`All ${plan.cleanse.length} steps are copied; they can be put into any plan.`);
            }}
          >
            copy all steps
          </button>
        )}
      </div>
      {copied && (
        <p className="mt-2 flex flex-wrap gap-x-3 text-sm">
          <span>
            {counted(copied.steps.length, "step")} copied{copied.feed !== plan.feed && ` from ${copied.feed}`}:
          </span>
          <button type="button" className="plain" onClick={paste}>
            put in {where}
          </button>
          <button type="button" className="plain" onClick={() => keep(null)}>
            forget
          </button>
        </p>
      )}
    </>
  );
}

function StepRow({
  number,
  here,
  step,
  plan,
  count,
  choose,
  set,
  copy,
}: {
  number: number;
  here: boolean;
  step: Step;
  plan: Plan;
  /** Cells of the sample that it changes. */
  count: number | undefined;
  choose: () => void;
  set: (step: Step | null) => void;
  copy: () => void;
}) {
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition } = useSortable({ id: number });
  const off = step.off === true;
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`border-b border-b-[var(--rule)] border-l-4 bg-[var(--paper)] py-1.5 pl-1 ${here ? "border-l-[var(--pine)]" : "border-l-transparent"}`}
    >
      <div className="flex items-baseline gap-2">
        <button
          type="button"
          ref={setActivatorNodeRef}
          className="faint shrink-0 cursor-grab self-start pt-1"
          {...attributes}
          {...listeners}
          aria-label={`Move step ${number}: drag, or press space and the arrows`}
        >
          <GripVertical size={14} aria-hidden="true" />
        </button>
        <button
          type="button"
          className="faint w-5 shrink-0 cursor-pointer text-right"
          aria-label={`Show the records after step ${number}`}
          aria-current={here ? "step" : undefined}
          title="Shift and the arrows move it"
          onClick={choose}
        >
          {number}
        </button>
        <div className={`min-w-0 grow ${off ? "opacity-50" : ""}`}>
          <StepEditor plan={plan} step={step} set={set} />
        </div>
        <span className="flex flex-col items-end text-sm">
          {off ? (
            <span className="faint">off</span>
          ) : (
            count !== undefined && (
              <span className={count > 0 ? "changed" : "faint"} title="cells of the sample that it changes">
                {grouped(count)}
              </span>
            )
          )}
          <span className="flex gap-2">
            <button
              type="button"
              className="plain"
              aria-label={`Switch step ${number} ${off ? "on" : "off"}`}
              onClick={() => {
                const { off: was, ...on } = step;
                set(was ? (on as Step) : { ...step, off: true });
              }}
            >
              {off ? "on" : "off"}
            </button>
            <button type="button" className="plain" aria-label={`Copy step ${number}`} onClick={copy}>
              copy
            </button>
            <button
              type="button"
              className="plain held"
              aria-label={`Take step ${number} out`}
              onClick={() => set(null)}
            >
              out
            </button>
          </span>
        </span>
      </div>
    </li>
  );
}
