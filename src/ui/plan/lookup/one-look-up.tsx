"use client";

import { fitsName } from "@/core/kernel/file-name.ts";
import { lookUpSchema, type LookUp, type LookUpPolicy, type NonePolicy } from "@/core/lookup/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { ReferenceInfo } from "@/store/references.ts";
import { Choice } from "../../kit/choice.tsx";
import { AskedBy, BetweenColumns, Fills, LookUpHeading, ScoreLimits, type LookUpEdit } from "./look-up-rows.tsx";
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
  const of: LookUpEdit = { lookUp: l, list, columns, fields, fillable, put, without };
  return (
    <section className="mb-4 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-4 py-3">
      <LookUpHeading of={of} absent={!list && l.file === undefined && lists.length > 0} takeOut={() => set(null)} />
      <div className="mt-2 grid grid-cols-[8.5rem_minmax(0,1fr)] items-start gap-x-4 gap-y-2">
        <span className="faint pt-1">how</span>
        <Choice
          label="How it is looked up"
          value={l.how}
          options={Object.entries(HOW)}
          set={(h) => change(h as LookUp["how"])}
          width="!w-96"
        />
        {l.how === "range" && <BetweenColumns of={of} lookUp={l} />}
        <span className="faint pt-1">{l.how === "range" ? "and the same" : "by"}</span>
        <AskedBy of={of} />
        {l.how === "scored" && <ScoreLimits of={of} lookUp={l} />}
        {arrived && <OfDelivery plan={plan} lookUp={l} set={set} fresh={fresh} />}
        <span className="faint pt-1">fills</span>
        <Fills of={of} />
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
              none="any day"
              options={plan.contract.fields.filter((f) => f.type === "date").map((f) => [f.name, f.name])}
              set={(f) => (f === "" ? without("on") : put({ on: f }))}
            />
          </>
        )}
      </div>
    </section>
  );
}
