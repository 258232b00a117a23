"use client";

import { useRouter } from "next/navigation";
import { useEffect, useMemo } from "react";
import { limitsWords } from "@/core/match/model/doubts.ts";
import { estimateOf } from "@/core/match/metrics.ts";
import type { PairOrder } from "@/core/match/model/asked.ts";
import type { AskedPair, PairFilter, PairPlan } from "@/store/matches.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted, grouped, sentence } from "../kit/words.ts";
import { isTyping } from "../shell/nav.tsx";
import { Compared } from "./compared.tsx";
import { Kept } from "./kept.tsx";
import { Measured } from "./measured.tsx";
import { DecidedPairs, NextPairs } from "./pair-lists.tsx";
import { decidedWords, leadWords, pairsHref, planKey, reasonsOf } from "./pair-words.ts";
import { placeOf } from "./pairs.ts";
import { ScoreChart } from "./score-chart.tsx";
import { usePairs, type PairsWork } from "./use-pairs.ts";

/** Pairs to decide: the two records beside each other by field, why they score as they do, and what would be kept. */
export function MatchDesk({
  filter,
  order,
  first,
  count,
  decided,
  plans,
  before,
  titles,
}: {
  filter: PairFilter;
  order: PairOrder;
  first: AskedPair[];
  count: { open: number; decided: number; records: number };
  decided: AskedPair[];
  plans: PairPlan[];
  before: Record<string, { from: number; same: number; all: number }[]>;
  titles: Record<string, string>;
}) {
  const router = useRouter();
  const work = usePairs(first, filter);
  const { pairs } = work.state;
  const pair = pairs[placeOf(work.state)];
  usePairKeys(work, pair);
  const planOf = useMemo(() => new Map(plans.map((p) => [planKey(p), p])), [plans]);
  const plan = pair && planOf.get(planKey(pair));
  const reasons = useMemo(
    () => new Map(pairs.map((p) => [p.id, reasonsOf(p, planOf.get(planKey(p))).join()])),
    [pairs, planOf],
  );
  const alike = pair ? pairs.filter((p) => p.load === pair.load && reasons.get(p.id) === reasons.get(pair.id)) : [];
  const { last, problem } = work;
  return (
    <>
      <Whose pair={pair} filter={filter} titles={titles} />
      <h1>
        {counted(count.open, "pair")} to decide, {grouped(count.decided)} done
        {work.busy && <span className="loading loading-dots loading-xs ml-2" aria-label="deciding" />}
      </h1>
      {problem && <ProblemNote problem={problem} />}
      {last && (
        <p role="status" className="mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-1">
          {last.text}.{" "}
          <button type="button" className="plain" onClick={work.undo}>
            Take that back <kbd>U</kbd>
          </button>
        </p>
      )}
      <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_22rem]">
        {pair && plan ? (
          <section aria-label="The pair" className="min-w-0">
            <Compared pair={pair} plan={plan} />
            <div className="mt-3 flex items-baseline gap-5">
              <b className="text-3xl tabular-nums">{Math.round(pair.score)}</b>
              <p>
                of 100. {leadWords(pair)} {decidedWords(before[pair.feed] ?? [], pair.score)}
              </p>
            </div>
            <Answers {...{ work, pair, alike }} />
            <Kept pair={pair} plan={plan} />
          </section>
        ) : (
          <section>
            <h2>No pair is to be decided</h2>
            <p className="my-2">
              When a plan says what is compared, pairs that may be one thing will be here, each with the reasons for and
              against. Records wait until theirs are decided. In a feed’s plan, the stage Match sets it up.
            </p>
          </section>
        )}
        <aside className="min-w-0 border-[var(--rule)] lg:border-l lg:pl-6">
          {pair && plan?.matches && <Scores feed={pair.feed} load={plan.load} matches={plan.matches} />}
          <NextPairs
            {...{ pairs, planOf, order }}
            shown={pair}
            open={count.open}
            choose={(id) => work.tell({ does: "choose", id })}
            reorder={(to) => router.push(pairsHref(filter, to))}
          />
          {decided.length > 0 && <DecidedPairs pairs={decided} planOf={planOf} takeBack={(p) => work.takeBack([p])} />}
        </aside>
      </div>
    </>
  );
}

/** Whose pairs these are. */
function Whose({
  pair,
  filter,
  titles,
}: {
  pair: AskedPair | undefined;
  filter: PairFilter;
  titles: Readonly<Record<string, string>>;
}) {
  return (
    <p className="faint">
      {pair ? (
        <>
          <Link href={`/feeds/${pair.feed}`}>{titles[pair.feed]}</Link> /{" "}
          <Link href={`/loads/${pair.load}`}>load {pair.load}</Link>
        </>
      ) : (
        "all feeds"
      )}
      {(filter.load !== undefined || filter.feed !== undefined) && (
        <>
          {" · "}
          <Link className="underline" href="/matches">
            all pairs to decide
          </Link>
        </>
      )}
    </p>
  );
}

/** What can be said of the pair, and of all that are like it. */
function Answers({ work, pair, alike }: { work: PairsWork; pair: AskedPair; alike: readonly AskedPair[] }) {
  const { decide, tell } = work;
  return (
    <div className="mt-3 flex flex-wrap items-center gap-3">
      <button type="button" className="btn btn-primary" onClick={() => decide([pair], "same")}>
        The same <kbd>S</kbd>
      </button>
      <button type="button" className="btn btn-line" onClick={() => decide([pair], "different")}>
        Different <kbd>D</kbd>
      </button>
      <button
        type="button"
        className="plain"
        disabled={work.state.pairs.length < 2}
        onClick={() => tell({ does: "later" })}
      >
        Later <kbd>L</kbd>
      </button>
      {alike.length > 1 && (
        <span className="ml-auto">
          {counted(alike.length - 1, "more pair")} {alike.length === 2 ? "is" : "are"} like this one: all {alike.length}{" "}
          <button type="button" className="plain" onClick={() => decide(alike, "same")}>
            the same
          </button>
          {" or "}
          <button type="button" className="plain" onClick={() => decide(alike, "different")}>
            different
          </button>
        </span>
      )}
    </div>
  );
}

/** The candidate pairs of the pair's load by score, where the limits lie, and what is measured of them. */
function Scores({ feed, load, matches }: { feed: string; load: number; matches: NonNullable<PairPlan["matches"]> }) {
  const { scores, limits, pairs } = matches;
  const estimate = estimateOf(matches);
  return (
    <>
      <h2>
        {counted(
          scores.reduce((a, b) => a + b, 0),
          "candidate pair",
        )}{" "}
        of load {load} by score
      </h2>
      <ScoreChart scores={scores} limits={limits} pairs={pairs} title="Candidate pairs by score" />
      <p className="mt-1 text-sm">
        {sentence(limitsWords(limits, estimate))}{" "}
        <Link className="underline" href={`/feeds/${feed}/plan`}>
          Move a limit
        </Link>
      </p>
      <Measured answered={estimate.answered} />
    </>
  );
}

/** The desk by keys alone. */
function usePairKeys({ tell, decide, undo }: PairsWork, pair: AskedPair | undefined): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
      if (document.querySelector("dialog[open]")) return;
      const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (by) {
        event.preventDefault();
        tell({ does: "move", by });
      } else if (event.key === "s" && pair) decide([pair], "same");
      else if (event.key === "d" && pair) decide([pair], "different");
      else if (event.key === "l") tell({ does: "later" });
      else if (event.key === "u") undo();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [tell, decide, undo, pair]);
}
