import type { Plan } from "@/core/plan/document.ts";

/** A plan as it was changed, one state after the other, and which of them is shown. */
export interface PlanHistory {
  readonly plans: readonly Plan[];
  readonly at: number;
}

export type HistoryEvent = { does: "change"; to: Plan } | { does: "undo" } | { does: "redo" } | { does: "saved" };

/** `proposed`: a change that was made elsewhere, which can be undone. */
export function newHistory({ shown, proposed }: { shown: Plan; proposed: Plan | null }): PlanHistory {
  return proposed ? { plans: [shown, proposed], at: 1 } : { plans: [shown], at: 0 };
}

export function nextHistory({ plans, at }: PlanHistory, event: HistoryEvent): PlanHistory {
  switch (event.does) {
    case "change":
      // What had been undone is gone with a new change.
      return { plans: [...plans.slice(0, at + 1), event.to], at: at + 1 };
    case "undo":
      return { plans, at: Math.max(0, at - 1) };
    case "redo":
      return { plans, at: Math.min(plans.length - 1, at + 1) };
    case "saved":
      return { plans: [plans[at]!], at: 0 };
  }
}
