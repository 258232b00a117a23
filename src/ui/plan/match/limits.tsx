import { useState } from "react";
import { doubtsWords, limitsWords, wrongWords } from "@/core/match/model/doubts.ts";
import type { LimitsInUse } from "@/core/match/limits.ts";
import type { LimitsEstimate } from "@/core/match/resolve.ts";
import { estimateOf, expectedAt, type PairSample } from "@/core/match/metrics.ts";
import type { MatchSection } from "@/core/match/schema.ts";
import { Link } from "../../kit/link.tsx";
import { counted, grouped, sentence } from "../../kit/words.ts";
import { ScoreChart } from "../../matches/score-chart.tsx";
import type { MatchSeen } from "./parts.ts";

/** What limits are begun with that are set by hand where nothing is known. */
const BY_HAND = { same: 80, ask: 50 };

interface Props {
  match: MatchSection;
  set: (match: MatchSection) => void;
  seen: MatchSeen | null;
}

/** From which scores on pairs are the same, or asked about: as the data says, or by hand; on a drawing of all scores. */
export function Limits({ match, set, seen }: Props) {
  const { limits } = match;
  const byHand = limits.same !== undefined || limits.ask !== undefined;
  const used = seen?.metrics.limits ?? null;
  // What was used last is what a hand begins with.
  const begin = {
    same: used?.same ?? BY_HAND.same,
    ask: Math.min(used?.ask ?? BY_HAND.ask, used?.same ?? BY_HAND.same),
  };
  const { same: _, ask: __, ...open } = limits;
  return (
    <aside className="min-w-0">
      <h2>
        {seen ? (
          <>
            {counted(
              seen.metrics.scores.reduce((a, b) => a + b, 0),
              "candidate pair",
            )}
            , <Link href={`/loads/${seen.load}`}>load {seen.load}</Link>
          </>
        ) : (
          "The limits"
        )}
      </h2>
      <div className="my-1 flex gap-4 text-sm" role="radiogroup" aria-label="Where the limits come from">
        <label className="flex items-center gap-1">
          <input type="radio" name="limits" checked={!byHand} onChange={() => set({ ...match, limits: open })} />
          from the data
        </label>
        <label className="flex items-center gap-1">
          <input
            type="radio"
            name="limits"
            checked={byHand}
            onChange={() => set({ ...match, limits: { ...open, ...begin } })}
          />
          by hand
        </label>
      </div>
      {byHand ? (
        <ByHand match={match} set={set} seen={seen} begin={begin} />
      ) : (
        <FromData match={match} set={set} seen={seen} />
      )}
      <Lead match={match} set={set} />
      {seen && <Doubts seen={seen} />}
      {seen && (
        <Samples samples={seen.metrics.samples} limits={byHand ? inUse(limits, begin) : fromDataOf(seen).limits} />
      )}
    </aside>
  );
}

function inUse({ same, ask }: MatchSection["limits"], begin: { same: number; ask: number }): LimitsInUse {
  return { same: same ?? begin.same, ask: ask ?? begin.ask };
}

function Chart({ seen, limits }: { seen: MatchSeen | null; limits: LimitsInUse }) {
  if (!seen) {
    return (
      <p className="faint text-sm">
        All candidate pairs are drawn here by score when the plan was tried or has loaded.
      </p>
    );
  }
  const { scores, limits: used, pairs } = seen.metrics;
  const asUsed = limits.same === used.same && limits.ask === used.ask;
  return <ScoreChart scores={scores} limits={limits} pairs={asUsed ? pairs : null} title="Candidate pairs by score" />;
}

/** Shares that can be wanted. */
const WANTED = [0.999, 0.995, 0.99, 0.98, 0.95, 0.9];

/** The limits that the data speaks for, even where others were set by hand. */
function fromDataOf({ metrics }: MatchSeen): { limits: LimitsInUse; estimate: LimitsEstimate } {
  return metrics.fromData ?? { limits: metrics.limits, estimate: estimateOf(metrics) };
}

function FromData({ match, set, seen }: Props) {
  const { precision, ...rest } = match.limits;
  const known = seen && fromDataOf(seen);
  return (
    <>
      {known && <Chart seen={seen} limits={known.limits} />}
      <label className="mt-2 flex items-center gap-2 text-sm">
        <span>wrong at most</span>
        <select
          className="select select-sm !w-56"
          value={precision ?? ""}
          onChange={(e) =>
            set({
              ...match,
              limits: e.target.value === "" ? rest : { ...rest, precision: Number(e.target.value) },
            })
          }
        >
          <option value="">5 in 1,000, or a little more</option>
          {[...new Set([...WANTED, ...(precision === undefined ? [] : [precision])])]
            .sort((a, b) => b - a)
            .map((p) => (
              <option key={p} value={p}>
                {grouped(Math.round((1 - p) * 10_000) / 10)} in 1,000
              </option>
            ))}
        </select>
      </label>
      <p className="mt-2 text-sm" aria-live="polite">
        {known ? (
          <>{sentence(limitsWords(known.limits, known.estimate))}</>
        ) : (
          "Limits follow from each delivery, so that no more is joined wrongly than this; where that can’t be told nothing is joined by itself."
        )}
      </p>
    </>
  );
}

function ByHand({ match, set, seen, begin }: Props & { begin: { same: number; ask: number } }) {
  const kept = { same: match.limits.same ?? begin.same, ask: match.limits.ask ?? begin.ask };
  const [limits, setLimits] = useState(kept);
  const [from, setFrom] = useState(match.limits);
  if (from !== match.limits) {
    setFrom(match.limits);
    setLimits(kept);
  }
  const move = (side: "ask" | "same", value: number): void => {
    if (!Number.isFinite(value)) return;
    const next = { ...limits, [side]: Math.max(0, Math.min(100, value)) };
    if (side === "ask") next.same = Math.max(next.same, next.ask);
    else next.ask = Math.min(next.ask, next.same);
    setLimits(next);
  };
  const commit = (): void => {
    if (limits.same !== kept.same || limits.ask !== kept.ask) set({ ...match, limits: { ...match.limits, ...limits } });
  };
  const moved = limits.same !== kept.same || limits.ask !== kept.ask;
  const here = seen && expectedAt(limits.same, seen.metrics, seen.decided);
  const before = seen && expectedAt(kept.same, seen.metrics, seen.decided);
  const slider = (side: "ask" | "same", words: string) => (
    <label className="mt-2 grid grid-cols-[6.5rem_1fr_3.5rem] items-center gap-2">
      <span>{words}</span>
      <input
        type="range"
        min={0}
        max={100}
        step={1}
        value={limits[side]}
        aria-label={`Limit: ${words}`}
        onChange={(e) => move(side, Number(e.target.value))}
        onPointerUp={commit}
        onKeyUp={commit}
        onBlur={commit}
        className="range range-xs"
      />
      <input
        className="input input-sm text-right tabular-nums"
        inputMode="numeric"
        aria-label={`Score: ${words}`}
        value={limits[side]}
        onChange={(e) => move(side, Number(e.target.value))}
        onBlur={commit}
      />
    </label>
  );
  return (
    <>
      <Chart seen={seen} limits={limits} />
      {slider("same", "same from")}
      {slider("ask", "ask from")}
      {here && before && (
        <p className="mt-2 text-sm" aria-live="polite">
          {here.precision === null || here.recall === null ? (
            "No pair would be joined."
          ) : (
            <>
              Of {counted(here.pairs, "same pair")}, <b>{wrongWords(here.precision)}</b>; they are about{" "}
              <b>{(here.recall * 100).toFixed(1)} %</b> of all that are
              {seen.metrics.wrong || seen.decided.length > 0
                ? "."
                : ", by the model’s own word, which nothing has checked."}
            </>
          )}
          {moved &&
            ` ${grouped(Math.abs(here.pairs - before.pairs))} pairs ${here.pairs >= before.pairs ? "more" : "fewer"} than at ${kept.same}.`}
          {seen.decided.length > 0 && (
            <span className="faint">
              {" "}
              {grouped(seen.decided.reduce((n, d) => n + d.all, 0))} decided pairs are counted in.
            </span>
          )}
        </p>
      )}
    </>
  );
}

function Lead({ match, set }: Pick<Props, "match" | "set">) {
  return (
    <label className="mt-2 grid grid-cols-[6.5rem_1fr_3.5rem] items-center gap-2">
      <span>lead at least</span>
      <span className="faint text-xs">ahead of the next candidate, or a person is asked</span>
      <input
        className="input input-sm text-right tabular-nums"
        inputMode="numeric"
        key={match.limits.lead ?? 0}
        defaultValue={match.limits.lead ?? 0}
        onBlur={(e) => {
          const lead = Number(e.target.value);
          if (!Number.isFinite(lead) || lead < 0 || lead > 100 || lead === (match.limits.lead ?? 0)) return;
          const { lead: _, ...rest } = match.limits;
          set({ ...match, limits: lead === 0 ? rest : { ...rest, lead } });
        }}
      />
    </label>
  );
}

/** What speaks against trusting the figures, and what would help. */
function Doubts({ seen }: { seen: MatchSeen }) {
  const doubts = doubtsWords(estimateOf(seen.metrics), seen.metrics.fields);
  if (doubts.length === 0) return null;
  return (
    <ul className="mt-2 space-y-1 border-l-4 border-[var(--ochre)] pl-2 text-sm">
      {doubts.map((words) => (
        <li key={words}>{words}</li>
      ))}
    </ul>
  );
}

function Samples({ samples, limits: { same, ask } }: { samples: readonly PairSample[]; limits: LimitsInUse }) {
  return (
    <>
      {same !== null && <Around title={`Just above ${same}: the same`} samples={nearest(samples, same, true)} />}
      {same !== null && same > ask && (
        <Around
          title={`Just below ${same}: asked about`}
          samples={nearest(
            samples.filter((s) => s.score >= ask),
            same,
            false,
          )}
        />
      )}
      {same === null && ask < 100 && (
        <Around title={`Just above ${ask}: asked about`} samples={nearest(samples, ask, true)} />
      )}
      <Around title={`Just below ${ask}: different`} samples={nearest(samples, ask, false)} />
    </>
  );
}

function nearest(samples: readonly PairSample[], limit: number, above: boolean): PairSample[] {
  return samples
    .filter((s) => (above ? s.score >= limit : s.score < limit))
    .sort((a, b) => Math.abs(a.score - limit) - Math.abs(b.score - limit))
    .slice(0, 4);
}

function Around({ title, samples }: { title: string; samples: readonly PairSample[] }) {
  return (
    <>
      <h3 className="mt-3 border-b border-[var(--ink)] pb-0.5 text-sm font-bold">{title}</h3>
      {samples.length === 0 && <p className="faint text-sm">none</p>}
      <ul>
        {samples.map((s, i) => (
          <li
            key={i}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_2rem] gap-2 border-b border-[var(--rule)] py-0.5 text-sm"
          >
            <span className="truncate" title={s.a.join(" · ")}>
              {s.a.filter((v) => v !== "").join(" · ")}
            </span>
            <span className="truncate" title={s.b.join(" · ")}>
              {s.b.filter((v) => v !== "").join(" · ")}
            </span>
            <b className="text-right tabular-nums">{Math.round(s.score)}</b>
          </li>
        ))}
      </ul>
    </>
  );
}
