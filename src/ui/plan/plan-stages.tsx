"use client";

import { withoutArriving } from "@/core/plan/arriving.ts";
import type { Plan } from "@/core/plan/schema.ts";
import type { Gate } from "@/core/gate/index.ts";
import { ArrivingTable } from "./load/arriving-table.tsx";
import { FigureGates } from "./load/gate-list.tsx";
import { ReadForm } from "./read/read-form.tsx";
import { TargetPanel } from "./load/target-panel.tsx";

interface StageProps {
  plan: Plan;
  change: (plan: Plan) => void;
}

/** How files are read. */
export function ReadStage({ plan, change }: StageProps) {
  return (
    <div className="max-w-2xl">
      <ReadForm read={plan.read} set={(read) => change({ ...plan, read })} />
    </div>
  );
}

/** Where good records go, by which key, and past which limits a load stops. */
export function LoadStage({ plan, change }: StageProps) {
  const { load, gates } = plan;
  const share = gates.find((g): g is Extract<Gate, { limit: "held share" }> => g.limit === "held share");
  const setGate = (limit: Gate["limit"], gate: Gate | null): void =>
    change({ ...plan, gates: [...gates.filter((g) => g.limit !== limit), ...(gate ? [gate] : [])] });
  const has = (limit: Gate["limit"]): boolean => gates.some((g) => g.limit === limit);
  return (
    <div className="grid grid-cols-1 gap-8 xl:grid-cols-2">
      <div>
        <div className="grid grid-cols-[9rem_1fr] items-center gap-x-4 gap-y-2">
          <label htmlFor="load-target">target table</label>
          <input
            id="load-target"
            className="input input-sm"
            key={`${load.schema}.${load.target}`}
            defaultValue={load.target}
            onBlur={(e) => {
              const name = e.target.value.trim();
              // Another name is a table of Good Sieve's own again.
              const { schema: _, ...own } = load;
              if (name !== load.target) change({ ...plan, load: { ...own, target: name } });
            }}
          />
          <label htmlFor="load-mode">mode</label>
          <select
            id="load-mode"
            className="select select-sm"
            value={load.mode}
            onChange={(e) => {
              const { whole_record: _, arriving, ...others } = load;
              const mode = e.target.value as Plan["load"]["mode"];
              change({ ...plan, load: { ...others, mode, ...(mode === "upsert" && arriving ? { arriving } : {}) } });
            }}
          >
            <option value="append">append: add; a key that is there already is held</option>
            <option value="replace">replace all: empty the target first</option>
            <option value="upsert">upsert: add what is new, update what differs</option>
          </select>
        </div>
        <fieldset className="mt-3">
          <legend className="faint text-sm font-bold">
            Key: the fields that together tell one record from another
          </legend>
          <div className="flex flex-wrap gap-x-4">
            {plan.contract.fields.map((f) => (
              <label key={f.name} className="flex items-center gap-1">
                <input
                  type="checkbox"
                  checked={load.key.includes(f.name)}
                  onChange={(e) => {
                    const key = plan.contract.fields
                      .map((x) => x.name)
                      .filter((n) => (n === f.name ? e.target.checked : load.key.includes(n)));
                    const { whole_record: _, ...others } = load;
                    change({ ...plan, load: withoutArriving({ ...others, key }, key) });
                  }}
                />
                {f.name}
              </label>
            ))}
          </div>
        </fieldset>
        {load.key.length === 0 && (
          <label className="mt-2 flex items-start gap-2">
            <input
              type="checkbox"
              className="mt-1"
              checked={load.whole_record === true}
              onChange={(e) => {
                const { whole_record: _, arriving: __, ...others } = load;
                change({
                  ...plan,
                  load: e.target.checked
                    ? { ...others, mode: "upsert", whole_record: true }
                    : { ...others, mode: others.mode === "upsert" ? "append" : others.mode },
                });
              }}
            />
            <span>
              none: the whole record is the key
              <span className="faint"> – what is there already, alike in all fields, is not put there again</span>
            </span>
          </label>
        )}
        {load.mode === "upsert" && load.key.length > 0 && <ArrivingTable plan={plan} change={change} />}
        <label className="mt-3 flex items-center gap-2">
          <input
            type="checkbox"
            checked={load.undo !== false}
            onChange={(e) => {
              const { undo: _, ...others } = load;
              change({ ...plan, load: e.target.checked ? others : { ...others, undo: false } });
            }}
          />
          keep rows as they were before a load changes them, so that it can be undone
        </label>
        <h2 className="mt-4">Gates: past these a load stops before the target is touched</h2>
        <ShareGate
          says="held share over"
          label="Held share in per cent"
          share={share?.over ?? null}
          unless={0.2}
          set={(over) => setGate("held share", over === null ? null : { limit: "held share", over })}
        />
        <LoadedBeforeGate gates={gates} keyless={load.mode === "append" && load.key.length === 0} set={setGate} />
        {(["nothing read", "required column missing"] as const).map((limit) => (
          <label key={limit} className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              checked={has(limit)}
              onChange={(e) => setGate(limit, e.target.checked ? { limit } : null)}
            />
            {limit}
          </label>
        ))}
        <CountGate plan={plan} setGate={setGate} />
        <HistoryGates plan={plan} setGate={setGate} />
        <EmptyGates plan={plan} change={change} />
        <FigureGates plan={plan} change={change} />
      </div>
      <TargetPanel plan={plan} change={change} />
    </div>
  );
}

/** That a load has about as many records as it should. */
function CountGate({ plan, setGate }: { plan: Plan; setGate: (limit: Gate["limit"], gate: Gate | null) => void }) {
  const gate = plan.gates.find(
    (g): g is Extract<Gate, { limit: "number of records" }> => g.limit === "number of records",
  );
  const set = (side: "least" | "most", text: string): void => {
    const next = { ...gate, limit: "number of records" as const };
    if (text === "") delete next[side];
    else next[side] = Math.max(0, Math.floor(Number(text)));
    setGate("number of records", next.least === undefined && next.most === undefined ? null : next);
  };
  return (
    <div className="flex items-center gap-2 py-0.5 whitespace-nowrap">
      number of records from
      {(["least", "most"] as const).map((side) => (
        <span key={side} className="contents">
          {side === "most" && "to"}
          <input
            type="number"
            min={0}
            className="input input-xs max-w-24 text-right"
            aria-label={side === "least" ? "Least number of records" : "Greatest number of records"}
            placeholder="any"
            value={gate?.[side] ?? ""}
            onChange={(e) => set(side, e.target.value)}
          />
        </span>
      ))}
    </div>
  );
}

/** That a load is like the ones that the sender had before. */
function HistoryGates({ plan, setGate }: { plan: Plan; setGate: (limit: Gate["limit"], gate: Gate | null) => void }) {
  const records = plan.gates.find(
    (g): g is Extract<Gate, { limit: "records against history" }> => g.limit === "records against history",
  );
  const empty = plan.gates.find(
    (g): g is Extract<Gate, { limit: "empty cells against history" }> => g.limit === "empty cells against history",
  );
  const input = (label: string, value: number | undefined, set: (share: number) => void) => (
    <input
      type="number"
      min={0}
      max={1000}
      className="input input-xs max-w-20 text-right"
      aria-label={label}
      disabled={value === undefined}
      value={value === undefined ? "" : Math.round(value * 1000) / 10}
      onChange={(e) => set(Math.max(0, Number(e.target.value) / 100))}
    />
  );
  const counts = "records against history" as const;
  const cells = "empty cells against history" as const;
  return (
    <>
      <label className="flex items-center gap-2 py-0.5 whitespace-nowrap">
        <input
          type="checkbox"
          checked={records !== undefined}
          onChange={(e) => setGate(counts, e.target.checked ? { limit: counts, share: 0.5 } : null)}
        />
        records more or less than usual by
        {input("More or less than usual in per cent", records?.share, (share) =>
          setGate(counts, { limit: counts, share: Math.min(10, share) }),
        )}
        %
      </label>
      <label className="flex items-center gap-2 py-0.5 whitespace-nowrap">
        <input
          type="checkbox"
          checked={empty !== undefined}
          onChange={(e) => setGate(cells, e.target.checked ? { limit: cells, over: 0.1 } : null)}
        />
        a field emptier than usual by
        {input("Emptier than usual in per cent of the cells", empty?.over, (over) =>
          setGate(cells, { limit: cells, over: Math.min(1, over) }),
        )}
        % of its cells
      </label>
    </>
  );
}

/** Fields of which no more than a share may be empty. */
function EmptyGates({ plan, change }: StageProps) {
  const rest = plan.gates.filter((g) => g.limit !== "empty share");
  const gates = plan.gates.filter((g): g is Extract<Gate, { limit: "empty share" }> => g.limit === "empty share");
  const set = (next: typeof gates): void => change({ ...plan, gates: [...rest, ...next] });
  return (
    <>
      {gates.map((g, i) => (
        <div key={g.field} className="flex items-center gap-2 py-0.5 whitespace-nowrap">
          <b>{g.field}</b> empty in more than
          <input
            type="number"
            min={0}
            max={100}
            className="input input-xs max-w-20 text-right"
            aria-label={`Empty share of ${g.field} in per cent`}
            value={Math.round(g.over * 1000) / 10}
            onChange={(e) =>
              set(
                gates.map((x, k) =>
                  k === i ? { ...x, over: Math.min(1, Math.max(0, Number(e.target.value) / 100)) } : x,
                ),
              )
            }
          />
          %
          <button type="button" className="plain held" onClick={() => set(gates.filter((_, k) => k !== i))}>
            take out
          </button>
        </div>
      ))}
      <select
        className="select select-xs mt-1 max-w-72"
        aria-label="Add a limit on empty cells of a field"
        value=""
        onChange={(e) => e.target.value && set([...gates, { limit: "empty share", field: e.target.value, over: 0.1 }])}
      >
        <option value="">add: a field that must not be empty too often</option>
        {plan.contract.fields
          .filter((f) => !gates.some((g) => g.field === f.name))
          .map((f) => (
            <option key={f.name}>{f.name}</option>
          ))}
      </select>
    </>
  );
}

/** The gate on deliveries that are mostly there already. Records without a key have one at half unless the plan says otherwise. */
function LoadedBeforeGate({
  gates,
  keyless,
  set,
}: {
  gates: readonly Gate[];
  keyless: boolean;
  set: (limit: Gate["limit"], gate: Gate | null) => void;
}) {
  const own = gates.find((g): g is Extract<Gate, { limit: "loaded before" }> => g.limit === "loaded before");
  return (
    <ShareGate
      says="share of records that the target has already over"
      label="Share of records that the target has already, in per cent"
      share={own?.over ?? (keyless ? 0.5 : null)}
      unless={0.5}
      fixed={keyless && own === undefined}
      set={(over) => set("loaded before", over === null ? null : { limit: "loaded before", over })}
    >
      {keyless && <span className="faint">as there is no key</span>}
    </ShareGate>
  );
}

/** A gate that is a share of records: whether there is one, and past how many per cent it closes. */
function ShareGate({
  says,
  label,
  share,
  unless,
  fixed = false,
  set,
  children,
}: {
  says: string;
  /** Of the number. */
  label: string;
  /** Null where there is no such gate. */
  share: number | null;
  /** The share that it has when it is switched on. */
  unless: number;
  /** It can't be switched off. */
  fixed?: boolean;
  set: (share: number | null) => void;
  children?: React.ReactNode;
}) {
  return (
    <label className="flex items-center gap-2 py-0.5">
      <input
        type="checkbox"
        checked={share !== null}
        disabled={fixed}
        onChange={(e) => set(e.target.checked ? unless : null)}
      />
      {says}
      <input
        type="number"
        min={0}
        max={100}
        step={1}
        className="input input-xs max-w-20 text-right"
        aria-label={label}
        disabled={share === null}
        value={share === null ? "" : Math.round(share * 1000) / 10}
        onChange={(e) => set(Math.min(1, Math.max(0, Number(e.target.value) / 100)))}
      />
      % {children}
    </label>
  );
}
