"use client";

import { useState } from "react";
import type { StepsPreview } from "@/core/sample/preview.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { SAMPLED } from "@/core/sample/sample.ts";
import { MOST_SHOWN, SAMPLE_SIZES, type KeyedSample, type Preview } from "../use-sample.ts";
import { counted, grouped, percentOf } from "../../kit/words.ts";

const WHY_WORDS: Record<(typeof SAMPLED)[number], (n: string) => string> = {
  first: (n) => `the first ${n}`,
  problem: (n) => `${n} with problems`,
  "rare shape": (n) => `${n} of rare shapes`,
  random: (n) => `${n} at random`,
};

/** What a sample was chosen from, and how; and a way to choose another size. */
export function SampleWords({
  sample,
  size,
  setSize,
}: {
  sample: KeyedSample;
  size: number;
  setSize: (size: number) => void;
}) {
  const parts = SAMPLED.flatMap((why) => {
    const n = sample.why.filter((w) => w === why).length;
    return n > 0 ? [WHY_WORDS[why](grouped(n))] : [];
  });
  const all = sample.whole && sample.rows.length === sample.of;
  return (
    <p className="faint flex flex-wrap items-baseline gap-x-2 text-xs">
      <span>
        {all
          ? `All ${counted(sample.of, "record")} of the latest delivery that can be read.`
          : `${grouped(sample.rows.length)} of ${sample.whole ? "" : "the first "}${counted(sample.of, "record")} of the latest delivery: ${parts.join(", ")}.`}
      </span>
      <label className="flex items-baseline gap-1 whitespace-nowrap">
        at most
        <select
          className="select select-xs max-w-20"
          aria-label="Size of the sample"
          value={size}
          onChange={(e) => setSize(Number(e.target.value))}
        >
          {SAMPLE_SIZES.map((n) => (
            <option key={n} value={n}>
              {grouped(n)}
            </option>
          ))}
        </select>
      </label>
    </p>
  );
}

/** The sample as it stands after a step: what the step changed is marked, with what it was before. */
export function StepRecords({
  plan,
  sample,
  stood: { result, error },
  at,
  only,
  setOnly,
  picked,
  pick,
}: {
  plan: Plan;
  sample: KeyedSample;
  stood: Preview<StepsPreview>;
  at: number;
  only: boolean;
  setOnly: (only: boolean) => void;
  /** The record that is shown by itself, by its place in the sample. */
  picked: number | null;
  pick: (at: number) => void;
}) {
  const [before, setBefore] = useState(false);
  if (error) return <p className="held whitespace-pre-line">{error}</p>;
  if (!result) return <p className="faint">Computing…</p>;
  const { records } = result;
  return (
    <section
      aria-label="Records"
      className="min-w-0"
      onKeyDown={(e) => {
        if (e.key === "b" && !(e.target instanceof HTMLInputElement)) setBefore((was) => !was);
      }}
    >
      <div className="mb-1 flex items-baseline justify-between gap-4 text-sm">
        <span role="status">
          The records {at === 0 ? "as they came" : `after step ${at}`}
          {at > 0 && (
            <>
              : <b className="changed">{counted(result.changed, "cell")} changed by it</b>
              {result.leftOut > 0 && `, ${grouped(result.leftOut)} left out by now`}
              <Covered plan={plan} at={at} result={result} of={sample.rows.length - result.leftOut} />
            </>
          )}
        </span>
        <span className="flex gap-4 whitespace-nowrap">
          <label className="flex items-center gap-1" title="b">
            <input type="checkbox" checked={before} onChange={(e) => setBefore(e.target.checked)} /> as before it
          </label>
          <label className="flex items-center gap-1">
            <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} /> only what it changes
          </label>
        </span>
      </div>
      <div
        tabIndex={0}
        role="region"
        aria-label="The records as they stand"
        className="max-h-[70vh] overflow-auto border-y border-[var(--ink)]"
      >
        <StepTable {...{ sample, result, before, picked, pick }} fields={plan.contract.fields} />
        {records.length === 0 && <p className="p-2">It changes none of them.</p>}
        {result.fit > records.length && (
          <p className="faint p-2 text-sm">
            {grouped(MOST_SHOWN)} of {grouped(result.fit)} are drawn; all are counted.
          </p>
        )}
      </div>
    </section>
  );
}

/** The records of a sample in rows, with the columns first that a step has changed. */
function StepTable({
  fields,
  sample,
  result: { touched, records },
  before,
  picked,
  pick,
}: {
  fields: readonly Field[];
  sample: KeyedSample;
  result: StepsPreview;
  /** Whether values are shown as they were before the step. */
  before: boolean;
  picked: number | null;
  pick: (at: number) => void;
}) {
  // What the step changes stands first, so that it is seen.
  const order = fields.map((_, f) => f).sort((a, b) => Number(touched[b]) - Number(touched[a]) || a - b);
  return (
    <table className="ledger tight rows">
      <thead className="sticky top-0 bg-[var(--paper)]">
        <tr>
          <th className="n">line</th>
          {order.map((i) => (
            <th key={i} className={touched[i] ? "changed text-left" : "text-left"}>
              {fields[i]!.name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {records.map((r) => (
          <tr
            key={r.at}
            aria-current={r.at === picked ? "true" : undefined}
            className={r.leftOut ? "line-through opacity-60" : r.at === picked ? "bg-[var(--shade)]" : ""}
          >
            <td className="n faint" title={`${sample.files[r.at]}: ${sample.why[r.at]}`}>
              <button
                type="button"
                className="cursor-pointer underline"
                aria-label={`Try the record of line ${sample.lines[r.at]}`}
                onClick={() => pick(r.at)}
              >
                {grouped(sample.lines[r.at] ?? 0)}
              </button>
            </td>
            {order.map((i) => {
              const [now, then] = [r.values[i]!, r.before[i]!];
              const changed = now !== then;
              return (
                <td
                  key={i}
                  className={`max-w-48 truncate ${changed ? "bg-[var(--shade)] font-semibold changed" : ""}`}
                  title={changed ? `was: ${then || "empty"}` : now}
                >
                  {(before ? then : now) || (changed ? "empty" : "")}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Of a step that sorts records into categories: how many none of its rules covers. */
function Covered({ plan, at, result, of }: { plan: Plan; at: number; result: StepsPreview; of: number }) {
  const step = plan.cleanse[at - 1];
  if (step?.do !== "category" || step.in === "*") return null;
  const f = plan.contract.fields.findIndex((x) => x.name === step.in[0]);
  const otherwise = step["otherwise"] !== undefined;
  const none = of - (result.filled[f] ?? of);
  return <>{otherwise ? "" : `; no rule covers ${grouped(none)} of ${grouped(of)}, ${percentOf(none, of)} %`}</>;
}
