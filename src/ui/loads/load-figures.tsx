import type { LoadReport } from "@/core/report/report.ts";
import { Link } from "../kit/link.tsx";
import { duration, grouped, percentOf, readWords, recordsHref } from "../kit/words.ts";

/** Of each field how much is filled, valid and changed. */
export function LoadFields({ load, report }: { load: number; report: LoadReport }) {
  const readable = report.fields[0]?.of ?? 0;
  return (
    <>
      <div className="flex justify-between">
        <h2>Fields</h2>
        <span className="faint text-xs">of {grouped(readable)} records that could be read</span>
      </div>
      <table className="ledger tight">
        <thead>
          <tr>
            <th>field</th>
            <th className="n">filled %</th>
            <th aria-label="filled, drawn"></th>
            <th className="n">valid %</th>
            <th className="n">changed</th>
            <th className="n">distinct</th>
          </tr>
        </thead>
        <tbody>
          {report.fields.map((f) => (
            <tr key={f.name}>
              <td className="max-w-36 truncate" title={`${f.name}, ${f.type}`}>
                {f.name}
              </td>
              <td className="n">
                <Link className="count" href={recordsHref(load, { field: f.name, is: "filled" })}>
                  {percentOf(f.filled, f.of)}
                </Link>
              </td>
              <td>
                <Link
                  href={recordsHref(load, { field: f.name, is: f.filled > f.valid ? "faulty" : "empty" })}
                  aria-label={`${f.name}: ${grouped(f.filled - f.valid)} faulty, ${grouped(f.of - f.filled)} empty`}
                  title={`${grouped(f.filled - f.valid)} faulty, ${grouped(f.of - f.filled)} empty: show the ${f.filled > f.valid ? "faulty" : "empty"}`}
                >
                  <svg width="58" height="10" aria-hidden="true">
                    <rect width="58" height="10" fill="var(--rule)" />
                    <rect width={f.of === 0 ? 0 : (58 * f.filled) / f.of} height="10" fill="var(--ink)" />
                    <rect
                      x={f.of === 0 ? 0 : (58 * f.valid) / f.of}
                      width={f.of === 0 ? 0 : Math.max(f.filled > f.valid ? 1 : 0, (58 * (f.filled - f.valid)) / f.of)}
                      height="10"
                      fill="var(--plum)"
                    />
                  </svg>
                </Link>
              </td>
              <td className={`n ${f.valid < f.filled ? "held" : ""}`}>
                <Link className="count" href={recordsHref(load, { field: f.name, is: "valid" })}>
                  {percentOf(f.valid, f.filled)}
                </Link>
              </td>
              <td className="n changed">
                {f.changed > 0 && (
                  <Link className="count" href={recordsHref(load, { field: f.name, is: "changed" })}>
                    {grouped(f.changed)}
                  </Link>
                )}
              </td>
              <td className="n" title={f.distinctEstimated ? "Estimated; standard error 1.6 %" : "Exact"}>
                {f.distinctEstimated ? "≈ " : ""}
                {grouped(f.distinct)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** What the run was given: values of parameters that are not the plan's usual ones, and what it did without. */
export function LoadRun({ report: { run } }: { report: LoadReport }) {
  if (!run) return null;
  return (
    <>
      <h2 className="mt-4">What the run was given</h2>
      {run.parameters.length > 0 && (
        <table className="ledger tight">
          <tbody>
            {run.parameters.map((p) => (
              <tr key={p.name}>
                <td>{p.name}</td>
                <td className="font-mono">{p.value === "" ? "nothing" : p.value}</td>
                <td className={p.told ? "font-semibold" : "faint"}>{p.told ? "for this run" : "as the plan has it"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {run.steps.map((s) => (
        <p key={s.words}>
          <b className="held">Step switched off:</b> {s.words} (“{s.reason}”)
        </p>
      ))}
      {run.lookUps.map((l) => (
        <p key={l.name}>
          <b className="held">Look-up switched off:</b> {l.name} (“{l.reason}”)
        </p>
      ))}
      {run.targets?.map((t) => (
        <p key={t.name}>
          <b className="held">Got nothing by this run:</b> {t.name} (“{t.reason}”)
        </p>
      ))}
    </>
  );
}

/** The checks that found something, and those that were switched off. */
export function LoadChecks({ load, report }: { load: number; report: LoadReport }) {
  const fired = report.checks.filter((c) => c.problems > 0).sort((a, b) => b.problems - a.problems);
  const most = fired[0]?.problems ?? 1;
  return (
    <>
      <div className="mt-4 flex justify-between">
        <h2>Checks that fired, {fired.length}</h2>
        <span className="faint text-xs">records</span>
      </div>
      {fired.length === 0 && <p>Every record passed every check that was made.</p>}
      {report.checks.map(
        (c) =>
          c.off !== undefined && (
            <p key={c.key}>
              <b className="held">Switched off for this load:</b> {c.title} (“{c.off}”)
            </p>
          ),
      )}
      <table className="ledger tight">
        <tbody>
          {fired.map((c) => (
            <tr key={c.key}>
              <td className="max-w-64 truncate" title={`Should be: ${c.title}`}>
                {c.fault}
              </td>
              <td className="faint">{c.onFailure}</td>
              <td>
                <svg width="56" height="9" aria-hidden="true">
                  <rect
                    x={56 - Math.max(1, (56 * c.problems) / most)}
                    width={Math.max(1, (56 * c.problems) / most)}
                    height="9"
                    fill={c.onFailure === "note" ? "var(--grain)" : "var(--plum)"}
                  />
                </svg>
              </td>
              <td className={`n font-bold ${c.onFailure === "note" ? "" : "held"}`}>
                <Link className="count" href={recordsHref(load, { check: c.key })}>
                  {grouped(c.problems)}
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** What each step changed. */
export function LoadChanges({ load, report }: { load: number; report: LoadReport }) {
  const total = report.steps.reduce((n, s) => n + s.changed, 0);
  return (
    <>
      <div className="mt-4 flex justify-between">
        <h2>Changes made</h2>
        <span className="faint text-xs">{grouped(total)} cells, by step</span>
      </div>
      {report.steps.length === 0 && <p>The plan has no steps.</p>}
      <table className="ledger tight">
        <tbody>
          {report.steps.map((s, i) => (
            <tr key={i}>
              <td className="n faint w-6">{i + 1}</td>
              <td className="max-w-72 truncate" title={s.words}>
                {s.words}
              </td>
              <td className="n changed">
                {s.changed > 0 ? (
                  <Link className="count" href={recordsHref(load, { step: i })}>
                    {grouped(s.changed)}
                  </Link>
                ) : (
                  <span className="faint">0</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

export function TimeTaken({ report }: { report: LoadReport }) {
  const timing = (report.timing ?? []).filter((t) => t.ms > 0);
  if (timing.length === 0) return null;
  return (
    <>
      <h2 className="mt-4">Time taken</h2>
      <p>
        {timing.map((t, i) => (
          <span key={i}>
            {i > 0 && ", "}
            {t.part} <b>{duration(t.ms / 1000)}</b>
          </span>
        ))}
      </p>
    </>
  );
}

/** Where the columns are not those of the plan, or not those that came before. */
export function LoadDrift({ report, feed }: { report: LoadReport; feed: string }) {
  return (
    <>
      <h2 className="mt-4">Drift</h2>
      {report.drift.length === 0 ? (
        <p>The columns are those of the plan.</p>
      ) : (
        report.drift.map((d) => (
          <p key={`${d.kind} ${d.name}`} className="mb-1">
            {d.kind} <b>{d.name}</b> in {d.files.slice(0, 4).join(", ")}
            {d.files.length > 4 && ` and ${d.files.length - 4} more`}
            {d.says && <span className="faint block">{d.says}</span>}
            {d.field && (
              <Link className="plain" href={`/feeds/${feed}/plan?field=${encodeURIComponent(JSON.stringify(d.field))}`}>
                {d.kind === "renamed column"
                  ? `Let ${d.field.name} take it`
                  : d.kind === "changed codes"
                    ? `Let ${d.field.name} have these too`
                    : `Make the field ${d.field.name} of it`}
              </Link>
            )}
          </p>
        ))
      )}
    </>
  );
}

export function LoadFiles({ report }: { report: LoadReport }) {
  return (
    <div className="mt-4">
      <h2>Files</h2>
      <table className="ledger">
        <thead>
          <tr>
            <th>file</th>
            <th className="n">bytes</th>
            <th className="n">records</th>
            <th className="n">columns</th>
            <th>read as</th>
          </tr>
        </thead>
        <tbody>
          {report.files.map((f, i) => (
            <tr key={i}>
              <td className="break-all">{f.name}</td>
              <td className="n">{grouped(f.bytes)}</td>
              <td className="n">{grouped(f.records)}</td>
              <td className="n">{f.columns.length}</td>
              <td className="faint" title={Object.values(f.evidence).join("; ")}>
                {readWords(f.read)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
