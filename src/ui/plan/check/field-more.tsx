"use client";

import { checkPart, FIELD_CHECKS } from "@/core/field/checks/index.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { originsOf, reach } from "@/core/plan/lineage.ts";
import { listed } from "@/core/kernel/problem.ts";
import { policyOf } from "@/core/course/checks.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { ON_FAILURE, type OnFailure } from "@/core/plan/types.ts";
import { splitList } from "@/core/type/part.ts";
import type { FieldPreview } from "@/core/sample/preview.ts";
import { OptionsForm } from "../../kit/options-form.tsx";
import { FailingBy } from "./failing.tsx";
import { Text } from "./field-text.tsx";
import { canHave, FURTHER_CHECKS, withProperty } from "./field-edits.ts";

/** What does not fit the table's row: title, other names, the policy of each check, where the field is used. */
export function FieldMore({
  plan,
  field,
  found,
  update,
  remove,
}: {
  plan: Plan;
  field: Field;
  found: FieldPreview | null;
  update: (edit: (f: Field) => Field) => void;
  remove: () => void;
}) {
  const asked = FIELD_CHECKS.filter(
    (id) => checkPart(id).asked(field) || (id === "unique" && plan.load.key.join() === field.name),
  );
  const further = FURTHER_CHECKS.filter((id) => canHave(field, id));
  const used = usedIn(plan, field.name);
  const back = reach(plan, field.name, "back");
  const forward = reach(plan, field.name, "forward");
  return (
    <section
      aria-label={`More of ${field.name}`}
      className="mt-3 grid grid-cols-1 gap-6 border-t border-[var(--ink)] pt-3 md:grid-cols-3"
    >
      <div>
        <h2>{field.name} is called</h2>
        <Text
          label="Title"
          placeholder="title for people"
          value={field.title ?? ""}
          take={(v) => update((f) => withProperty(f, { title: v.trim() || undefined }))}
        />
        <h2 className="mt-2">its column was also called</h2>
        <Text
          label="Other names, comma between"
          placeholder="other names, comma between"
          value={(field.also ?? []).join(", ")}
          take={(v) => update((f) => withProperty(f, { also: splitList(v).length > 0 ? splitList(v) : undefined }))}
        />
      </div>
      <div>
        {further.length > 0 && <h2>its values are also held to</h2>}
        {further.map((id) => (
          <div key={id} className="mb-2">
            <OptionsForm
              part={{ title: id, options: checkPart(id).options }}
              step={field}
              plan={plan}
              set={(f) => update(() => f)}
            />
          </div>
        ))}
        <h2>when a check fails</h2>
        {asked.length === 0 && <p className="faint">It has no checks.</p>}
        <FailingBy found={found} />
        {asked.map((id) => (
          <label key={id} className="flex items-center justify-between gap-2 border-b border-[var(--rule)] py-0.5">
            {checkPart(id).title(field)}
            <select
              className="select select-xs !w-20 shrink-0"
              value={policyOf(field, id)}
              onChange={(e) =>
                update((f) => {
                  const all = Object.fromEntries(asked.map((c) => [c, policyOf(f, c)])) as Record<string, OnFailure>;
                  all[id] = e.target.value as OnFailure;
                  const changed = Object.fromEntries(Object.entries(all).filter(([, p]) => p !== "hold"));
                  return withProperty(f, { on_failure: Object.keys(changed).length > 0 ? changed : undefined });
                })
              }
            >
              {ON_FAILURE.map((p) => (
                <option key={p}>{p}</option>
              ))}
            </select>
          </label>
        ))}
      </div>
      <div>
        <h2>it comes from</h2>
        <ul>
          {originsOf(plan, field.name).map((o) => (
            <li key={`${o.stage} ${o.says}`}>
              <span className="faint">{o.stage}:</span> {o.says}
              {o.from.length > 0 && <>, from {listed(o.from)}</>}
            </li>
          ))}
        </ul>
        {back.length > 0 && <p className="faint">and so from the columns of {listed(back)}</p>}
        <h2 className="mt-2">it is used in</h2>
        <ul>
          {used.map((u) => (
            <li key={`${u.stage} ${u.says}`}>
              <span className="faint">{u.stage}:</span> {u.says}
            </li>
          ))}
        </ul>
        {forward.length > 0 && <p className="faint">and so goes into {listed(forward)}</p>}
        <button type="button" className="plain held mt-2" onClick={remove} disabled={plan.contract.fields.length === 1}>
          Take the field out of the plan
        </button>
      </div>
    </section>
  );
}
