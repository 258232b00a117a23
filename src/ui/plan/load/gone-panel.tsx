"use client";

import { goneFields, goneWords, type Gone } from "@/core/plan/gone.ts";
import type { Plan } from "@/core/plan/document.ts";

/** What becomes of rows of the target whose key no longer comes. */
export function GonePanel({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { gone, ...load } = plan.load;
  const put = (next: Gone | null): void => change({ ...plan, load: next ? { ...load, gone: next } : load });
  const days = plan.contract.fields.filter((f) => f.type === "date" && !load.key.includes(f.name) && !f.required);
  const begin = (does: string): void => {
    const others = { unsure: gone?.unsure ?? "leave", at_most: gone?.at_most ?? 0.1 } as const;
    const within = gone?.within ? { within: gone.within } : {};
    if (does === "remove") put({ do: "remove", ...within, ...others });
    else if (does === "mark") put({ do: "mark", field: days[0]!.name, ...within, ...others });
    else put(null);
  };
  const named = gone ? goneFields(gone).map((f) => f.name) : [];
  return (
    <fieldset className="mt-3">
      <legend className="faint text-sm font-bold">Rows whose key no longer comes</legend>
      <select
        className="select select-sm text-sm max-w-lg"
        aria-label="What becomes of rows whose key no longer comes"
        value={gone?.do ?? ""}
        onChange={(e) => begin(e.target.value)}
      >
        <option value="">stay: a delivery is not all there is</option>
        <option value="remove">are removed: each delivery is all there is</option>
        <option value="mark" disabled={days.length === 0}>
          are marked with the day of the load{days.length === 0 ? ": make a field of the type date first" : ""}
        </option>
      </select>
      {gone && (
        <div className="mt-2 grid grid-cols-[14rem_1fr] items-center gap-x-4 gap-y-2">
          {gone.do === "mark" && (
            <>
              <label htmlFor="gone-field">the day goes into</label>
              <select
                id="gone-field"
                className="select select-sm text-sm w-60"
                value={gone.field}
                onChange={(e) => put({ ...gone, field: e.target.value })}
              >
                {days.map((f) => (
                  <option key={f.name}>{f.name}</option>
                ))}
              </select>
            </>
          )}
          <label htmlFor="gone-within">only rows with the same</label>
          <select
            id="gone-within"
            className="select select-sm text-sm w-60"
            value={gone.within?.[0] ?? ""}
            onChange={(e) => {
              const { within: _, ...rest } = gone;
              put(e.target.value === "" ? rest : { ...rest, within: [e.target.value] });
            }}
          >
            <option value="">all rows that loads of this feed wrote</option>
            {plan.contract.fields
              .filter((f) => f.name !== (gone.do === "mark" ? gone.field : ""))
              .map((f) => (
                <option key={f.name} value={f.name}>
                  {f.name} as a record that came
                </option>
              ))}
          </select>
          <label htmlFor="gone-most">stop the load where more than</label>
          <span className="flex items-center gap-1">
            <input
              id="gone-most"
              type="number"
              min={0}
              max={100}
              className="input input-sm text-sm !w-20"
              value={Math.round(gone.at_most * 1000) / 10}
              onChange={(e) => put({ ...gone, at_most: Math.min(100, Math.max(0, Number(e.target.value) || 0)) / 100 })}
            />
            % of them do not come
          </span>
          <label htmlFor="gone-unsure">held records without a sound key</label>
          <select
            id="gone-unsure"
            className="select select-sm text-sm max-w-lg"
            value={gone.unsure}
            onChange={(e) => put({ ...gone, unsure: e.target.value as Gone["unsure"] })}
          >
            <option value="leave">leave all rows then: any may be theirs</option>
            <option value="go on">go on all the same</option>
          </select>
        </div>
      )}
      {gone && named.length > 1 && <p className="faint mt-1 text-sm">{goneWords(gone)}</p>}
    </fieldset>
  );
}
