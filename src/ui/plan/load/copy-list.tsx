"use client";

import { useQuery } from "@tanstack/react-query";
import { outlookLine, placeOf, type TargetCopy } from "@/core/plan/copies.ts";
import type { Plan } from "@/core/plan/document.ts";
import { copiesOfPlan } from "@/routes/feeds.ts";
import { ask } from "../../kit/api.ts";
import { TakeAway } from "../../kit/take-away.tsx";

/** The copies that a table has in other databases: each a connection and a table there. */
export function CopyList({
  of,
  copies = [],
  set,
}: {
  /** The table's name. */
  of: string;
  copies: readonly TargetCopy[] | undefined;
  set: (copies: TargetCopy[] | undefined) => void;
}) {
  const put = (at: number, next: TargetCopy | null): void => {
    const list = copies.flatMap((c, i) => (i !== at ? [c] : next ? [next] : []));
    set(list.length > 0 ? list : undefined);
  };
  return (
    <div className="mt-2">
      {copies.map((copy, i) => (
        <OneCopy key={`${i} ${copy.connection}`} of={of} copy={copy} put={(next) => put(i, next)} />
      ))}
      <button
        type="button"
        className="btn btn-line btn-xs mt-1"
        onClick={() => set([...copies, { connection: "other" }])}
      >
        Keep a copy of {of} in another database
      </button>
    </div>
  );
}

function OneCopy({ of, copy, put }: { of: string; copy: TargetCopy; put: (next: TargetCopy | null) => void }) {
  const { others: _, ...rest } = copy;
  const [schema, table] = placeOf(copy, of);
  return (
    <fieldset className="flex flex-wrap items-center gap-x-3 gap-y-1 py-0.5" aria-label={`Copy of ${of}`}>
      <span>by the connection</span>
      <Name label="Connection" value={copy.connection} set={(connection) => put({ ...copy, connection })} />
      <span>into the table</span>
      <Name label="Table there" value={table} set={(name) => put({ ...copy, table: name })} />
      <span>of the schema</span>
      <Name label="Schema there" value={schema} set={(name) => put({ ...copy, schema: name })} />
      <select
        className="select select-sm !w-60"
        aria-label="Rows that others have changed there"
        value={copy.others ?? "refuse"}
        onChange={(e) => put(e.target.value === "leave" ? { ...copy, others: "leave" } : rest)}
      >
        <option value="refuse">rows that others changed stop it</option>
        <option value="leave">rows that others changed are left</option>
      </select>
      <TakeAway label="Take this copy out" onClick={() => put(null)} />
    </fieldset>
  );
}

/** A name of another database, taken when it is left. */
function Name({ label, value, set }: { label: string; value: string; set: (name: string) => void }) {
  return (
    <input
      className="input input-sm !w-32 font-mono"
      aria-label={label}
      key={value}
      defaultValue={value}
      required
      pattern="[A-Za-z_][A-Za-z0-9_]{0,62}"
      onBlur={(e) => {
        const name = e.target.value.trim();
        if (name !== value && e.target.validity.valid) set(name);
      }}
    />
  );
}

/** How the copies of a plan's targets would be written, as their databases say at this moment. */
export function CopyOutlooks({ plan }: { plan: Plan }) {
  const some = [plan.load, ...(plan.load.further ?? [])].some((t) => t.copies);
  const { data, isFetching } = useQuery({
    queryKey: ["copies of a plan", JSON.stringify(plan.load)],
    queryFn: ({ signal }) => ask(copiesOfPlan, { params: { feed: plan.feed }, body: { document: plan }, signal }),
    enabled: some,
    placeholderData: (before) => before,
    retry: false,
  });
  if (!some) return null;
  if (!data) return isFetching ? <p className="faint">The other databases are asked …</p> : null;
  return (
    <ul className="mt-1" aria-label="How the copies would be written">
      {data.copies.map((c) => (
        <li key={`${c.connection} ${c.table} ${c.target}`} className={c.hindrance === "" ? "faint" : "held"}>
          {outlookLine(c)}
        </li>
      ))}
    </ul>
  );
}
