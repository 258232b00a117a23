"use client";

import Link from "next/link";
import { fitsName } from "@/core/kernel/file-name.ts";
import { SCORED_BY, lookUpSchema, type LookUp, type LookUpPolicy, type NonePolicy } from "@/core/lookup/schema.ts";
import { plainName } from "@/core/map/columns.ts";
import { comparatorPart } from "@/core/match/compare/index.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { ReferenceInfo } from "@/store/references.ts";
import { counted } from "../../kit/words.ts";
import { Choice, NumberInput } from "./inputs.tsx";
import { OfDelivery } from "./of-delivery.tsx";

const POLICIES: Record<LookUpPolicy, string> = {
  hold: "hold the record",
  note: "note it, and go on",
  stop: "stop the load",
  pass: "go on, only counted",
};
const NONE_POLICIES: Record<NonePolicy, string> = { ...POLICIES, propose: "go on, and propose an entry" };
const HOW = {
  exact: "by key: the values must be the same",
  scored: "by score: the values may be misspelled",
  range: "by range: the value lies between two columns",
} as const;

/** One look-up: its list, by what it finds an entry, what it fills, and what is done where it finds none. */
export function OneLookUp({
  plan,
  lookUp: l,
  lists,
  set,
  arrived,
  fresh,
}: {
  plan: Plan;
  lookUp: LookUp;
  lists: readonly ReferenceInfo[];
  set: (lookUp: LookUp | null) => void;
  /** Whether there is a delivery whose records can be asked. */
  arrived: boolean;
  /** Whether it has just been put there, and takes what the records say. */
  fresh: boolean;
}) {
  const list = lists.find((r) =>
    l.file === undefined ? r.name === l.list && r.version > 0 : r.version === 0 && fitsName(l.file, r.title),
  );
  const columns = (list?.shape.columns ?? []).map((c) => [c, c] as const);
  const fields = plan.contract.fields.map((f) => [f.name, f.name] as const);
  const asked = new Set([...(l.by ?? []).map((b) => b.field), ...(l.how === "range" ? [l.field] : [])]);
  const fillable = fields.filter(([f]) => !asked.has(f));
  const put = (more: object): void => set({ ...l, ...more } as LookUp);
  const without = (key: string): void => {
    const { [key as "on"]: _, ...rest } = l as LookUp & { on?: string };
    set(rest as LookUp);
  };
  const field = l.how === "range" ? l.field : l.by[0]!.field;
  const column = l.how === "range" ? l.from : l.by[0]!.column;
  const change = (how: LookUp["how"]): void => {
    const { name, list: from, file, bring, only, on, none, several } = l;
    const common = {
      ...{ name, list: from, bring, none, several },
      ...(file ? { file } : {}),
      ...(only ? { only } : {}),
      ...(on ? { on } : {}),
    };
    if (how === "exact") set(lookUpSchema.parse({ how, ...common, by: [{ field, column }] }));
    else if (how === "scored") set(lookUpSchema.parse({ how, ...common, by: [{ field, column }] }));
    else set(lookUpSchema.parse({ how, ...common, field, from: column, to: columns.at(-1)?.[0] ?? column }));
  };
  const by = (l.by ?? []) as { field: string; column: string; compare?: string }[];
  const putBy = (i: number, more: object | null): void =>
    put({ by: by.flatMap((b, j) => (j !== i ? [b] : more ? [{ ...b, ...more }] : [])) });
  return (
    <section className="mb-4 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-4 py-3">
      <div className="flex flex-wrap items-center gap-3">
        <input
          className="input input-sm !w-44 font-bold"
          aria-label="Name of the look-up"
          key={l.name}
          defaultValue={l.name}
          maxLength={60}
          onBlur={(e) => {
            const name = e.target.value.trim();
            if (name !== "" && name !== l.name && !/[:+]/.test(name)) put({ name });
          }}
        />
        <span className="faint">in</span>
        {l.file === undefined ? (
          <Link className="underline" href={`/references/${l.list}`}>
            {list?.title ?? l.list}
          </Link>
        ) : (
          <label className="flex items-center gap-2">
            the file
            <input
              className="input input-sm !w-56 font-mono"
              aria-label="Name of the file of the delivery that is the list"
              title="* stands for anything"
              key={l.file}
              defaultValue={l.file}
              maxLength={200}
              onBlur={(e) => e.target.value.trim() !== "" && put({ file: e.target.value.trim() })}
            />
            <span className="faint text-sm">of the same delivery</span>
          </label>
        )}
        {list && list.version > 0 && (
          <span className="faint text-sm">
            version {list.version}, {counted(list.entries, "entry", "entries")}
          </span>
        )}
        {!list && l.file === undefined && lists.length > 0 && <span className="held">there is no such list</span>}
        <button type="button" className="plain ml-auto" onClick={() => set(null)}>
          take out
        </button>
      </div>
      <div className="mt-2 grid grid-cols-[8.5rem_minmax(0,1fr)] items-start gap-x-4 gap-y-2">
        <span className="faint pt-1">how</span>
        <Choice
          label="How it is looked up"
          value={l.how}
          options={Object.entries(HOW)}
          set={(h) => change(h as LookUp["how"])}
          wide="!w-96"
        />
        {l.how === "range" && (
          <>
            <span className="faint pt-1">which value</span>
            <div className="flex flex-wrap items-center gap-2">
              <Choice
                label="The field that is ranged"
                value={l.field}
                options={fields}
                set={(f) => put({ field: f })}
              />
              <span className="faint">from</span>
              <Choice
                label="Column with the beginning"
                value={l.from}
                options={columns}
                set={(c) => put({ from: c })}
                wide="!w-36"
              />
              <span className="faint">to</span>
              <Choice
                label="Column with the end"
                value={l.to}
                options={columns}
                set={(c) => put({ to: c })}
                wide="!w-36"
              />
            </div>
          </>
        )}
        <span className="faint pt-1">{l.how === "range" ? "and the same" : "by"}</span>
        <div>
          {by.map((b, i) => (
            <div key={i} className="mb-1 flex flex-wrap items-center gap-2">
              <Choice label="Field" value={b.field} options={fields} set={(f) => putBy(i, { field: f })} />
              <span className="faint">{l.how === "scored" ? "like" : "="}</span>
              <Choice
                label="Column of the list"
                value={b.column}
                options={columns}
                set={(c) => putBy(i, { column: c })}
              />
              {l.how === "scored" && (
                <Choice
                  label="Compared by"
                  value={b.compare ?? "words"}
                  options={SCORED_BY.map((id) => [id, comparatorPart(id).title])}
                  set={(c) => putBy(i, { compare: c })}
                  wide="!w-52"
                />
              )}
              {(by.length > 1 || l.how === "range") && (
                <button type="button" className="plain" onClick={() => putBy(i, null)}>
                  not by this
                </button>
              )}
            </div>
          ))}
          <button
            type="button"
            className="plain"
            onClick={() =>
              put({
                by: [
                  ...by,
                  {
                    field: fields[0]![0],
                    column: columns[0]?.[0] ?? "",
                    ...(l.how === "scored" ? { compare: "words" } : {}),
                  },
                ],
              })
            }
          >
            {by.length === 0 ? "a field that must be the same" : "and by another field"}
          </button>
        </div>
        {l.how === "scored" && (
          <>
            <span className="faint pt-1">a partner has</span>
            <div className="flex flex-wrap items-center gap-2">
              <span>a score of at least</span>
              <NumberInput
                label="Least score"
                value={l.least}
                open="estimated"
                set={(n) => (n === undefined ? without("least") : put({ least: Math.max(1, n) }))}
              />
              <span>of 100, and a lead of at least</span>
              <NumberInput
                label="Least lead"
                value={l.lead}
                open="estimated"
                set={(n) => (n === undefined ? without("lead") : put({ lead: n }))}
              />
              <span className="faint">before the next</span>
            </div>
          </>
        )}
        {arrived && <OfDelivery plan={plan} lookUp={l} set={set} fresh={fresh} />}
        <span className="faint pt-1">fills</span>
        <div>
          {Object.entries(l.bring).map(([f, c]) => (
            <div key={f} className="mb-1 flex flex-wrap items-center gap-2">
              <Choice
                label="Field that is filled"
                value={f}
                options={fillable}
                set={(next) =>
                  put({ bring: Object.fromEntries(Object.entries(l.bring).map(([k, v]) => [k === f ? next : k, v])) })
                }
              />
              <span className="faint">with</span>
              <Choice
                label={`Column for ${f}`}
                value={c}
                options={columns}
                set={(next) => put({ bring: { ...l.bring, [f]: next } })}
              />
              <button
                type="button"
                className="plain"
                onClick={() => put({ bring: Object.fromEntries(Object.entries(l.bring).filter(([k]) => k !== f)) })}
              >
                not this
              </button>
            </div>
          ))}
          <Choice
            label="A field to fill"
            value=""
            empty={Object.keys(l.bring).length === 0 ? "nothing; choose a field to fill" : "and another field"}
            options={fillable.filter(([f]) => l.bring[f] === undefined)}
            set={(f) => {
              if (f === "") return;
              const like = columns.find(([c]) => plainName(c) === plainName(f))?.[0];
              put({ bring: { ...l.bring, [f]: like ?? list?.shape.key ?? columns[0]?.[0] ?? "" } });
            }}
            wide="!w-72"
          />
          {l.how === "scored" && (
            <div className="mt-1 flex flex-wrap items-center gap-2">
              <span className="faint">the score in</span>
              <Choice
                label="Field for the score"
                value={l.score_in ?? ""}
                empty="no field"
                options={fillable}
                set={(f) => (f === "" ? without("score_in") : put({ score_in: f }))}
              />
              <span className="faint">the lead in</span>
              <Choice
                label="Field for the lead"
                value={l.lead_in ?? ""}
                empty="no field"
                options={fillable}
                set={(f) => (f === "" ? without("lead_in") : put({ lead_in: f }))}
              />
            </div>
          )}
        </div>
        <span className="faint pt-1">no partner</span>
        <Choice
          label="Without a partner"
          value={l.none}
          options={Object.entries(NONE_POLICIES)}
          set={(p) => put({ none: p })}
        />
        {l.how !== "range" && (
          <>
            <span className="faint pt-1">several partners</span>
            <Choice
              label="With several partners"
              value={l.several}
              options={Object.entries(POLICIES)}
              set={(p) => put({ several: p })}
            />
          </>
        )}
        {list?.shape.since && (
          <>
            <span className="faint pt-1">entries that hold on</span>
            <Choice
              label="The day on which entries must hold"
              value={l.on ?? ""}
              empty="any day"
              options={plan.contract.fields.filter((f) => f.type === "date").map((f) => [f.name, f.name])}
              set={(f) => (f === "" ? without("on") : put({ on: f }))}
            />
          </>
        )}
      </div>
    </section>
  );
}
