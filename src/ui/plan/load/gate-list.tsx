"use client";

import { z } from "zod";
import { GATE_PARTS } from "@/core/gate/parts.ts";
import { gatePartOf, type Gate, type GateId } from "@/core/gate/index.ts";
import { loadedBeforeGate } from "@/core/gate/loaded-before.ts";
import type { GateControl } from "@/core/gate/part.ts";
import { compilePattern } from "@/core/kernel/pattern.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { Choice } from "../../kit/choice.tsx";
import type { TypeId } from "@/core/type/index.ts";

type Control = Extract<Gate, { limit: "control totals" }>;
type Options = Readonly<Record<string, unknown>>;

const NUMBERS: readonly TypeId[] = ["integer", "decimal"];

/** The gates of a plan, each a line that says what it does, and a choice of those that it could have as well. */
export function GateList({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { gates } = plan;
  const { fields } = plan.contract;
  const set = (i: number, gate: Gate | null): void =>
    change({ ...plan, gates: gates.flatMap((g, k) => (k === i ? (gate ? [gate] : []) : [g])) });
  const fitting = (types: readonly TypeId[] | undefined): Field | undefined =>
    fields.find((f) => !types || types.includes(f.type));
  /** Whether a plan can have one more gate of a kind. */
  const fits = (id: GateId): boolean => {
    const part = gatePartOf(id);
    if (part.once && gates.some((g) => g.limit === id)) return false;
    return !Object.values(part.controls).includes("field") || fitting(part.types) !== undefined;
  };
  const add = (id: GateId): void => {
    const part = gatePartOf(id);
    const gate = { limit: id, ...part.begin(fitting(part.types)?.name ?? "") } as Gate;
    change({ ...plan, gates: [...gates, gate] });
  };
  const implied = loadedBeforeGate(plan);
  return (
    <>
      {gates.map((gate, i) =>
        gate.limit === "control totals" ? (
          <ControlGate key={i} gate={gate} fields={fields} set={(next) => set(i, next)} />
        ) : (
          <GateLine key={i} gate={gate} fields={fields} set={(next) => set(i, next)} />
        ),
      )}
      {implied && !implied.own && (
        <div className="flex items-baseline gap-2 py-0.5">
          share of records that the target has already over {implied.over * 100} %
          <span className="faint">as there is no key</span>
          <button type="button" className="plain" onClick={() => add("loaded before")}>
            set it
          </button>
        </div>
      )}
      <select
        className="select select-xs mt-1 max-w-96"
        aria-label="Add a gate"
        value=""
        onChange={(e) => e.target.value && add(e.target.value as GateId)}
      >
        <option value="">add: a limit past which a load stops</option>
        {GATE_PARTS.map(({ id, title }) => (
          <option key={id} value={id} disabled={!fits(id)}>
            {title}
          </option>
        ))}
      </select>
    </>
  );
}

function TakeOut({ set, of }: { set: (gate: null) => void; of: string }) {
  return (
    <button type="button" className="plain held" aria-label={`Take out the gate on ${of}`} onClick={() => set(null)}>
      take out
    </button>
  );
}

/** A gate as its part says it, with a control for each of its options. */
function GateLine({ gate, fields, set }: { gate: Gate; fields: readonly Field[]; set: (gate: Gate | null) => void }) {
  const part = gatePartOf(gate.limit);
  const options = gate as Options;
  // Every second piece is an option's name.
  const pieces = (part.sentence ?? part.title).split(/\{(\w+)\}/);
  return (
    <div className="flex flex-wrap items-center gap-2 py-0.5">
      {pieces.map((piece, i) =>
        i % 2 === 0 ? (
          piece.trim() === "" ? null : (
            <span key={i}>{piece.trim()}</span>
          )
        ) : (
          <OptionControl
            key={i}
            label={`${part.title}: ${piece}`}
            kind={part.controls[piece]!}
            value={options[piece]}
            most={mostOf(part.options[piece]!)}
            names={fields.filter((f) => !part.types || part.types.includes(f.type)).map((f) => f.name)}
            set={(value) => {
              const { [piece]: _, ...others } = options;
              set((value === undefined ? others : { ...options, [piece]: value }) as Gate);
            }}
          />
        ),
      )}
      <TakeOut set={set} of={part.title} />
    </div>
  );
}

/** The greatest value that an option takes. */
function mostOf(option: z.core.$ZodType): number {
  return z.toJSONSchema(option).maximum ?? Infinity;
}

/** An option of a gate: a share is set in per cent, an empty number is none. */
function OptionControl({
  label,
  kind,
  value,
  most,
  names,
  set,
}: {
  label: string;
  kind: GateControl;
  value: unknown;
  most: number;
  names: readonly string[];
  set: (value: string | number | undefined) => void;
}) {
  if (kind === "field") {
    return (
      <select
        className="select select-xs max-w-36"
        aria-label={label}
        value={String(value)}
        onChange={(e) => set(e.target.value)}
      >
        {names.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
    );
  }
  const share = kind === "share";
  const shown = value === undefined ? "" : share ? Math.round(Number(value) * 1000) / 10 : Number(value);
  return (
    <input
      type="number"
      min={0}
      className="input input-xs max-w-20 text-right"
      aria-label={share ? `${label}, in per cent` : label}
      placeholder="any"
      value={shown}
      onChange={(e) => {
        const n = Math.min(share ? most * 100 : most, Math.max(0, Number(e.target.value)));
        if (share) set(n / 100);
        else set(e.target.value === "" ? undefined : Math.floor(n));
      }}
    />
  );
}

function groupNames(find: string): readonly string[] {
  try {
    return compilePattern(find).names;
  } catch {
    return [];
  }
}

/** Sums that the sender says: of which fields, and where in the pattern. */
function Sums({
  sums,
  fields,
  groups,
  put,
}: {
  sums: NonNullable<Control["sums"]>;
  /** Names of fields that can be added up. */
  fields: readonly string[];
  /** Names of the pattern's groups. */
  groups: readonly string[];
  put: (sums: NonNullable<Control["sums"]>) => void;
}) {
  const change = (at: number, part: Partial<(typeof sums)[number]>): void =>
    put(sums.map((s, i) => (i === at ? { ...s, ...part } : s)));
  return (
    <>
      {sums.map((s, i) => (
        <span key={i} className="flex items-center gap-2 whitespace-nowrap">
          sum of
          <Choice
            small
            width="max-w-36"
            label={`Field of sum ${i + 1}`}
            value={s.field}
            options={fields}
            set={(field) => change(i, { field })}
          />
          is
          <Choice
            small
            width="max-w-36"
            label={`Group of sum ${i + 1}`}
            value={s.group}
            options={groups}
            set={(group) => change(i, { group })}
          />
          <button
            type="button"
            className="plain held"
            aria-label={`Take sum ${i + 1} out`}
            onClick={() => put(sums.filter((_, k) => k !== i))}
          >
            out
          </button>
        </span>
      ))}
      {fields.length > 0 && groups.length > 0 && (
        <button
          type="button"
          className="plain"
          onClick={() => put([...sums, { field: fields[0]!, group: groups.at(-1)! }])}
        >
          one more sum
        </button>
      )}
    </>
  );
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
  return (
    <div className="my-1 border-l-4 border-[var(--rule)] py-0.5 pl-2">
      <div className="flex flex-wrap items-center gap-2">
        totals that the sender says in
        <Choice
          small
          width="max-w-36"
          label="Where the totals are"
          value={gate.in}
          options={["side file", "last lines"]}
          set={(v) => {
            const { name: _, ...others } = gate;
            set(v === "last lines" ? { ...others, in: v } : { ...others, in: "side file", name: "*.ctl" });
          }}
        />
        {gate.in === "side file" && (
          <input
            className="input input-xs max-w-32 font-mono"
            aria-label="Name of the side file"
            value={gate.name ?? ""}
            onChange={(e) => set({ ...gate, name: e.target.value })}
          />
        )}
        <TakeOut set={set} of="totals that the sender says" />
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
        <Choice
          small
          width="max-w-36"
          label="Group of the number of records"
          value={gate.records ?? ""}
          options={names}
          none="not said"
          set={(v) => {
            const { records: _, ...others } = gate;
            set(v === "" ? others : { ...others, records: v });
          }}
        />
        <Sums sums={sums} fields={numbers.map((f) => f.name)} groups={names} put={setSums} />
      </div>
    </div>
  );
}
