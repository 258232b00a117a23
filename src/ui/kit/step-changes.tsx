import { stepWords } from "@/core/plan/words.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { RecordPreview } from "@/core/sample/preview.ts";
import { Value } from "./cell.tsx";
import { counted } from "./words.ts";

/** What each step of a plan that changes a record does to it. */
export function StepChanges({
  plan,
  steps,
}: {
  plan: Pick<Plan, "contract" | "cleanse">;
  steps: RecordPreview["steps"];
}) {
  const { fields } = plan.contract;
  const acting = steps.flatMap((s, i) => (s.changes.length > 0 || s.leavesOut ? [{ ...s, i }] : []));
  return (
    <>
      <h4 className="font-semibold">
        {acting.length === 0
          ? "No step changes it"
          : `${acting.length} of ${counted(plan.cleanse.length, "step")} ${acting.length === 1 ? "changes" : "change"} it`}
      </h4>
      <ol className="mb-2">
        {acting.map(({ i, changes, leavesOut }) => (
          <li key={i} className="grid grid-cols-[1.5rem_minmax(0,1fr)] border-b border-[var(--rule)] py-0.5">
            <span className="faint">{i + 1}</span>
            <div className="min-w-0">
              <span className="faint text-sm">{stepWords(plan.cleanse[i]!)}</span>
              {changes.map(({ field, before, after }) => (
                <p key={field} className="flex flex-wrap gap-x-2">
                  <b>{fields[field]!.name}</b>
                  {before === "" ? <span className="faint">empty</span> : <Value text={before} mono />}
                  <span className="faint">becomes</span>
                  <span className="changed font-semibold">{after === "" ? "empty" : <Value text={after} mono />}</span>
                </p>
              ))}
              {leavesOut && <p className="font-semibold">It is left out.</p>}
            </div>
          </li>
        ))}
      </ol>
    </>
  );
}
