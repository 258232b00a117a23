import { KEPT_WORDS } from "@/core/plan/arriving.ts";
import type { BothSides, LoadReport } from "@/core/report/report.ts";
import { listed } from "@/core/kernel/problem.ts";
import { howWords, outlookLine } from "@/core/plan/copies.ts";
import type { Copied } from "@/store/target-copies.ts";
import type { Writing } from "@/store/writings.ts";
import { didWords, tableWords, writingWords } from "./writing-list.tsx";
import { Link } from "../kit/link.tsx";
import { cellNumber, grouped, moment, recordsHref, total } from "../kit/words.ts";

/** Cells that did not change what the target had, each count a way to its records. */
export function LoadKept({ load, report }: { load: number; report: LoadReport }) {
  const kept = report.kept ?? [];
  if (kept.length === 0) return null;
  const total = kept.reduce((n, k) => n + k.cells, 0);
  return (
    <>
      <div className="mt-4 flex justify-between">
        <h2>What the target kept</h2>
        <span className="faint text-xs">{grouped(total)} cells, as the plan says</span>
      </div>
      <table className="ledger tight">
        <tbody>
          {kept.map((k) => (
            <tr key={`${k.field} ${k.because}`}>
              <td className="max-w-36 truncate" title={k.field}>
                {k.field}
              </td>
              <td>{k.cells === 1 ? KEPT_WORDS[k.because].one : KEPT_WORDS[k.because].many}</td>
              <td className="n">
                <Link className="count" href={recordsHref(load, { field: k.field, kept: k.because })}>
                  {grouped(k.cells)}
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Totals by the ledger and as the target has them, side by side. */
export function Totals({
  what: head,
  lines,
}: {
  what: string;
  lines: readonly { readonly what: string; readonly sides: BothSides<string | null> }[];
}) {
  return (
    <table className="ledger tight mt-1 w-full">
      <thead>
        <tr>
          <th>{head}</th>
          <th className="n">by the ledger</th>
          <th className="n">in the target</th>
        </tr>
      </thead>
      <tbody>
        {lines.map(({ what, sides: [ledger, target] }) => (
          <tr key={what}>
            <td>{what}</td>
            <td className="n">{total(ledger)}</td>
            <td className={`n ${ledger === target ? "" : "held font-bold"}`}>{total(target)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What the target holds of the load beside what the ledger says was written. */
export function LoadReconciliation({ report }: { report: LoadReport }) {
  const { reconciliation } = report;
  if (!reconciliation) return null;
  const { rows, keys, fields } = reconciliation;
  const lines: { what: string; sides: BothSides<string | null> }[] = [
    { what: "rows", sides: [grouped(rows[0]), grouped(rows[1])] },
    { what: "hash over keys", sides: keys },
    ...fields.flatMap((f) => [
      ...(f.sum ? [{ what: `sum of ${f.name}`, sides: f.sum }] : []),
      { what: `least ${f.name}`, sides: f.least },
      { what: `most ${f.name}`, sides: f.most },
    ]),
  ];
  return (
    <details className="mt-3 border-t border-[var(--rule)] pt-2">
      <summary className="cursor-pointer">
        <b>Reconciliation</b> {grouped(rows[1])} rows in the target, {grouped(rows[0])} by the ledger;{" "}
        {grouped(lines.length)} totals agree
      </summary>
      <Totals what="total" lines={lines} />
    </details>
  );
}

/** What went to the plan's further targets, a line for each: its balance from accepted records to rows. */
export function LoadFurther({ report, would }: { report: LoadReport; would: boolean }) {
  const further = report.further ?? [];
  if (further.length === 0) return null;
  const some = (of: "filtered" | "none" | "left"): boolean => further.some((f) => f[of] > 0);
  return (
    <section className="mt-3 border-t border-[var(--rule)] pt-2" aria-label="Further targets">
      <div className="flex justify-between gap-3">
        <h2>Further targets</h2>
        <span className="faint text-xs">
          of {grouped(further[0]!.records)} accepted records{would ? ", as it would be" : "; each reconciled"}
        </span>
      </div>
      <div className="overflow-x-auto" tabIndex={0} aria-label="Balance of each further target">
        <table className="ledger tight w-full">
          <thead>
            <tr>
              <th>table</th>
              {some("filtered") && <th className="n">left by the filter</th>}
              {some("none") && <th className="n">give no row</th>}
              <th className="n">records</th>
              <th className="n">rows</th>
              <th className="n">inserted</th>
              <th className="n">updated</th>
              <th className="n">unchanged</th>
              {some("left") && <th className="n">left</th>}
            </tr>
          </thead>
          <tbody>
            {further.map((f) => (
              <tr key={f.target}>
                <td title={f.words}>{f.target}</td>
                {some("filtered") && <td className="n">{cellNumber(f.filtered, true)}</td>}
                {some("none") && <td className="n">{cellNumber(f.none, true)}</td>}
                <td className="n">{grouped(f.sent)}</td>
                <td className="n font-bold">{grouped(f.rows)}</td>
                <td className="n">{cellNumber(f.inserted, true)}</td>
                <td className="n">{cellNumber(f.updated, true)}</td>
                <td className="n">{cellNumber(f.unchanged, true)}</td>
                {some("left") && <td className="n">{cellNumber(f.left, true)}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

/** What was done to copies of the load's targets in other databases, or how a trial says that they would be written. */
export function LoadCopies({ report, copied, feed }: { report: LoadReport; copied: readonly Copied[]; feed: string }) {
  const { copyOutlook = [] } = report;
  if (copied.length === 0 && copyOutlook.length === 0) return null;
  const waiting = copied.filter((c) => !c.settled);
  return (
    <section className="mt-3 border-t border-[var(--rule)] pt-2" aria-label="Copies">
      <div className="flex justify-between gap-3">
        <h2>Copies in other databases</h2>
        <Link className="plain text-xs" href={`/feeds/${feed}/copies`}>
          compare them
        </Link>
      </div>
      {copyOutlook.map((c) => (
        <p key={`${c.connection} ${c.table}`} className={c.hindrance === "" ? "" : "held"}>
          {outlookLine(c)}
        </p>
      ))}
      {copied.length > 0 && (
        <div className="overflow-x-auto" tabIndex={0} aria-label="Balance of each copy">
          <table className="ledger tight w-full">
            <thead>
              <tr>
                <th>table</th>
                <th>writing</th>
                <th className="n">inserted</th>
                <th className="n">updated</th>
                <th className="n">unchanged</th>
                <th className="n">removed</th>
                <th className="n">left</th>
              </tr>
            </thead>
            <tbody>
              {copied.map((c) => (
                <tr key={`${c.writing} ${c.connection} ${c.table}`}>
                  <td title={`Committed ${howWords(c.how)}`}>
                    {c.table} <span className="faint">on {c.connection}</span>
                  </td>
                  <td>{c.writing}</td>
                  <td className="n">{cellNumber(c.inserted, true)}</td>
                  <td className="n">{cellNumber(c.updated, true)}</td>
                  <td className="n">{cellNumber(c.unchanged, true)}</td>
                  <td className="n">{cellNumber(c.removed, true)}</td>
                  <td className={`n ${c.left > 0 ? "held" : ""}`}>{cellNumber(c.left, true)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {waiting.length > 0 && (
        <p className="held">
          {listed([...new Set(waiting.map((c) => c.connection))])} has it ready and has not said that it is committed;
          it is asked again every minute.
        </p>
      )}
    </section>
  );
}

/** The load as a writing of its target, and what came of its records later. */
export function LoadWritings({
  writings,
  own,
  now,
}: {
  writings: readonly Writing[];
  own: number | null;
  now: string;
}) {
  if (writings.length === 0) return null;
  const today = new Date(now);
  const main = writings.find((w) => w.id === own)?.target;
  return (
    <section className="mt-3 border-t border-[var(--rule)] pt-2" aria-label="Writings">
      {writings.map((w) => (
        <p key={w.id}>
          <Link className="underline" href={`/writings/${w.id}`}>
            Writing {w.id}
          </Link>
          {w.id === own ? "" : `, ${writingWords(w)}`}: {didWords(w)}
          {w.target !== main && ` in ${tableWords(w.target)}`}
          <span className="faint">
            {" "}
            · {w.by}, {moment(w.at, today)}
            {w.undoneBy !== null && `, undone by writing ${w.undoneBy}`}
          </span>
        </p>
      ))}
    </section>
  );
}
