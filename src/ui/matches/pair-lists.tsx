import type { PairOrder } from "@/core/match/model/asked.ts";
import type { AskedPair, PairPlan } from "@/store/matches.ts";
import { grouped } from "../kit/words.ts";
import { planKey, titleOf } from "./pair-words.ts";

/** Pairs of the list that are shown. */
const SHOWN = 200;
/** A lead of less is one that another candidate comes near to. */
const NARROW_LEAD = 12;

type PlanOf = ReadonlyMap<string, PairPlan>;

/** The pairs that come next, in an order that can be chosen. `open`: how many are to be decided in all. */
export function NextPairs({
  pairs,
  shown,
  open,
  planOf,
  order,
  choose,
  reorder,
}: {
  pairs: readonly AskedPair[];
  shown: AskedPair | undefined;
  open: number;
  planOf: PlanOf;
  order: PairOrder;
  choose: (id: number) => void;
  reorder: (order: PairOrder) => void;
}) {
  return (
    <>
      <div className="mt-3 flex items-baseline justify-between gap-2 border-b border-[var(--ink)] pb-1">
        <h2>Next</h2>
        <select
          className="select select-xs !w-44"
          aria-label="Which pairs come first"
          value={order}
          onChange={(e) => reorder(e.target.value as PairOrder)}
        >
          <option value="alike">the most alike first</option>
          <option value="unsure">those that teach most first</option>
        </select>
        <span className="faint text-xs">score, lead</span>
      </div>
      <ul className="max-h-[46dvh] overflow-auto" tabIndex={0} aria-label="Pairs to decide">
        {pairs.slice(0, SHOWN).map((p) => {
          const [left, right] = titleOf(p, planOf.get(planKey(p)));
          const here = p.id === shown?.id;
          return (
            <li key={p.id}>
              <button
                type="button"
                onClick={() => choose(p.id)}
                aria-current={here ? "true" : undefined}
                className={`grid w-full cursor-pointer grid-cols-[minmax(0,1fr)_minmax(0,1fr)_2.2rem_2.2rem] gap-2 border-b border-l-4 border-b-[var(--rule)] py-1 pl-2 text-left ${here ? "border-l-[var(--pine)] bg-[var(--shade)]" : "border-l-transparent"}`}
              >
                <span className="truncate">{left}</span>
                <span className="truncate">{right}</span>
                <b className="text-right tabular-nums">{Math.round(p.score)}</b>
                <span
                  className={`text-right tabular-nums ${p.lead !== null && p.lead < NARROW_LEAD ? "held" : "faint"}`}
                >
                  {p.lead === null ? "" : Math.round(p.lead)}
                </span>
              </button>
            </li>
          );
        })}
      </ul>
      {pairs.length < open && (
        <p className="faint mt-1 text-xs">
          The first {grouped(pairs.length)} of {grouped(open)}.
        </p>
      )}
    </>
  );
}

/** Pairs that were decided, each of which can be taken back. */
export function DecidedPairs({
  pairs,
  planOf,
  takeBack,
}: {
  pairs: readonly AskedPair[];
  planOf: PlanOf;
  takeBack: (pair: AskedPair) => void;
}) {
  return (
    <details className="mt-3">
      <summary className="cursor-pointer">
        <b>Decided</b> <span className="faint">the last {grouped(pairs.length)}</span>
      </summary>
      <ul>
        {pairs.map((p) => {
          const [left, right] = titleOf(p, planOf.get(planKey(p)));
          return (
            <li
              key={p.id}
              className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_auto_auto] gap-2 border-b border-[var(--rule)] py-1"
            >
              <span className="truncate">{left}</span>
              <span className="truncate">{right}</span>
              <span className={p.decision === "same" ? "loaded" : "faint"}>{p.decision}</span>
              <button type="button" className="plain" onClick={() => takeBack(p)}>
                take back
              </button>
            </li>
          );
        })}
      </ul>
    </details>
  );
}
