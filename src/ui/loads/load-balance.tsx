import { OUTCOMES } from "@/core/kernel/ledger.ts";
import type { LoadReport } from "@/core/report/report.ts";
import type { TrialBefore } from "@/store/load-history.ts";
import { Link } from "../kit/link.tsx";
import { Mark } from "../kit/mark.tsx";
import { OUTCOME_CLASS, grouped, recordsHref } from "../kit/words.ts";
import { replacedWords } from "@/core/plan/slice.ts";
import { goneRowsWords, heldBeforeWords, returnedWords } from "./load-words.ts";

/** Every record that was read, by what became of it; and what has become of the held ones since. */
export function LoadBalance({
  load,
  report,
  ended,
  would,
  stillHeld,
  overtaken,
  openBefore,
}: {
  load: number;
  report: LoadReport;
  ended: boolean;
  /** Nothing was written: it says what would be. */
  would: boolean;
  stillHeld: number;
  overtaken: number;
  /** Records that were held before this load and still are, counted up to `COUNTED_BEFORE`. */
  openBefore: number;
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
      {report.gone && <p className="faint">{goneRowsWords(report.gone, would)}</p>}
      {report.replaced && <p className="faint">{replacedWords(report.replaced, would ? "would be " : "")}.</p>}
      {report.returned && <p className="faint">{returnedWords(report.returned)}</p>}
      {openBefore > 0 && (
        <p className="faint">
          {heldBeforeWords(openBefore)}{" "}
          <Link className="underline" href={`/loads/${load}/alike`}>
            look for {openBefore === 1 ? "it" : "them"} among these
          </Link>
          .
        </p>
      )}
    </div>
  );
}

/** Whether the load came as its trial had said, and what has changed since where it did not. */
export function AsTried({ tried: { id, apart, loads, lists } }: { tried: TrialBefore }) {
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
