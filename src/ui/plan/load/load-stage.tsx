"use client";

import type { Plan } from "@/core/plan/document.ts";
import { targetFields } from "@/core/plan/target-fields.ts";
import { AfterList } from "./after-list.tsx";
import { ArrivingTable } from "./arriving-table.tsx";
import { CopyList, CopyOutlooks } from "./copy-list.tsx";
import { DefaultPanel } from "./default-panel.tsx";
import { FurtherList } from "./further-list.tsx";
import { GateList } from "./gate-list.tsx";
import { GonePanel } from "./gone-panel.tsx";
import { IndexPanel } from "./index-panel.tsx";
import { modeOf, withCopies, withKey, withMode, withOption, withWholeRecord, type Mode } from "./load-edits.ts";
import { NameInput } from "./name-input.tsx";
import { ParameterList } from "./parameter-list.tsx";
import { SlicePanel } from "./slice-panel.tsx";
import { TargetPanel } from "./target-panel.tsx";
import { WithoutPanel } from "./without-panel.tsx";

interface Props {
  plan: Plan;
  change: (plan: Plan) => void;
}

/** Where good records go, by which key, and past which limits a load stops. */
export function LoadStage({ plan, change }: Props) {
  const { load } = plan;
  return (
    <div className="grid grid-cols-1 gap-8 xl:grid-cols-2">
      <div>
        <TargetAndMode plan={plan} change={change} />
        <KeyFields plan={plan} change={change} />
        {load.mode === "replace" && <SlicePanel plan={plan} change={change} />}
        {load.mode === "upsert" && load.key.length > 0 && (
          <>
            {!plan.match && load.only !== "insert" && <GonePanel plan={plan} change={change} />}
            {load.only !== "insert" && <ArrivingTable plan={plan} change={change} />}
          </>
        )}
        <WhatIsKept plan={plan} change={change} />
        <h2 className="mt-4">Gates: past these a load stops before the target is touched</h2>
        <GateList plan={plan} change={change} />
        <AfterList plan={plan} change={change} />
        <ParameterList plan={plan} change={change} />
      </div>
      <div className="min-w-0">
        <TargetPanel plan={plan} change={change} />
        {!plan.match && <WithoutPanel plan={plan} change={change} />}
        {load.schema === undefined && <OwnTable plan={plan} change={change} />}
        {load.key.length > 0 && <Copies plan={plan} change={change} />}
        <FurtherList plan={plan} change={change} />
      </div>
    </div>
  );
}

/** The table's name, and what a load does with its rows. */
function TargetAndMode({ plan, change }: Props) {
  const { load } = plan;
  return (
    <div className="grid grid-cols-[9rem_1fr] items-center gap-x-4 gap-y-2">
      <label htmlFor="load-target">target table</label>
      <input
        id="load-target"
        className="input input-sm text-sm"
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
        className="select select-sm text-sm"
        value={modeOf(load)}
        onChange={(e) => {
          change({ ...plan, load: withMode(load, e.target.value as Mode) });
        }}
      >
        <option value="append">append: add; a key that is there already is held</option>
        <option value="replace">replace: what comes is put in the place of what is there</option>
        <option value="upsert">upsert: add what is new, update what differs</option>
        {load.key.length > 0 && !plan.match && (
          <>
            <option value="insert">insert only: add what is new; rows that are there stay as they are</option>
            <option value="update">update only: change rows that are there; a key without a row is held</option>
          </>
        )}
      </select>
    </div>
  );
}

/** The fields of the key, or that the whole record is it. */
function KeyFields({ plan, change }: Props) {
  const { load } = plan;
  return (
    <>
      <fieldset className="mt-3">
        <legend className="faint text-sm font-bold">Key: the fields that together tell one record from another</legend>
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
                  change({ ...plan, load: withKey(load, key) });
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
            onChange={(e) => change({ ...plan, load: withWholeRecord(load, e.target.checked) })}
          />
          <span>
            none: the whole record is the key
            <span className="faint"> – what is there already, alike in all fields, is not put there again</span>
          </span>
        </label>
      )}
    </>
  );
}

/** What is kept of rows and records beside the target, and for whom. */
function WhatIsKept({ plan, change }: Props) {
  const { load } = plan;
  return (
    <>
      <label className="mt-3 flex items-center gap-2">
        <input
          type="checkbox"
          checked={load.undo !== false}
          onChange={(e) => change(withOption(plan, "undo", e.target.checked ? undefined : false))}
        />
        keep rows as they were before a load changes them, so that it can be undone
      </label>
      <label className="mt-2 flex flex-wrap items-center gap-2">
        others of the database see what is held in the view
        <NameInput value={load.held_in} set={(name) => change(withOption(plan, "held_in", name))} />
      </label>
      <label className="mt-2 flex flex-wrap items-center gap-2">
        a held record is late after
        <input
          type="number"
          className="input input-sm !w-20 text-sm"
          min={1}
          max={365}
          placeholder="never"
          value={load.held_days ?? ""}
          onChange={(e) => {
            const days = Math.min(365, Math.floor(Number(e.target.value)));
            change(withOption(plan, "held_days", days >= 1 ? days : undefined));
          }}
        />
        days
      </label>
    </>
  );
}

/** What a table of Good Sieve's own has beside its columns. */
function OwnTable({ plan, change }: Props) {
  const { target, indexes, defaults } = plan.load;
  const names = targetFields(plan).map((f) => f.name);
  return (
    <>
      <IndexPanel of={target} {...{ names, indexes }} set={(to) => change(withOption(plan, "indexes", to))} />
      <DefaultPanel of={target} {...{ names, defaults }} set={(to) => change(withOption(plan, "defaults", to))} />
      <label className="mt-2 flex items-center gap-2">
        <input
          type="checkbox"
          checked={plan.load.comments === true}
          onChange={(e) => change(withOption(plan, "comments", e.target.checked || undefined))}
        />
        its columns say in the database what their fields are called
      </label>
    </>
  );
}

function Copies({ plan, change }: Props) {
  const { target, copies } = plan.load;
  return (
    <section className="mt-4" aria-label="Copies">
      <h2>Copies in other databases</h2>
      <p className="faint max-w-prose">
        Each has the same rows, and is changed together with its table, or not at all. Connections are made from a
        shell.
      </p>
      <CopyList of={target} copies={copies} set={(to) => change(withCopies(plan, to))} />
      <CopyOutlooks plan={plan} />
    </section>
  );
}
