"use client";

import type { Plan } from "@/core/plan/document.ts";
import { ReadForm } from "./read-form.tsx";
import { SenderList } from "./sender-list.tsx";

/** How files are read. */
export function ReadStage({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  return (
    <div className="max-w-2xl">
      <ReadForm read={plan.read} set={(read) => change({ ...plan, read })} />
      <SenderList plan={plan} change={change} />
    </div>
  );
}
