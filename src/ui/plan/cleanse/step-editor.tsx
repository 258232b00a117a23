"use client";

import { useState } from "react";
import { Heap, cellText, emptyCells } from "@/core/kernel/bytes.ts";
import { stepPart } from "@/core/cleanse/index.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Step } from "@/core/plan/sections.ts";
import { OptionsForm } from "../../kit/options-form.tsx";
import { Spellings } from "./spellings.tsx";
import { counted } from "../../kit/words.ts";

/** A step of a plan: the fields it works on, its options, and a value to try it on. */
export function StepEditor({ plan, step, set }: { plan: Plan; step: Step; set: (step: Step) => void }) {
  const part = stepPart(step.do);
  const [choosing, setChoosing] = useState(false);
  const chosen = step.in === "*" ? plan.contract.fields.map((f) => f.name) : step.in;
  return (
    <div>
      <p>
        <b title={part.about}>{part.title}</b>
        {!part.leavesOut && (
          <>
            {" in "}
            <button type="button" className="plain" aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
              {step.in === "*"
                ? "all fields"
                : step.in.length > 4
                  ? counted(step.in.length, "field")
                  : step.in.join(", ")}
            </button>
          </>
        )}
      </p>
      {choosing && (
        <fieldset className="my-1 flex flex-wrap gap-x-4 gap-y-0.5 border-l-4 border-[var(--ochre)] bg-[var(--paper-bright)] p-2">
          <legend className="sr-only">Fields of this step</legend>
          <label className="flex items-center gap-1 font-semibold">
            <input
              type="checkbox"
              checked={step.in === "*"}
              onChange={(e) => set({ ...step, in: e.target.checked ? "*" : chosen.slice(0, 1) })}
            />{" "}
            all fields
          </label>
          {plan.contract.fields.map((f) => (
            <label key={f.name} className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={chosen.includes(f.name)}
                onChange={(e) => {
                  const next = plan.contract.fields
                    .map((x) => x.name)
                    .filter((n) => (n === f.name ? e.target.checked : chosen.includes(n)));
                  if (next.length > 0) set({ ...step, in: next });
                }}
              />
              {f.name}
            </label>
          ))}
        </fieldset>
      )}
      <OptionsForm part={part} step={step} plan={plan} set={set} />
      {part.examples.length > 0 && <TryStep key={JSON.stringify(step)} step={step} />}
      {step.do === "value-map" && <Spellings plan={plan} step={step} set={set} />}
    </div>
  );
}

/** What the step makes of a value that is typed in. */
function TryStep({ step }: { step: Step }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  if (!open) {
    return (
      <button type="button" className="faint cursor-pointer text-xs underline" onClick={() => setOpen(true)}>
        try it
      </button>
    );
  }
  let result: string;
  try {
    const { do: _, in: __, ...options } = step;
    const heap = new Heap(new Uint8Array(64), 0);
    const cells = emptyCells(1);
    cells.start[0] = heap.append(text);
    cells.end[0] = heap.length;
    stepPart(step.do).apply(options)(heap, cells, 1, new Uint8Array(1));
    result = cellText(heap, cells, 0);
  } catch (error) {
    result = (error as Error).message;
  }
  return (
    <p className="mt-1 flex items-center gap-2 text-sm">
      <input
        autoFocus
        className="input input-xs max-w-40 font-mono"
        aria-label="A value to try the step on"
        placeholder="a value"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      becomes{" "}
      <span className={result === text ? "raw" : "raw changed font-semibold"}>{result === "" ? "empty" : result}</span>
    </p>
  );
}
