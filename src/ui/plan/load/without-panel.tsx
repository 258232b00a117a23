"use client";

import type { Plan } from "@/core/plan/document.ts";
import { targetFields } from "@/core/plan/target-fields.ts";
import { FieldSelect } from "./field-select.tsx";
import { withOption } from "./load-edits.ts";
import { TakeAway } from "../../kit/take-away.tsx";

/** Fields that the target has no column of. */
export function WithoutPanel({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { without = [], key } = plan.load;
  const set = (names: string[]): void => change(withOption(plan, "without", names.length > 0 ? names : undefined));
  const there = targetFields(plan).map((f) => f.name);
  return (
    <section className="mt-3" aria-label="Fields beside the target">
      <h2>Fields that the target leaves out</h2>
      {without.length === 0 && (
        <p className="faint max-w-prose">
          None: it has all fields. One that is left out is checked all the same, and goes to further tables and files.
        </p>
      )}
      <ul className="mb-2">
        {without.map((name) => (
          <li key={name} className="flex flex-wrap items-center gap-2 py-0.5">
            <span className="font-mono text-sm">{name}</span>
            <TakeAway
              label={`Put ${name} into the target`}
              onClick={() => set(without.filter((other) => other !== name))}
            />
          </li>
        ))}
      </ul>
      <FieldSelect
        label="Leave a field out of the target"
        first="Leave out…"
        names={there.length > 1 ? there.filter((name) => !key.includes(name)) : []}
        choose={(name) => set([...without, name])}
      />
    </section>
  );
}
