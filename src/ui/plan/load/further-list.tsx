"use client";

import { FURTHER_MODES, type Further } from "@/core/plan/further-schema.ts";
import { furtherFields, furtherWords } from "@/core/plan/further.ts";
import type { Plan } from "@/core/plan/document.ts";
import { FormulaEditor } from "../../formulas/formula-editor.tsx";
import { CopyList } from "./copy-list.tsx";
import { DefaultPanel } from "./default-panel.tsx";
import { IndexPanel } from "./index-panel.tsx";
import { Columns, type ListProps, type OneProps } from "./further-columns.tsx";
import { NameInput } from "./name-input.tsx";
import {
  addFurther,
  moveUp,
  setEach,
  setFurther,
  setMode,
  setRows,
  withTheirCopies,
  withTheirTable,
} from "./further-edits.ts";

const NAME = "[a-zA-Z_][a-zA-Z0-9_]{0,62}";

/** The tables that a load writes beside the plan's own, in their order. */
export function FurtherList({ plan, change }: ListProps) {
  const list = plan.load.further ?? [];
  return (
    <section className="mt-6" aria-label="Further targets">
      <h2>Further targets</h2>
      {list.length === 0 && (
        <p className="max-w-prose">
          None: what is accepted goes to {plan.load.target} alone. Other tables can be written in the same transaction:
          those records for which a formula is true, one row for many records with their sums, a row for each value of a
          list, a parent whose number is handed on.
        </p>
      )}
      {list.map((further, i) => (
        <OneFurther key={i} {...{ plan, further, at: i, change }} />
      ))}
      {plan.match ? (
        <p className="faint">
          Records that are matched may become part of others: give them to a feed of their own after the load instead.
        </p>
      ) : (
        <button type="button" className="btn btn-line btn-sm mt-1" onClick={() => change(addFurther(plan))}>
          Add a target
        </button>
      )}
      {list.length > 0 && <OwnNumbers plan={plan} change={change} />}
    </section>
  );
}

/** The column by which the plan's own target numbers its rows, for others to take. */
function OwnNumbers({ plan, change }: ListProps) {
  const { numbered, ...load } = plan.load;
  if (load.schema !== undefined) return null;
  return (
    <label className="mt-2 flex flex-wrap items-center gap-2">
      <span>rows of {load.target} itself are numbered by the column</span>
      <NameInput
        value={numbered}
        set={(name) => change({ ...plan, load: name === undefined ? load : { ...load, numbered: name } })}
      />
    </label>
  );
}

function OneFurther({ plan, further, at, change }: OneProps) {
  const put = (next: Further | null): void => change(setFurther(plan, at, next));
  const { where, ...unfiltered } = further;
  return (
    <fieldset
      className="mb-3 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2"
      aria-label={`Further target ${further.target}`}
    >
      <Heading {...{ plan, further, at, change }} />
      <RowsOf plan={plan} further={further} put={put} />
      <div className="mt-2">
        <span className="faint">only records for which this is true (all unless said)</span>
        <FormulaEditor
          label={`Which records go to ${further.target}`}
          value={where ?? ""}
          scope={{ fields: plan.contract.fields, named: plan.formulas }}
          placeholder="quantity_g > 0.0"
          onChange={(text) => put(text.trim() === "" ? unfiltered : { ...further, where: text })}
        />
      </div>
      <Columns {...{ plan, further, at, change }} />
      <HandOn {...{ plan, further, at, change }} />
      {further.schema === undefined && <TableOf plan={plan} further={further} put={put} />}
      {further.key.length > 0 && (
        <CopyList of={further.target} copies={further.copies} set={(to) => put(withTheirCopies(further, to))} />
      )}
      <p className="faint mt-1">{furtherWords(further)}</p>
    </fieldset>
  );
}

/** What a table of Good Sieve's own has beside its columns. */
function TableOf({ plan, further, put }: { plan: Plan; further: Further; put: (next: Further) => void }) {
  const { target, indexes, defaults } = further;
  const names = furtherFields(plan, further).map((f) => f.name);
  return (
    <>
      <IndexPanel
        of={target}
        {...{ names, indexes }}
        set={(to) => put(withTheirTable(further, { indexes: to, defaults }))}
      />
      <DefaultPanel
        of={target}
        {...{ names, defaults }}
        set={(to) => put(withTheirTable(further, { indexes, defaults: to }))}
      />
    </>
  );
}

/** Its name, and when it is written. */
function Heading({ plan, further, at, change }: OneProps) {
  const put = (next: Further | null): void => change(setFurther(plan, at, next));
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <input
        className="input input-sm !w-48 font-bold"
        aria-label="Table"
        key={further.target}
        defaultValue={further.target}
        pattern={NAME}
        onBlur={(e) => {
          const target = e.target.value.trim();
          // Another name is a table of Good Sieve's own again.
          const { schema: _, ...own } = further;
          if (target !== further.target && target !== "" && e.target.validity.valid) put({ ...own, target });
        }}
      />
      <select
        className="select select-sm !w-44 text-sm"
        aria-label={`When ${further.target} is written`}
        value={further.turn}
        onChange={(e) => put({ ...further, turn: e.target.value as Further["turn"] })}
      >
        <option value="before">before {plan.load.target}</option>
        <option value="after">after {plan.load.target}</option>
      </select>
      <span className="ml-auto flex gap-3">
        {at > 0 && (
          <button type="button" className="plain" onClick={() => change(moveUp(plan, at))}>
            earlier
          </button>
        )}
        <button
          type="button"
          className="plain held"
          aria-label={`Take out the target ${further.target}`}
          onClick={() => put(null)}
        >
          take out
        </button>
      </span>
    </div>
  );
}

/** How it is written, and what makes a row of it. */
function RowsOf({ plan, further, put }: { plan: Plan; further: Further; put: (next: Further) => void }) {
  const lists = plan.contract.fields.filter((f) => f.type === "list");
  const { numbered, ...unnumbered } = further;
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-2">
      <select
        className="select select-sm !w-40 text-sm"
        aria-label={`How ${further.target} is written`}
        value={further.mode}
        onChange={(e) => put(setMode(further, e.target.value as Further["mode"]))}
      >
        {FURTHER_MODES.map((mode) => (
          <option key={mode}>{mode}</option>
        ))}
      </select>
      <select
        className="select select-sm !w-72 text-sm"
        aria-label={`What makes a row of ${further.target}`}
        value={further.rows}
        onChange={(e) => put(setRows(further, plan, e.target.value as Further["rows"]))}
      >
        <option value="record">each makes a row</option>
        <option value="key">all with the same key make one row</option>
      </select>
      {lists.length > 0 && (
        <select
          className="select select-sm !w-52 text-sm"
          aria-label={`Of what a row of ${further.target} is made`}
          value={further.each ?? ""}
          onChange={(e) => put(setEach(further, e.target.value))}
        >
          <option value="">of records</option>
          {lists.map((f) => (
            <option key={f.name} value={f.name}>
              of the values of {f.name}
            </option>
          ))}
        </select>
      )}
      {further.schema === undefined && (
        <label className="flex items-center gap-2">
          <span className="faint">numbered by</span>
          <NameInput
            value={numbered}
            set={(name) => put(name === undefined ? unnumbered : { ...further, numbered: name })}
          />
        </label>
      )}
    </div>
  );
}

/** The field of the plan's own target that gets the number of its row here. */
function HandOn({ plan, further, change }: OneProps) {
  const { numbered, target, turn } = further;
  if (turn !== "before" || numbered === undefined) return null;
  const { taken_from: taken = [], ...load } = plan.load;
  const own = taken.find((t) => t.from.target === target);
  const free = plan.contract.fields.filter((f) => !load.key.includes(f.name) && !f.required);
  return (
    <label className="mt-2 flex flex-wrap items-center gap-2">
      <span>
        {numbered} is handed on to {plan.load.target} as
      </span>
      <select
        className="select select-sm !w-52 text-sm"
        value={own?.field ?? ""}
        onChange={(e) => {
          const others = taken.filter((t) => t !== own);
          const field = e.target.value;
          const all = field === "" ? others : [...others, { field, from: { target, column: numbered } }];
          change({ ...plan, load: all.length > 0 ? { ...load, taken_from: all } : load });
        }}
      >
        <option value="">nothing</option>
        {free.map((f) => (
          <option key={f.name}>{f.name}</option>
        ))}
      </select>
    </label>
  );
}
