import Link from "next/link";
import { OUTCOMES } from "@/core/kernel/ledger.ts";
import { loadedOf } from "@/core/report/strata.ts";
import type { LoadReport } from "@/core/report/report.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import { getFeed, getPlan } from "@/store/feeds.ts";
import { countHeld } from "@/store/held.ts";
import { getLoad, listLoads, trialBefore, type TrialBefore } from "@/store/loads.ts";
import { cannotUndo } from "@/engine/undo/kept.ts";
import { listWritings } from "@/store/writings.ts";
import { LoadKept, LoadReconciliation, LoadWritings } from "@/ui/loads/load-writing.tsx";
import { GateDecision, LoadProgress } from "@/ui/loads/load-actions.tsx";
import { afterOf } from "@/store/after.ts";
import { answersAbout, countClusters, countPairs } from "@/store/matches.ts";
import { LoadAfter } from "@/ui/loads/load-after.tsx";
import { LoadLookUps, LoadMatches } from "@/ui/loads/load-matches.tsx";
import { HeldTrend } from "@/ui/quarantine/held-trend.tsx";
import { Mark } from "@/ui/kit/mark.tsx";
import { Sift } from "@/ui/loads/sift.tsx";
import {
  OUTCOME_CLASS,
  counted,
  duration,
  grouped,
  moment,
  percentOf,
  recordsHref,
  seconds,
  readWords,
} from "@/ui/kit/words.ts";
import { orNotThere } from "../../or-not-there.ts";
import { db, wholeNumber } from "../../server.ts";
import { withPath } from "@/ui/kit/with-path.ts";

export async function generateMetadata({ params }: { params: Promise<{ id: string }> }) {
  return { title: `Load ${(await params).id}` };
}

export default async function LoadPage({ params }: { params: Promise<{ id: string }> }) {
  const load = await orNotThere(params.then(({ id }) => getLoad(db(), wholeNumber(id, "The load"))));
  const now = new Date();
  const [feed, delivery, stillHeld, overtaken, loads, clusters, pairs, answers, after] = await Promise.all([
    getFeed(db(), load.feed),
    getDelivery(db(), load.delivery),
    countHeld(db(), { load: load.id }),
    countHeld(db(), { load: load.id, state: "overtaken" }),
    listLoads(db(), { feed: load.feed, limit: 40 }),
    countClusters(db(), load.id),
    countPairs(db(), { load: load.id }),
    answersAbout(db(), load.id),
    afterOf(db(), load.id),
  ]);
  const { report } = load;
  const took = seconds(load.startedAt, load.endedAt);
  const recent = loads
    .filter((l) => (l.state === "loaded" || l.state === "stopped") && l.id <= load.id)
    .slice(0, 12)
    .reverse();
  const plan = load.state === "stopped" ? (await getPlan(db(), load.plan)).document : null;
  const switchable = new Set(
    plan ? compilePlan(plan).checks.flatMap((c) => (canSwitchOff(plan, c) ? [c.key] : [])) : [],
  );
  const tried = load.state === "loaded" ? await trialBefore(db(), load.id) : null;
  const writings = load.writing === null ? [] : await listWritings(db(), { load: load.id }, 50);
  const undoFault = load.state === "loaded" ? await cannotUndo(db(), load.id) : null;
  const running = load.state === "queued" || load.state === "running";
  return (
    <>
      <div className="flex items-end justify-between gap-4">
        <div>
          <p className="faint">
            <Link href={`/feeds/${load.feed}`}>{feed.title}</Link> / {load.kind} {load.id}
          </p>
          <h1>{headline(load, report)}</h1>
          <p className="faint">
            {delivery.sender || delivery.files.map((f) => f.name).join(", ")}, delivered{" "}
            {moment(delivery.receivedAt, now)} by {delivery.via} ·{" "}
            <Link
              className="underline"
              href={`/feeds/${load.feed}/plan${load.planVersion ? `?version=${load.planVersion}` : ""}`}
            >
              {load.planVersion ? `plan version ${load.planVersion}` : "a draft of the plan"}
            </Link>
            {took !== null && ` · ${duration(took)}`}
            {took !== null && took > 0 && load.read
              ? `, ${grouped(Math.round(load.read / took))} records a second`
              : ""}
            {load.state === "loaded" && load.endedAt ? ` · written all at once at ${moment(load.endedAt, now)}` : ""}
          </p>
        </div>
        <div className="flex shrink-0 items-center gap-4">
          <Link className="plain" href={`/deliveries/${load.delivery}/profile`}>
            Profile of the delivery
          </Link>
          {report && loads.length > 1 && (
            <Link className="plain" href={`/loads/${load.id}/beside`}>
              Beside another
            </Link>
          )}
          {report && (
            <a className="plain" href={withPath(`/api/loads/${load.id}/report`)}>
              Report as file
            </a>
          )}
          {load.state === "loaded" &&
            load.kind === "load" &&
            (undoFault ? (
              <span className="faint" title={`${undoFault.message} ${undoFault.hint}`}>
                Can’t be undone
              </span>
            ) : (
              <Link
                className="plain"
                href={`/writings/${load.writing}`}
                title="Shows first what comes back and what is left"
              >
                Undo this load…
              </Link>
            ))}
          {stillHeld > 0 && (
            <Link className="btn btn-primary" href={`/quarantine?load=${load.id}`}>
              Work through {grouped(stillHeld)} held
            </Link>
          )}
        </div>
      </div>
      {running && <LoadProgress load={load.id} />}
      {load.state === "failed" && load.error && (
        <div role="alert" className="my-3 max-w-3xl border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-4 py-3">
          <p className="held font-bold">{load.error.message}</p>
          <p className="break-words">{load.error.detail}</p>
          <p className="faint">{load.error.hint} Nothing was written to the target.</p>
        </div>
      )}
      {!report && <LoadAfter load={load.id} after={after} now={now.toISOString()} />}
      {load.state === "stopped" && report && (
        <div className="my-3 border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-4 py-3">
          {report.gates
            .filter((g) => !g.passed)
            .map((g) => (
              <p key={g.gate}>
                <b className="held">Stopped at the gate “{g.gate}”.</b> {g.message}
              </p>
            ))}
          <p className="faint">The target has not been touched. Look at the records below, then decide.</p>
          <GateDecision
            load={load.id}
            held={load.held ?? 0}
            read={load.read ?? 0}
            checks={report.checks.filter(
              (c) =>
                c.problems > 0 &&
                c.onFailure !== "note" &&
                switchable.has(c.key) &&
                load.checksOff[c.key] === undefined,
            )}
          />
        </div>
      )}
      {tried && <AsTried tried={tried} />}
      {load.letThrough && <p className="mt-1">Let through a gate: “{load.letThrough}”</p>}
      {load.dropped && <p className="mt-1">Dropped: “{load.dropped}”</p>}
      {load.undone && (
        <p className="mt-1">
          Undone {load.undoneAt && moment(load.undoneAt, now)} by {load.undoneBy}: “{load.undone}”. What follows is how
          it was loaded.
        </p>
      )}
      {report && (
        <div className="mt-3 grid grid-cols-1 gap-8 lg:grid-cols-[minmax(0,1fr)_27.5rem]">
          <section className="min-w-0">
            <Sift load={load.id} strata={report.sift} />
            <Balance
              load={load.id}
              report={report}
              ended={load.state === "loaded"}
              would={load.state === "stopped" || load.state === "dropped" || load.state === "tried"}
              stillHeld={stillHeld}
              overtaken={overtaken}
            />
            <LoadReconciliation report={report} />
            <LoadWritings writings={writings} own={load.writing} now={now.toISOString()} />
            {recent.length > 1 && load.kind === "load" && (
              <div className="mt-3">
                <h2>Share held, last {recent.length} loads</h2>
                <HeldTrend
                  loads={recent.map((l) => ({ id: l.id, read: l.read ?? 0, held: l.held ?? 0 }))}
                  here={load.id}
                />
              </div>
            )}
            <Files report={report} />
          </section>
          <section className="min-w-0">
            <Fields load={load.id} report={report} />
            <Checks load={load.id} report={report} />
            <Changes load={load.id} report={report} />
            <LoadAfter load={load.id} after={after} now={now.toISOString()} />
            <LoadKept load={load.id} report={report} />
            <LoadLookUps load={load.id} report={report} />
            <LoadMatches load={load.id} report={report} clusters={clusters} open={pairs.open} answers={answers} />
            <Drift report={report} feed={load.feed} />
            <TimeTaken report={report} />
          </section>
        </div>
      )}
    </>
  );
}

/** Whether the load came as its trial had said, and what has changed since where it did not. */
function AsTried({ tried: { id, apart, loads, lists } }: { tried: TrialBefore }) {
  const trial = (
    <Link className="underline" href={`/loads/${id}`}>
      trial {id}
    </Link>
  );
  if (apart.length === 0) return <p className="faint mt-1">It came just as {trial} had said.</p>;
  const since = [
    ...(loads.length > 0 ? [`load ${loads.join(", ")} went into the same target`] : []),
    ...lists.map((l) => `the list ${l.list} went from version ${l.tried} to ${l.loaded}`),
  ];
  return (
    <p className="mt-1">
      Otherwise than in {trial}:{" "}
      {apart.map((o) => `${grouped(o.loaded)} ${o.outcome} instead of ${grouped(o.tried)}`).join(", ")}.{" "}
      {since.length > 0
        ? `Since then ${since.join(", and ")}.`
        : "The target’s rows, or what people decided, have changed since."}
    </p>
  );
}

function asideWords({
  merged,
  waiting,
  held,
}: {
  merged: number | null;
  waiting: number | null;
  held: number | null;
}): string {
  return [
    merged ? `, ${grouped(merged)} merged` : "",
    `, ${grouped(held ?? 0)} held`,
    waiting ? `, ${grouped(waiting)} waiting` : "",
  ].join("");
}

function headline(load: Awaited<ReturnType<typeof getLoad>>, report: LoadReport | null): string {
  switch (load.state) {
    case "loaded":
      return `${grouped(loadedOf(report!.balance))} of ${counted(load.read ?? 0, "record")} loaded${asideWords(load)}`;
    case "tried":
      return `Trial: ${grouped(loadedOf(report!.balance))} of ${counted(load.read ?? 0, "record")} would be loaded${asideWords(load)}`;
    case "stopped":
      return `Stopped: of ${counted(load.read ?? 0, "record")} ${grouped(loadedOf(report!.balance))} would be loaded, ${grouped(load.held ?? 0)} held`;
    case "dropped":
      return `Dropped: nothing of ${counted(load.read ?? 0, "record")} was loaded`;
    case "undone":
      return `Undone: nothing of ${counted(load.read ?? 0, "record")} is in the target any more`;
    case "failed":
      return "This load failed";
    case "cancelled":
      return "This load was cancelled; nothing was written";
    case "queued":
      return "Waiting to be loaded";
    case "running":
      return "Being loaded";
  }
}

/** What became of held records of earlier loads that a load has brought back. */
function returnedWords({ accepted, again }: NonNullable<LoadReport["returned"]>): string {
  const parts = [
    accepted > 0
      ? `${grouped(accepted)} ${accepted === 1 ? "was" : "were"} accepted and ${accepted === 1 ? "is" : "are"} closed`
      : "",
    again > 0 ? `${grouped(again)} ${again === 1 ? "is" : "are"} still wrong and held as they came last` : "",
  ].filter((p) => p !== "");
  return `It brought back ${counted(accepted + again, "record")} that earlier loads held: ${parts.join(", ")}.`;
}

function Balance({
  load,
  report,
  ended,
  would,
  stillHeld,
  overtaken,
}: {
  load: number;
  report: LoadReport;
  ended: boolean;
  /** Nothing was written: it says what would be. */
  would: boolean;
  stillHeld: number;
  overtaken: number;
}) {
  const { balance } = report;
  const handled = balance.outcomes.held - stillHeld - overtaken;
  return (
    <div className="mt-2 border-t border-[var(--ink)] pt-2">
      <p className="flex flex-wrap gap-x-3">
        <b>Balance</b>
        <Link className="count" href={recordsHref(load, {})}>
          {grouped(balance.read)} read
        </Link>
        <span>=</span>
        {OUTCOMES.filter((o) => balance.outcomes[o] > 0).map((o, i) => (
          <span key={o}>
            {i > 0 && <span className="faint mr-3">+</span>}
            <Link className={`count ${OUTCOME_CLASS[o]}`} href={recordsHref(load, { outcome: o })}>
              <Mark outcome={o} /> {grouped(balance.outcomes[o])} {would ? `would be ${o}` : o}
            </Link>
          </span>
        ))}
        {balance.read === 0 && "0"}
      </p>
      {ended && handled + overtaken > 0 && (
        <p className="faint">
          Of the held,{" "}
          {handled > 0 &&
            `${grouped(handled)} ${handled === 1 ? "has" : "have"} since been released, discarded or brought back by a later load, `}
          {overtaken > 0 && (
            <>
              <Link className="underline" href={`/quarantine?load=${load}&state=overtaken`}>
                {grouped(overtaken)} overtaken
              </Link>{" "}
              by something newer,{" "}
            </>
          )}
          {grouped(stillHeld)} {stillHeld === 1 ? "is" : "are"} in the quarantine.
        </p>
      )}
      {report.returned && <p className="faint">{returnedWords(report.returned)}</p>}
    </div>
  );
}

function Fields({ load, report }: { load: number; report: LoadReport }) {
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

function Checks({ load, report }: { load: number; report: LoadReport }) {
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

function Changes({ load, report }: { load: number; report: LoadReport }) {
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

function TimeTaken({ report }: { report: LoadReport }) {
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

function Drift({ report, feed }: { report: LoadReport; feed: string }) {
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

function Files({ report }: { report: LoadReport }) {
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
