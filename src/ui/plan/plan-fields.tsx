"use client";

import { useState } from "react";
import { removeField, renameField } from "@/core/plan/edit.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { Failing, FailingWords } from "./check/failing.tsx";
import { USUAL_SAMPLE, useFieldChecks, useSample } from "./use-sample.ts";
import { counted } from "../kit/words.ts";
import { CHECK_COLUMNS } from "./check/field-edits.ts";
import { FieldMore } from "./check/field-more.tsx";
import { Alike } from "./check/alike-fields.tsx";
import { FieldRow } from "./field-row.tsx";

/** The contract as a table that is edited in place; one change can go to many picked fields. */
export function FieldTable({
  plan,
  change,
  delivery,
}: {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number } | null;
}) {
  const sample = useSample(plan, delivery?.id ?? null, USUAL_SAMPLE);
  const failing = useFieldChecks(plan, sample);
  const { fields } = plan.contract;
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [open, setOpen] = useState<string | null>(null);
  const setFields = (next: Field[], more: Partial<Plan> = {}): void =>
    change({ ...plan, ...more, contract: { fields: next } });
  const update = (name: string, edit: (f: Field) => Field): void =>
    setFields(fields.map((f) => (f.name === name ? edit(f) : f)));

  const rename = (from: string, to: string): void => {
    if (to === from || to === "") return;
    change(renameField(plan, from, to));
    setPicked(new Set());
    if (open === from) setOpen(to);
  };

  const remove = (name: string): void => {
    change(removeField(plan, name));
    setOpen(null);
  };

  const add = (): void => {
    let n = fields.length + 1;
    while (fields.some((f) => f.name === `field_${n}`)) n++;
    setFields([...fields, { name: `field_${n}`, type: "text" }]);
    setOpen(`field_${n}`);
  };

  const toggle = (name: string): void =>
    setPicked((have) => {
      const next = new Set(have);
      if (!next.delete(name)) next.add(name);
      return next;
    });
  const opened = fields.find((f) => f.name === open);
  return (
    <>
      <Alike
        count={picked.size}
        apply={(edit) => setFields(fields.map((f) => (picked.has(f.name) ? edit(f) : f)))}
        clear={() => setPicked(new Set())}
      />
      <div className="overflow-x-auto">
        <table className="ledger fields-table">
          <thead>
            <tr>
              <th>
                <input
                  type="checkbox"
                  aria-label="Pick all fields"
                  checked={picked.size === fields.length}
                  onChange={(e) => setPicked(e.target.checked ? new Set(fields.map((f) => f.name)) : new Set())}
                />
              </th>
              <th>field</th>
              <th>type</th>
              <th>size, formats, values</th>
              {CHECK_COLUMNS.map(({ option }) => (
                <th key={option}>{option}</th>
              ))}
              <th>on failure</th>
              {sample && <th className="n">fail</th>}
              <th aria-label="More"></th>
            </tr>
          </thead>
          <tbody>
            {fields.map((f, i) => (
              <FieldRow
                key={f.name}
                field={f}
                isKey={plan.load.key.join() === f.name}
                picked={picked.has(f.name)}
                open={f.name === open}
                failing={sample ? <Failing found={failing.result?.[i] ?? null} of={sample.rows.length} /> : undefined}
                pick={() => toggle(f.name)}
                rename={(to) => rename(f.name, to)}
                update={(edit) => update(f.name, edit)}
                more={(shown) => setOpen(shown ? f.name : null)}
              />
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-2 flex items-center gap-4">
        <button type="button" className="btn btn-line btn-sm" onClick={add}>
          Add a field
        </button>
        <span className="faint text-sm">{counted(fields.length, "field")}; pick several to change them alike</span>
        {sample && <FailingWords sample={sample} error={failing.error} />}
      </div>
      {opened && (
        <FieldMore
          key={opened.name}
          found={failing.result?.[fields.indexOf(opened)] ?? null}
          plan={plan}
          field={opened}
          update={(edit) => update(opened.name, edit)}
          remove={() => remove(opened.name)}
        />
      )}
    </>
  );
}
