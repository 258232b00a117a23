"use client";

import { useState } from "react";
import type { RecordPreview, RuleVerdict } from "@/core/sample/preview.ts";
import { isRule, type Plan } from "@/core/plan/document.ts";
import { Value } from "../kit/cell.tsx";
import { StepChanges } from "../kit/step-changes.tsx";
import { useRecord, type KeyedSample } from "./use-sample.ts";
import { grouped } from "../kit/words.ts";

interface OneRecordProps {
  plan: Plan;
  sample: KeyedSample;
  /** Where it stands in the sample; null while none is picked. */
  at: number | null;
  setAt: (at: number | null) => void;
}

/**
 * One record of the sample all along the plan: what each step makes of it, and what each check says.
 * Its cells can be typed over, so that any step, check or formula can be tried on any value.
 */
export function OneRecord({ plan, sample, at, setAt }: OneRecordProps) {
  if (at === null || at >= sample.rows.length) {
    return (
      <p className="my-1">
        <button type="button" className="plain" onClick={() => setAt(0)}>
          Try one record, or values of your own
        </button>
      </p>
    );
  }
  return <Tried key={`${sample.key} ${at}`} plan={plan} sample={sample} at={at} setAt={setAt} />;
}

function Tried({ plan, sample, at, setAt }: OneRecordProps & { at: number }) {
  const came = sample.rows[at]!;
  const [row, setRow] = useState(came);
  const { result, error } = useRecord(plan, sample, row, at);
  const typed = row.some((cell, c) => cell !== came[c]);
  const go = (by: number): void => setAt((at + by + sample.rows.length) % sample.rows.length);
  return (
    <section
      aria-label="One record"
      className="my-2 border-l-4 border-[var(--slate)] bg-[var(--paper-bright)] px-3 py-2"
      onKeyDown={(e) => {
        if (!e.altKey || (e.key !== "ArrowLeft" && e.key !== "ArrowRight")) return;
        e.preventDefault();
        go(e.key === "ArrowLeft" ? -1 : 1);
      }}
    >
      <div className="mb-1 flex flex-wrap items-baseline justify-between gap-x-4">
        <h3>
          Line {grouped(sample.lines[at] ?? 0)} of {sample.files[at]}
          {typed && <span className="changed">, typed over</span>}
        </h3>
        <span className="flex items-baseline gap-4 whitespace-nowrap text-sm">
          {typed && (
            <button type="button" className="plain" onClick={() => setRow(came)}>
              back to what came
            </button>
          )}
          <button type="button" className="plain" onClick={() => setRow(came.map(() => ""))}>
            empty it
          </button>
          <button type="button" className="plain" title="Alt ←" onClick={() => go(-1)}>
            before
          </button>
          <button type="button" className="plain" title="Alt →" onClick={() => go(1)}>
            next
          </button>
          <button type="button" className="plain" onClick={() => setAt(null)}>
            close
          </button>
        </span>
      </div>
      <div className="grid grid-cols-1 gap-x-6 gap-y-2 lg:grid-cols-[minmax(16rem,24rem)_minmax(0,1fr)]">
        <div className="max-h-[26rem] overflow-auto">
          <table className="ledger tight">
            <thead>
              <tr>
                <th className="text-left">column</th>
                <th className="text-left">as it came</th>
              </tr>
            </thead>
            <tbody>
              {sample.columns.map((column, c) => (
                <tr key={column}>
                  <td className="max-w-36 truncate" title={column}>
                    {column}
                  </td>
                  <td>
                    <input
                      className={`input input-xs !w-full !border-[var(--rule)] font-mono ${row[c] === came[c] ? "" : "changed font-semibold"}`}
                      aria-label={`${column} to try`}
                      value={row[c] ?? ""}
                      onChange={(e) => setRow(row.map((cell, i) => (i === c ? e.target.value : cell)))}
                    />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        {error ? (
          <p className="held whitespace-pre-line">{error}</p>
        ) : result ? (
          <div className="max-h-[26rem] min-w-0 overflow-auto" role="status">
            <StepChanges plan={plan} steps={result.steps} />
            <Checks plan={plan} result={result} />
            {!result.leftOut && (
              <details className="mt-1">
                <summary className="cursor-pointer">What it comes to</summary>
                <table className="ledger tight">
                  <tbody>
                    {plan.contract.fields.map((f, i) => (
                      <tr key={f.name}>
                        <td>{f.name}</td>
                        <td>
                          {result.values[i] === "" ? (
                            <span className="faint">empty</span>
                          ) : (
                            <Value text={result.values[i]!} mono />
                          )}
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </details>
            )}
          </div>
        ) : (
          <p className="faint">Computing…</p>
        )}
      </div>
    </section>
  );
}

const VERDICT_WORDS: Record<RuleVerdict, string> = {
  passes: "passes",
  "lacks a field": "passes, for it lacks a field",
  fails: "fails",
};

function Checks({ plan, result }: { plan: Plan; result: RecordPreview }) {
  if (result.leftOut) return <p>No check is asked about a record that is left out.</p>;
  const holds = result.problems.filter((p) => p.onFailure !== "note").length;
  const rules = plan.check.flatMap((c, i) => (isRule(c) ? [{ name: c.name, verdict: result.rules[i] ?? null }] : []));
  return (
    <>
      <h4 className="font-semibold">
        {holds > 0 ? (
          <span className="held">It would be held</span>
        ) : (
          <span className="loaded">The checks let it pass</span>
        )}
      </h4>
      {result.problems.map((p, i) => (
        <p key={i}>
          <span className={p.onFailure === "note" ? "changed" : "held"}>{p.onFailure}</span> {p.message}
        </p>
      ))}
      {rules.length > 0 && (
        <table className="ledger tight mt-1">
          <tbody>
            {rules.map(({ name, verdict }, i) => (
              <tr key={i}>
                <td>{name}</td>
                <td className={verdict === "fails" ? "held font-semibold" : verdict === "passes" ? "loaded" : "faint"}>
                  {verdict === null ? "can't be asked about it" : VERDICT_WORDS[verdict]}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="faint mt-1 text-xs">
        Checks between records and look-ups are for a trial on the whole delivery to decide.
      </p>
    </>
  );
}
