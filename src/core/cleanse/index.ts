import { caseStep } from "./case.ts";
import { collapse } from "./collapse.ts";
import { emptyWords } from "./empty-words.ts";
import type { StepPart } from "./part.ts";
import { replace } from "./replace.ts";
import { trim } from "./trim.ts";

export const STEPS = { trim, collapse, case: caseStep, "empty-words": emptyWords, replace } as const;
export type StepId = keyof typeof STEPS;
export const STEP_IDS = Object.keys(STEPS) as StepId[];

/** The part for a step, its options not yet told apart. */
export function stepPart(id: StepId): StepPart<object> {
  return STEPS[id] as unknown as StepPart<object>;
}
