"use client";

import { useState } from "react";
import { removeField, renameField } from "@/core/plan/edit.ts";
import type { Plan } from "@/core/plan/document.ts";
import { ON_FAILURE, type Field } from "@/core/plan/types.ts";
import { TYPE_IDS, typePart, type TypeId } from "@/core/type/index.ts";
import { Failing, FailingWords } from "./check/failing.tsx";
import { USUAL_SAMPLE, useFieldChecks, useSample } from "./use-sample.ts";
import { counted } from "../kit/words.ts";
import { FieldMore } from "./check/field-more.tsx";
import { Alike } from "./check/alike-fields.tsx";
import { lineOf, withProperty, withSettings, withType } from "./check/field-edits.ts";
import { Text } from "./check/field-text.tsx";

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
              <th>required</th>
              <th>unique</th>
              <th>least</th>
              <th>most</th>
              <th>pattern</th>
              <th>on failure</th>
              {sample && <th className="n">fail</th>}
              <th aria-label="More"></th>
            </tr>
          </thead>
          <tbody>
            {fields.map((f, i) => {
              const ordered = typePart(f.type).order(f) !== null;
              return (
                <tr key={f.name} aria-selected={f.name === open}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Pick ${f.name}`}
                      checked={picked.has(f.name)}
                      onChange={() => toggle(f.name)}
                    />
                  </td>
                  <td>
                    <Text
                      label={`Name of ${f.name}`}
                      value={f.name}
                      take={(v) => rename(f.name, v.trim())}
                      bold
                      whole
                    />
                  </td>
                  <td className="w-28">
                    <select
                      className="select select-xs"
                      aria-label={`Type of ${f.name}`}
                      value={f.type}
                      onChange={(e) => update(f.name, (x) => withType(x, e.target.value as TypeId))}
                    >
                      {TYPE_IDS.map((t) => (
                        <option key={t} value={t}>
                          {t}
                        </option>
                      ))}
                    </select>
                  </td>
                  <td className="w-1/4 min-w-24">
                    {lineOf(f.type) && (
                      <Text
                        label={`${lineOf(f.type)!.hint} of ${f.name}`}
                        placeholder={lineOf(f.type)!.hint}
                        value={lineOf(f.type)!.show(f)}
                        take={(v) => update(f.name, (x) => withSettings(x, v))}
                      />
                    )}
                  </td>
                  <td className="text-center">
                    <input
                      type="checkbox"
                      aria-label={`${f.name} is required`}
                      checked={f.required ?? false}
                      onChange={(e) =>
                        update(f.name, (x) => withProperty(x, { required: e.target.checked || undefined }))
                      }
                    />
                  </td>
                  <td className="text-center">
                    <input
                      type="checkbox"
                      aria-label={`${f.name} is unique`}
                      checked={(f.unique ?? false) || plan.load.key.join() === f.name}
                      disabled={plan.load.key.join() === f.name}
                      title={plan.load.key.join() === f.name ? "It is the key" : undefined}
                      onChange={(e) =>
                        update(f.name, (x) => withProperty(x, { unique: e.target.checked || undefined }))
                      }
                    />
                  </td>
                  <td>
                    {ordered && (
                      <Text
                        label={`Least of ${f.name}`}
                        value={f.least === undefined ? "" : String(f.least)}
                        take={(v) => update(f.name, (x) => withProperty(x, { least: v.trim() || undefined }))}
                        whole
                      />
                    )}
                  </td>
                  <td>
                    {ordered && (
                      <Text
                        label={`Most of ${f.name}`}
                        value={f.most === undefined ? "" : String(f.most)}
                        take={(v) => update(f.name, (x) => withProperty(x, { most: v.trim() || undefined }))}
                        whole
                      />
                    )}
                  </td>
                  <td className="min-w-16">
                    {(f.type === "text" || f.type === "code") && (
                      <Text
                        label={`Pattern of ${f.name}`}
                        value={f.pattern ?? ""}
                        take={(v) => update(f.name, (x) => withProperty(x, { pattern: v || undefined }))}
                        mono
                      />
                    )}
                  </td>
                  <td className="w-28">
                    <select
                      className="select select-xs"
                      aria-label={`On failure of ${f.name}`}
                      value={typeof f.on_failure === "object" ? "by check" : (f.on_failure ?? "hold")}
                      onChange={(e) =>
                        e.target.value === "by check"
                          ? setOpen(f.name)
                          : update(f.name, (x) =>
                              withProperty(x, { on_failure: e.target.value === "hold" ? undefined : e.target.value }),
                            )
                      }
                    >
                      {ON_FAILURE.map((p) => (
                        <option key={p}>{p}</option>
                      ))}
                      <option>by check</option>
                    </select>
                  </td>
                  {sample && (
                    <td className="n">
                      <Failing found={failing.result?.[i] ?? null} of={sample.rows.length} />
                    </td>
                  )}
                  <td>
                    <button
                      type="button"
                      className="plain"
                      aria-expanded={open === f.name}
                      onClick={() => setOpen(open === f.name ? null : f.name)}
                    >
                      {open === f.name ? "less" : "more"}
                    </button>
                  </td>
                </tr>
              );
            })}
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
