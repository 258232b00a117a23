"use client";

import { useState } from "react";
import { CHECKS } from "@/core/check/index.ts";
import { removeField, renameField, usedIn } from "@/core/plan/edit.ts";
import { originsOf, reach } from "@/core/plan/lineage.ts";
import { listed } from "@/core/kernel/problem.ts";
import { policyOf } from "@/core/course/checks.ts";
import type { Plan } from "@/core/plan/document.ts";
import { FIELD_CHECKS, ON_FAILURE, type Field, type OnFailure } from "@/core/plan/types.ts";
import { TYPE_IDS, typePart, type TypeId } from "@/core/type/index.ts";
import { splitList, type SettingsLine } from "@/core/type/part.ts";
import type { FieldPreview } from "@/core/sample/preview.ts";
import { Failing, FailingBy, FailingWords } from "./check/failing.tsx";
import { USUAL_SAMPLE, useFieldChecks, useSample } from "./use-sample.ts";
import { counted } from "../kit/words.ts";

/** The settings of a field's type in one line of text; nothing for a type that has none. */
const lineOf = (type: TypeId): SettingsLine<Field> | undefined =>
  typePart(type).line as SettingsLine<Field> | undefined;

/** A field with one property set, or taken out when the value is undefined. */
function withProperty(field: Field, more: Partial<Record<keyof Field, unknown>>): Field {
  const next = { ...field, ...more } as Record<string, unknown>;
  for (const key of Object.keys(next)) if (next[key] === undefined) delete next[key];
  return next as unknown as Field;
}

/** A field with the settings of its type as a line of text says them. */
function withSettings(field: Field, line: string): Field {
  const none = Object.fromEntries(Object.keys(typePart(field.type).options).map((option) => [option, undefined]));
  return withProperty(field, { ...none, ...lineOf(field.type)?.take(line) });
}

/** A field with another type: what belongs to the old type alone is dropped. */
function withType(field: Field, type: TypeId): Field {
  const { name, title, also, required, unique, on_failure } = field;
  const kept = withProperty({ name, type } as Field, { title, also, required, unique, on_failure });
  return { ...kept, ...lineOf(type)?.take(type === "text" ? String(field.length ?? "") : "") };
}

type Property = "required" | "unique" | "least" | "most" | "pattern" | "on failure" | "type";

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

/** A text that is taken over when it is left, or with Enter: half-typed values change nothing. */
function Text({
  label: name,
  value,
  take,
  placeholder,
  mono = false,
  bold = false,
  whole = false,
}: {
  label: string;
  value: string;
  take: (value: string) => void;
  placeholder?: string;
  mono?: boolean;
  bold?: boolean;
  /** It is as wide as what stands in it. */
  whole?: boolean;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const commit = (): void => {
    if (draft !== null && draft !== value) take(draft);
    setDraft(null);
  };
  return (
    <input
      aria-label={name}
      title={value}
      placeholder={placeholder}
      className={`${whole ? "whole" : "min-w-0"} w-full border-b border-transparent bg-transparent py-0.5 hover:border-[var(--rule)] focus:border-[var(--ink)] ${mono ? "raw" : ""} ${bold ? "font-semibold" : ""}`}
      value={draft ?? value}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => {
        if (e.key === "Enter") commit();
        if (e.key === "Escape") setDraft(null);
      }}
    />
  );
}

/** One change for all the picked fields. */
function Alike({
  count,
  apply,
  clear,
}: {
  count: number;
  apply: (edit: (f: Field) => Field) => void;
  clear: () => void;
}) {
  const [property, setProperty] = useState<Property>("on failure");
  const [value, setValue] = useState("hold");
  if (count === 0) return null;
  const choices: Record<Property, string[] | null> = {
    required: ["yes", "no"],
    unique: ["yes", "no"],
    least: null,
    most: null,
    pattern: null,
    "on failure": [...ON_FAILURE],
    type: [...TYPE_IDS],
  };
  const options = choices[property];
  const edit = (f: Field): Field => {
    const text = value.trim();
    switch (property) {
      case "required":
      case "unique":
        return withProperty(f, { [property]: value === "yes" || undefined });
      case "on failure":
        return withProperty(f, { on_failure: value === "hold" ? undefined : value });
      case "type":
        return withType(f, value as TypeId);
      case "pattern":
        return f.type === "text" || f.type === "code" ? withProperty(f, { pattern: text || undefined }) : f;
      default:
        return typePart(f.type).order(f) === null ? f : withProperty(f, { [property]: text || undefined });
    }
  };
  return (
    <form
      className="mb-2 flex flex-wrap items-center gap-2 border-l-4 border-[var(--ochre)] bg-[var(--paper-bright)] px-3 py-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        apply(edit);
      }}
    >
      <b>{counted(count, "field")} picked:</b> set
      <select
        className="select select-xs w-32"
        aria-label="Property"
        value={property}
        onChange={(e) => {
          const p = e.target.value as Property;
          setProperty(p);
          setValue(choices[p]?.[0] ?? "");
        }}
      >
        {(Object.keys(choices) as Property[]).map((p) => (
          <option key={p}>{p}</option>
        ))}
      </select>
      to
      {options ? (
        <select
          className="select select-xs w-32"
          aria-label="Value"
          value={value}
          onChange={(e) => setValue(e.target.value)}
        >
          {options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      ) : (
        <input
          className="input input-xs w-40"
          aria-label="Value"
          value={value}
          onChange={(e) => setValue(e.target.value)}
          placeholder="empty takes it away"
        />
      )}
      <button type="submit" className="btn btn-line btn-sm">
        Change {counted(count, "field")}
      </button>
      <button type="button" className="plain" onClick={clear}>
        pick none
      </button>
    </form>
  );
}

/** What does not fit the table's row: title, other names, the policy of each check, where the field is used. */
function FieldMore({
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
    (id) => CHECKS[id].asked(field) || (id === "unique" && plan.load.key.join() === field.name),
  );
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
        <h2>when a check fails</h2>
        {asked.length === 0 && <p className="faint">It has no checks.</p>}
        <FailingBy found={found} />
        {asked.map((id) => (
          <label key={id} className="flex items-center justify-between gap-2 border-b border-[var(--rule)] py-0.5">
            {CHECKS[id].title(field)}
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
