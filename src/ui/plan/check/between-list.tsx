"use client";

import { BETWEEN, betweenPart, betweenTitle, type BetweenCheck } from "@/core/check/between/index.ts";
import { ORDERED, STEPPED } from "@/core/check/between/part.ts";
import { isRule, isUnique, type Plan } from "@/core/plan/document.ts";
import type { PlanCheck } from "@/core/plan/sections.ts";
import type { Field } from "@/core/field/field.ts";
import { ON_FAILURE, type OnFailure } from "@/core/plan/types.ts";
import type { TypeId } from "@/core/type/index.ts";
import { OptionsForm } from "../../kit/options-form.tsx";

type Own = Exclude<PlanCheck, { that: string }>;

/** What a new check of each kind begins with; null where the contract has no fields for it. */
function begin(kind: string, fields: readonly Field[]): Own | null {
  const of = (types: readonly TypeId[]): string[] => fields.filter((f) => types.includes(f.type)).map((f) => f.name);
  const [first] = of(["text", "code"]);
  switch (kind) {
    case "unique": {
      const names = fields.slice(0, 2).map((f) => f.name);
      return names.length === 2 ? { check: "unique", in: names, on_failure: "hold" } : null;
    }
    case "no gaps": {
      const [field] = of(STEPPED);
      return field ? { check: kind, field, on_failure: "note" } : null;
    }
    case "no overlaps": {
      const pair = ORDERED.map((t) => of([t])).find((names) => names.length > 1);
      return pair ? { check: kind, from: pair[0]!, to: pair[1]!, on_failure: "hold" } : null;
    }
    case "has parent": {
      const pair = [of(["text", "code"]), of(["integer", "decimal"])].find((names) => names.length > 1);
      return pair ? { check: kind, fields: [pair[1]!], of: [pair[0]!], on_failure: "hold" } : null;
    }
    default: {
      const [parts, whole] = of(["integer", "decimal"]);
      return parts && whole && first ? { check: "parts sum", parts, whole, by: [first], on_failure: "hold" } : null;
    }
  }
}

const UNIQUE_ABOUT = "The values of several fields together are given once.";

/** Checks that look at a record beside the others of its delivery. */
export function BetweenList({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { fields } = plan.contract;
  const names = fields.map((f) => f.name);
  const own = plan.check.flatMap((c, i) => (isRule(c) ? [] : [{ check: c, i }]));
  const set = (i: number, check: Own | null): void =>
    change({ ...plan, check: plan.check.flatMap((c, k) => (k === i ? (check ? [check] : []) : [c])) });
  const kinds = [{ id: "unique", title: "unique over several fields", about: UNIQUE_ABOUT }, ...BETWEEN];
  return (
    <section className="mt-5" aria-label="Checks between records">
      <h2>Checks between records</h2>
      {own.length === 0 && (
        <p className="py-1">
          None yet. They look at a record beside the others of its delivery, so what they find is shown by a trial and
          not by the sample.
        </p>
      )}
      {own.map(({ check, i }) => (
        <div key={i} className="border-b border-[var(--rule)] py-2">
          <div className="mb-1 flex flex-wrap items-center gap-3">
            <b title={isUnique(check) ? UNIQUE_ABOUT : betweenPart(check.check).about}>
              {isUnique(check) ? "unique over several fields" : betweenPart(check.check).title}
            </b>
            <select
              className="select select-sm max-w-24"
              aria-label={`When ${isUnique(check) ? check.in.join(" and ") : betweenTitle(check)} fails`}
              value={check.on_failure}
              onChange={(e) => set(i, { ...check, on_failure: e.target.value as OnFailure })}
            >
              {ON_FAILURE.map((p) => (
                <option key={p}>{p}</option>
              ))}
            </select>
            <button type="button" className="plain held whitespace-nowrap" onClick={() => set(i, null)}>
              take out
            </button>
          </div>
          {isUnique(check) ? (
            <TogetherFields names={names} chosen={check.in} set={(list) => set(i, { ...check, in: list })} />
          ) : (
            <Between plan={plan} check={check} set={(next) => set(i, next)} />
          )}
        </div>
      ))}
      <select
        className="select select-sm mt-2 max-w-64"
        aria-label="Add a check between records"
        value=""
        onChange={(e) => {
          const next = begin(e.target.value, fields);
          if (next) change({ ...plan, check: [...plan.check, next] });
        }}
      >
        <option value="">Add a check between records</option>
        {kinds.map((k) => (
          <option key={k.id} value={k.id} title={k.about} disabled={!begin(k.id, fields)}>
            {k.title}
          </option>
        ))}
      </select>
    </section>
  );
}

function Between({ plan, check, set }: { plan: Plan; check: BetweenCheck; set: (check: BetweenCheck) => void }) {
  const part = betweenPart(check.check);
  const more = (key: "name" | "message", text: string): void => {
    const { [key]: _, ...others } = check;
    set((text === "" ? others : { ...check, [key]: text }) as BetweenCheck);
  };
  return (
    <>
      <OptionsForm part={part} step={check} plan={plan} set={set} />
      <div className="mt-1 grid grid-cols-1 gap-x-3 gap-y-1 lg:grid-cols-2">
        <input
          className="input input-sm w-full"
          aria-label="Name of the check"
          placeholder={part.words(check)}
          value={check.name ?? ""}
          maxLength={80}
          onChange={(e) => more("name", e.target.value.replace(/[:+]/g, ""))}
        />
        <input
          className="input input-sm w-full"
          aria-label={`Words for the sender when ${betweenTitle(check)} fails`}
          placeholder="words for the sender, with {field} for a value; the facts unless said"
          value={check.message ?? ""}
          maxLength={500}
          onChange={(e) => more("message", e.target.value)}
        />
      </div>
    </>
  );
}

function TogetherFields({
  names,
  chosen,
  set,
}: {
  names: readonly string[];
  chosen: readonly string[];
  set: (names: string[]) => void;
}) {
  return (
    <fieldset className="flex flex-wrap gap-x-4 gap-y-0.5">
      <legend className="sr-only">Fields whose values together are given once</legend>
      {names.map((name) => (
        <label key={name} className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={chosen.includes(name)}
            disabled={chosen.length === 2 && chosen.includes(name)}
            onChange={(e) => set(names.filter((n) => (n === name ? e.target.checked : chosen.includes(n))))}
          />
          {name}
        </label>
      ))}
    </fieldset>
  );
}
