import type { LoadReport } from "@/core/report/report.ts";
import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Delivery } from "@/store/deliveries.ts";
import type { Load } from "@/store/loads.ts";
import { Link } from "../kit/link.tsx";
import { withPath } from "../kit/with-path.ts";
import { duration, grouped, moment, seconds } from "../kit/words.ts";
import { GateDecision } from "./load-actions.tsx";
import { headline } from "./load-words.ts";

/** What a load came to, of what and by which plan, and where to go on from here. */
export function LoadHeading({
  load,
  feed,
  delivery,
  stillHeld,
  undoFault,
  beside,
  now,
}: {
  load: Load;
  feed: { title: string };
  delivery: Delivery;
  stillHeld: number;
  /** Why it can't be undone. */
  undoFault: { message: string; hint: string } | null;
  /** There are others to see it beside. */
  beside: boolean;
  now: Date;
}) {
  const { report } = load;
  const took = seconds(load.startedAt, load.endedAt);
  return (
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
          {took !== null && took > 0 && load.read ? `, ${grouped(Math.round(load.read / took))} records a second` : ""}
          {load.state === "loaded" && load.endedAt ? ` · written all at once at ${moment(load.endedAt, now)}` : ""}
        </p>
      </div>
      <div className="flex shrink-0 items-center gap-4">
        <Link className="plain" href={`/deliveries/${load.delivery}/profile`}>
          Profile of the delivery
        </Link>
        {report && (
          <Link className="plain" href={`/feeds/${load.feed}/run?delivery=${load.delivery}`}>
            Run again
          </Link>
        )}
        {report && beside && (
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
  );
}

/** Why a load failed. */
export function LoadFailed({ error }: { error: NonNullable<Load["error"]> }) {
  return (
    <div role="alert" className="my-3 max-w-3xl border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-4 py-3">
      <p className="held font-bold">{error.message}</p>
      <p className="break-words">{error.detail}</p>
      <p className="faint">{error.hint} Nothing was written to the target.</p>
    </div>
  );
}

/** The gates that stopped a load, and what can be decided about it. */
export function LoadStopped({ load, report, plan }: { load: Load; report: LoadReport; plan: Plan }) {
  const switchable = new Set(compilePlan(plan).checks.flatMap((c) => (canSwitchOff(plan, c) ? [c.key] : [])));
  return (
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
            c.problems > 0 && c.onFailure !== "note" && switchable.has(c.key) && load.checksOff[c.key] === undefined,
        )}
      />
    </div>
  );
}
