"use client";

import { compilePattern } from "@/core/kernel/pattern.ts";
import type { Plan } from "@/core/plan/schema.ts";
import type { Gate } from "@/core/gate/index.ts";
import type { Field } from "@/core/plan/types.ts";
import type { TypeId } from "@/core/type/index.ts";

type Limit =
  "sum against history" | "mean against history" | "distribution against history" | "freshness" | "control totals";
type Figured = Extract<Gate, { limit: Limit }>;
type Control = Extract<Gate, { limit: "control totals" }>;

const NUMBERS: readonly TypeId[] = ["integer", "decimal"];

/** What each gate needs, and how it is said. */
const KINDS: Record<Limit, { offer: string; types: readonly TypeId[]; begin: (field: string) => Figured }> = {
  "sum against history": {
    offer: "a sum against the sender's loads before",
    types: NUMBERS,
    begin: (field) => ({ limit: "sum against history", field, share: 0.5 }),
  },
  "mean against history": {
    offer: "a mean against the sender's loads before",
    types: NUMBERS,
    begin: (field) => ({ limit: "mean against history", field, share: 0.2 }),
  },
  "distribution against history": {
    offer: "how values are spread, against the loads before",
    types: ["code", "boolean", "text"],
    begin: (field) => ({ limit: "distribution against history", field, over: 0.3 }),
  },
  freshness: {
    offer: "how old the newest day may be",
    types: ["date", "timestamp"],
    begin: (field) => ({ limit: "freshness", field, days: 45 }),
  },
  "control totals": {
    offer: "totals that the sender says",
    types: NUMBERS,
    begin: () => ({
      limit: "control totals",
      in: "side file",
      name: "*.ctl",
      find: "(?P<records>\\d+)",
      records: "records",
    }),
  },
};
const LIMITS = Object.keys(KINDS) as Limit[];

function isFigured(gate: Gate): gate is Figured {
  return (LIMITS as readonly string[]).includes(gate.limit);
}

/** Gates on what fields come to: against the sender's loads before, against a day, against what the sender says. */
export function FigureGates({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { fields } = plan.contract;
  const set = (i: number, gate: Gate | null): void =>
    change({ ...plan, gates: plan.gates.flatMap((g, k) => (k === i ? (gate ? [gate] : []) : [g])) });
  const first = (limit: Limit): Field | undefined => fields.find((f) => KINDS[limit].types.includes(f.type));
  return (
    <>
      {plan.gates.map((gate, i) =>
        !isFigured(gate) ? null : gate.limit === "control totals" ? (
          <ControlGate key={i} gate={gate} fields={fields} set={(next) => set(i, next)} />
        ) : (
          <FieldGate key={i} gate={gate} fields={fields} set={(next) => set(i, next)} />
        ),
      )}
      <select
        className="select select-xs mt-1 max-w-72"
        aria-label="Add a gate on what fields come to"
        value=""
        onChange={(e) => {
          const limit = e.target.value as Limit;
          const begin = KINDS[limit]?.begin(first(limit)?.name ?? "");
          if (begin) change({ ...plan, gates: [...plan.gates, begin] });
        }}
      >
        <option value="">add: a limit on what fields come to</option>
        {LIMITS.map((limit) => (
          <option key={limit} value={limit} disabled={limit !== "control totals" && !first(limit)}>
            {KINDS[limit].offer}
          </option>
        ))}
      </select>
    </>
  );
}

function TakeOut({ set }: { set: (gate: null) => void }) {
  return (
    <button type="button" className="plain held" onClick={() => set(null)}>
      take out
    </button>
  );
}

function NumberBox({
  label,
  value,
  most,
  set,
}: {
  label: string;
  value: number;
  most: number;
  set: (n: number) => void;
}) {
  return (
    <input
      type="number"
      min={0}
      max={most}
      className="input input-xs max-w-20 text-right"
      aria-label={label}
      value={value}
      onChange={(e) => set(Math.min(most, Math.max(0, Number(e.target.value))))}
    />
  );
}

function FieldGate({
  gate,
  fields,
  set,
}: {
  gate: Exclude<Figured, Control>;
  fields: readonly Field[];
  set: (gate: Gate | null) => void;
}) {
  const of = fields.filter((f) => KINDS[gate.limit].types.includes(f.type));
  const field = (
    <select
      className="select select-xs max-w-40"
      aria-label={`Field of the gate ${gate.limit}`}
      value={gate.field}
      onChange={(e) => set({ ...gate, field: e.target.value })}
    >
      {of.map((f) => (
        <option key={f.name}>{f.name}</option>
      ))}
    </select>
  );
  const label = `Limit of ${gate.limit} of ${gate.field}`;
  const percent = (share: number): number => Math.round(share * 1000) / 10;
  return (
    <div className="flex flex-wrap items-center gap-2 py-0.5">
      {gate.limit === "freshness" ? (
        <>
          newest {field} older than{" "}
          <NumberBox label={label} value={gate.days} most={36_500} set={(days) => set({ ...gate, days })} /> days
        </>
      ) : gate.limit === "distribution against history" ? (
        <>
          values of {field} others than usual in over
          <NumberBox
            label={label}
            value={percent(gate.over)}
            most={100}
            set={(n) => set({ ...gate, over: n / 100 })}
          />{" "}
          %
        </>
      ) : (
        <>
          {gate.limit === "sum against history" ? "sum" : "mean"} of {field} off the usual by over
          <NumberBox
            label={label}
            value={percent(gate.share)}
            most={1000}
            set={(n) => set({ ...gate, share: n / 100 })}
          />{" "}
          %
        </>
      )}
      <TakeOut set={set} />
    </div>
  );
}

function groupNames(find: string): readonly string[] {
  try {
    return compilePattern(find).names;
  } catch {
    return [];
  }
}

/** Totals that the sender says, and where they are found. */
function ControlGate({
  gate,
  fields,
  set,
}: {
  gate: Control;
  fields: readonly Field[];
  set: (gate: Gate | null) => void;
}) {
  const names = groupNames(gate.find);
  const numbers = fields.filter((f) => NUMBERS.includes(f.type));
  const sums = gate.sums ?? [];
  const setSums = (next: typeof sums): void => {
    const { sums: _, ...others } = gate;
    set(next.length > 0 ? { ...others, sums: next } : others);
  };
  const choice = (
    label: string,
    value: string,
    options: readonly string[],
    choose: (v: string) => void,
    none?: string,
  ) => (
    <select
      className="select select-xs max-w-36"
      aria-label={label}
      value={value}
      onChange={(e) => choose(e.target.value)}
    >
      {none !== undefined && <option value="">{none}</option>}
      {options.map((o) => (
        <option key={o}>{o}</option>
      ))}
    </select>
  );
  return (
    <div className="my-1 border-l-4 border-[var(--rule)] py-0.5 pl-2">
      <div className="flex flex-wrap items-center gap-2">
        totals that the sender says in
        {choice("Where the totals are", gate.in, ["side file", "last lines"], (v) => {
          const { name: _, ...others } = gate;
          set(v === "last lines" ? { ...others, in: v } : { ...others, in: "side file", name: "*.ctl" });
        })}
        {gate.in === "side file" && (
          <input
            className="input input-xs max-w-32 font-mono"
            aria-label="Name of the side file"
            value={gate.name ?? ""}
            onChange={(e) => set({ ...gate, name: e.target.value })}
          />
        )}
        <TakeOut set={set} />
      </div>
      <label className="mt-1 flex items-center gap-2">
        pattern
        <input
          className="input input-xs font-mono"
          aria-label="Pattern of the totals, with a named group for each"
          placeholder="END;(?P<records>\d+);(?P<grams>[\d.]+)"
          value={gate.find}
          onChange={(e) => set({ ...gate, find: e.target.value })}
        />
      </label>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        records are
        {choice(
          "Group of the number of records",
          gate.records ?? "",
          names,
          (v) => {
            const { records: _, ...others } = gate;
            set(v === "" ? others : { ...others, records: v });
          },
          "not said",
        )}
        {sums.map((s, i) => (
          <span key={i} className="flex items-center gap-2">
            sum of
            {choice(
              `Field of sum ${i + 1}`,
              s.field,
              numbers.map((f) => f.name),
              (v) => setSums(sums.map((x, k) => (k === i ? { ...x, field: v } : x))),
            )}
            is
            {choice(`Group of sum ${i + 1}`, s.group, names, (v) =>
              setSums(sums.map((x, k) => (k === i ? { ...x, group: v } : x))),
            )}
            <button
              type="button"
              className="plain held"
              aria-label={`Take sum ${i + 1} out`}
              onClick={() => setSums(sums.filter((_, k) => k !== i))}
            >
              out
            </button>
          </span>
        ))}
        {numbers.length > 0 && names.length > 0 && (
          <button
            type="button"
            className="plain"
            onClick={() => setSums([...sums, { field: numbers[0]!.name, group: names.at(-1)! }])}
          >
            one more sum
          </button>
        )}
      </div>
    </div>
  );
}
