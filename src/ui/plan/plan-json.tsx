"use client";

import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { ApiProblem } from "../kit/api.ts";

/** What is wrong with a plan as a text, as the API would say it; the plan where nothing is. */
export function planFrom(text: string): { plan: Plan } | { problem: ApiProblem } {
  try {
    return { plan: parsePlan(JSON.parse(text)) };
  } catch (error) {
    return { problem: faultOf(error, "Nothing was taken over.") };
  }
}

export function faultOf(error: unknown, hint = ""): ApiProblem {
  const { message, detail = "" } = error as { message: string; detail?: string };
  return { type: "", title: message, detail, hint };
}

/** The plan as its document, to be changed as a whole. */
export function PlanJson({
  name,
  text,
  set,
  take,
}: {
  name: string;
  text: string;
  set: (text: string) => void;
  take: () => void;
}) {
  return (
    <>
      <textarea
        className="textarea raw h-[60vh] text-sm"
        aria-label="The plan as JSON"
        spellCheck={false}
        value={text}
        onChange={(e) => set(e.target.value)}
      />
      <div className="mt-2 flex gap-3">
        <button type="button" className="btn btn-line" onClick={take}>
          Take this over
        </button>
        <a
          className="plain self-center"
          download={`${name}-plan.json`}
          href={`data:application/json;charset=utf-8,${encodeURIComponent(text)}`}
        >
          Save it as a file
        </a>
      </div>
    </>
  );
}
