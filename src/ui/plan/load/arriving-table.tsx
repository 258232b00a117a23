"use client";

import { useState } from "react";
import { ALL_FIELDS, EMPTY_DOES, VALUE_DOES, arrivingOf, type ArrivingSection } from "@/core/plan/arriving.ts";
import { Choice } from "../../kit/choice.tsx";
import type { Plan } from "@/core/plan/document.ts";

type Rule = ArrivingSection[string];

const EMPTY_SAYS = { keep: "keeps it", clear: "clears it" } as const;
const VALUE_SAYS = {
  replace: "replaces it",
  fill: "only fills what is empty",
  fix: "is fixed once there",
} as const;

/** What an arriving cell may do to the row that its record meets, for all fields and for those that differ. */
export function ArrivingTable({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { load } = plan;
  const fields = plan.contract.fields.map((f) => f.name).filter((n) => !load.key.includes(n));
  const own = fields.filter((n) => load.arriving?.[n] !== undefined);
  const set = (name: string, rule: Rule | null): void => {
    const rest = Object.entries(load.arriving ?? {}).filter(([n]) => n !== name);
    const all = rule && Object.keys(rule).length > 0 ? [...rest, [name, rule] as const] : rest;
    const { arriving: _, ...others } = load;
    change({ ...plan, load: { ...others, ...(all.length > 0 ? { arriving: Object.fromEntries(all) } : {}) } });
  };
  return (
    <fieldset className="mt-3">
      <legend className="faint text-sm font-bold">What arriving cells do to a value that the target has</legend>
      <table className="ledger tight">
        <thead>
          <tr>
            <th>field</th>
            <th>an empty cell</th>
            <th>a value</th>
            <th>texts that leave it as it is</th>
            <th aria-label="take the rule away"></th>
          </tr>
        </thead>
        <tbody>
          <Row plan={plan} name={ALL_FIELDS} says={own.length > 0 ? "all others" : "all fields"} set={set} />
          {own.map((name) => (
            <Row key={name} plan={plan} name={name} says={name} set={set} />
          ))}
        </tbody>
      </table>
      {own.length < fields.length && (
        <select
          className="select select-xs mt-1 w-56"
          aria-label="A field with a rule of its own"
          value=""
          onChange={(e) => set(e.target.value, { empty: arrivingOf(plan, e.target.value).empty })}
        >
          <option value="">a field that differs…</option>
          {fields
            .filter((n) => !own.includes(n))
            .map((n) => (
              <option key={n} value={n}>
                {n}
              </option>
            ))}
        </select>
      )}
      <p className="faint mt-1 text-sm">A field whose column has not come is never touched.</p>
    </fieldset>
  );
}

function Row({
  plan,
  name,
  says,
  set,
}: {
  plan: Plan;
  name: string;
  says: string;
  set: (name: string, rule: Rule | null) => void;
}) {
  const rule = plan.load.arriving?.[name] ?? {};
  // No field is called so: the rule for all is what comes of it.
  const now = arrivingOf(plan, name);
  const [text, setText] = useState(now.leave.join(", "));
  return (
    <tr>
      <td className="max-w-36 truncate" title={says}>
        {says}
      </td>
      <td>
        <Choice
          label={`What an empty cell does: ${says}`}
          small
          width="w-32"
          options={EMPTY_DOES.map((does) => [does, EMPTY_SAYS[does]] as const)}
          value={now.empty}
          set={(empty) => set(name, { ...rule, empty })}
        />
      </td>
      <td>
        <Choice
          label={`What a value does: ${says}`}
          small
          width="w-48"
          options={VALUE_DOES.map((does) => [does, VALUE_SAYS[does]] as const)}
          value={now.value}
          set={(value) => set(name, { ...rule, value })}
        />
      </td>
      <td>
        <input
          className="input input-xs w-36 font-mono"
          aria-label={`Texts that mean leave it as it is: ${says}`}
          placeholder="such as 0, XXX"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => {
            const leave = text
              .split(",")
              .map((t) => t.trim())
              .filter((t) => t !== "");
            const { leave: _, ...others } = rule;
            if (leave.join() !== now.leave.join()) set(name, leave.length > 0 ? { ...others, leave } : others);
          }}
        />
      </td>
      <td>
        {name !== ALL_FIELDS && (
          <button type="button" className="plain text-sm" onClick={() => set(name, null)}>
            as all
          </button>
        )}
      </td>
    </tr>
  );
}
