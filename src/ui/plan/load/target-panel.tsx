"use client";

import { listTables, tableContract } from "@/routes/store.ts";
import { targetOfPlan } from "@/routes/feeds.ts";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { withContract } from "@/core/interop/contract.ts";
import type { Taken } from "@/core/interop/part.ts";
import type { Plan } from "@/core/plan/document.ts";
import { checkPart, FIELD_CHECKS } from "@/core/field/checks/index.ts";
import type { Field } from "@/core/field/field.ts";
import { listed, problemParts } from "@/core/kernel/problem.ts";
import type { TargetAlterations } from "@/engine/writing/alterations.ts";
import type { ExistingTable } from "@/engine/writing/existing-table.ts";
import { ask, problemFrom, problemOf } from "../../kit/api.ts";
import { ProblemNote } from "../../kit/problem-note.tsx";
import { counted, grouped } from "../../kit/words.ts";
import { TableDefinition } from "./table-definition.tsx";

/** What the plan does to its targets before the next load, and a way to take a table that is there already. */
export function TargetPanel({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const document = JSON.stringify(plan);
  const { data, error } = useQuery({
    queryKey: ["target", document],
    queryFn: () => ask(targetOfPlan, { params: { feed: plan.feed }, body: { document: plan } }),
    placeholderData: (before) => before,
    retry: false,
  });
  const fitting = (data?.targets ?? []).filter((t) => t.statements.length === 0 && t.refusals.length === 0);
  return (
    <div className="min-w-0">
      {!data && <h2>The target</h2>}
      {error && <ProblemNote problem={problemOf(error)} />}
      {fitting.length > 1 && (
        <section className="mb-3">
          <h2>
            {fitting.length === data?.targets.length ? "The tables are there already" : "Tables that are there already"}
          </h2>
          <p className="mt-1">Nothing is altered: {listed(fitting.map((t) => t.target))} fit the plan as they are.</p>
          {fitting.map((t) => (
            <TableDefinition key={t.target} of={t} />
          ))}
        </section>
      )}
      {data?.targets
        .filter((t) => fitting.length < 2 || !fitting.includes(t))
        .map((t) => (
          <OneTarget key={t.target} of={t} />
        ))}
      <TakeTable plan={plan} change={change} />
    </div>
  );
}

/** What is made of one table before the next load writes, or altered in it, and what may not be. */
function OneTarget({
  of: { target, exists, statements, refusals, conversions, definition },
}: {
  of: TargetAlterations;
}) {
  return (
    <section className="mb-3" aria-label={`The table ${target}`}>
      <h2>{exists ? `The table ${target} is there already` : `The table ${target} is made`}</h2>
      {refusals.length > 0 && (
        <ul className="mt-1 border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-3 py-2" role="alert">
          {refusals.map((r) => (
            <li key={r.says} className="py-0.5">
              <b>{r.says}</b> {r.hint}
            </li>
          ))}
        </ul>
      )}
      {statements.length === 0 && refusals.length === 0 && (
        <p className="mt-1">Nothing is altered: the plan fits it as it is.</p>
      )}
      <TableDefinition of={{ target, definition }} />
      {statements.length > 0 && (
        <>
          {exists && (
            <p className="mt-1">
              {refusals.length > 0 ? "That apart, before the next load writes, " : "Before the next load writes, "}
              {counted(statements.length, "alteration")}; no value that is there is lost:
            </p>
          )}
          {conversions.map((c) => (
            <p key={c.field} className="mt-1">
              <b>{c.field}</b> goes from {c.from} to {c.to}:{" "}
              {c.values === 0 ? "it has no value yet" : `all ${counted(c.values, "different value")} fit`}
              {c.rewritten > 0 && `, ${grouped(c.rewritten)} of them written otherwise`}
              {c.example && (
                <>
                  , as <span className="raw">{c.example.from}</span> → <span className="raw">{c.example.to}</span>
                </>
              )}
              .
            </p>
          ))}
          <pre
            className="raw mt-1 max-h-96 !whitespace-pre-wrap overflow-auto border border-[var(--rule)] bg-[var(--paper-bright)] p-3 text-[0.85rem]"
            tabIndex={0}
            aria-label={`The DDL of ${target}`}
          >
            {statements.join(";\n")}
          </pre>
        </>
      )}
    </section>
  );
}

function TakeTable({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState<ExistingTable | null>(null);
  const [said, setSaid] = useState<string | null>(null);
  const [problem, setProblem] = useState<ReturnType<typeof problemParts> | null>(null);
  const tables = useQuery({
    queryKey: ["tables"],
    queryFn: () => ask(listTables),
    enabled: open,
  });
  const contract = useQuery({
    queryKey: ["table", chosen],
    queryFn: () => ask(tableContract, { params: { schema: chosen!.schema, table: chosen!.table } }),
    enabled: chosen !== null,
  });
  const taken = chosen === null ? undefined : contract.data;

  const take = (): void => {
    try {
      change(
        withContract(plan, taken!, {
          schema: chosen!.schema,
          target: chosen!.table,
          // Of a table of others a slice can be replaced, and not all.
          ...(plan.load.mode === "replace" && plan.load.slice === undefined ? { mode: "append" } : {}),
        }),
      );
      setSaid(`${counted(taken!.fields.length, "field")} from ${chosen!.schema}.${chosen!.table}. Undo takes it back.`);
      setProblem(null);
      setChosen(null);
      setOpen(false);
    } catch (error) {
      setProblem(problemParts(error));
    }
  };

  if (!open) {
    return (
      <div className="mt-4">
        <button type="button" className="btn btn-line btn-sm" onClick={() => setOpen(true)}>
          Take a table that is there…
        </button>
        {said && (
          <p role="status" className="mt-2">
            <b>The contract has</b> {said}
          </p>
        )}
      </div>
    );
  }
  return (
    <section className="mt-4 border-t border-[var(--rule)] pt-3" aria-label="Take a table that is there">
      <h2>Take a table that is there</h2>
      <p className="faint">
        Its types, lengths, keys and rules become the contract. It only gains the columns _load and _record, so that
        each row leads back to its file.
      </p>
      {tables.error && <ProblemNote problem={problemOf(tables.error)} />}
      {tables.data?.tables.length === 0 && <p className="mt-1">The database has no table besides Good Sieve’s own.</p>}
      <div className="mt-2 flex flex-wrap items-center gap-3">
        {tables.data && tables.data.tables.length > 0 && (
          <TableChoice tables={tables.data.tables} chosen={chosen} choose={setChosen} />
        )}
        <button type="button" className="btn btn-primary btn-sm" disabled={!taken} onClick={take}>
          Make it the contract
        </button>
        <button type="button" className="btn btn-line btn-sm" onClick={() => setOpen(false)}>
          Leave it
        </button>
      </div>
      {contract.error && <ProblemNote problem={problemOf(contract.error)} />}
      {problem && <ProblemNote problem={problemFrom(problem)} />}
      {taken && <TakenContract taken={taken} />}
    </section>
  );
}

function TableChoice({
  tables,
  chosen,
  choose,
}: {
  tables: readonly ExistingTable[];
  chosen: ExistingTable | null;
  choose: (table: ExistingTable | null) => void;
}) {
  const nameOf = (t: ExistingTable): string => `${t.schema}.${t.table}`;
  return (
    <select
      className="select select-sm w-72"
      aria-label="Table"
      value={chosen ? nameOf(chosen) : ""}
      onChange={(e) => choose(tables.find((t) => nameOf(t) === e.target.value) ?? null)}
    >
      <option value="">choose a table</option>
      {tables.map((t) => (
        <option key={nameOf(t)} value={nameOf(t)}>
          {nameOf(t)}
          {t.rows === null ? "" : `, about ${grouped(t.rows)} rows`}
        </option>
      ))}
    </select>
  );
}

/** What of a table becomes the contract, and what can't be said by one. */
function TakenContract({ taken }: { taken: Taken }) {
  return (
    <>
      <table className="ledger mt-3 w-full">
        <thead>
          <tr>
            <th className="text-left">field</th>
            <th className="text-left">type</th>
            <th className="text-left">rules</th>
          </tr>
        </thead>
        <tbody>
          {taken.fields.map((f) => (
            <tr key={f.name}>
              <td>{f.name}</td>
              <td>
                {f.type}
                {f.length !== undefined && f.length < 10_000 ? `(${f.length})` : ""}
                {f.type === "decimal" ? `(${f.precision},${f.scale})` : ""}
              </td>
              <td>{rulesOf(f, taken.key.includes(f.name))}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {taken.lost.length > 0 && (
        <>
          <p className="mt-2">
            <b>What a contract can’t say</b> stays with the database; each load is held against it before it writes:
          </p>
          <ul className="faint ml-4 list-disc">
            {taken.lost.map((l) => (
              <li key={l}>{l}</li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

function rulesOf(f: Field, isKey: boolean): string {
  return [
    ...(isKey ? ["key"] : []),
    ...(f.values ? [`one of ${counted(f.values.length, "value")}`] : []),
    ...FIELD_CHECKS.map(checkPart).flatMap((c) =>
      Object.keys(c.options).length > 0 && c.asked(f) ? [c.words(f)] : [],
    ),
  ].join(", ");
}
