"use client";

import { decidePairs, listPairs, withdrawPairs } from "@/routes/matches.ts";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { limitsWords } from "@/core/match/model/doubts.ts";
import { measuredWords, withMore } from "@/core/match/model/measured.ts";
import { estimateOf } from "@/core/match/metrics.ts";
import { stretchesOf, whyWords, type Stretch } from "@/core/match/why.ts";
import { comparedText, keepRules } from "@/core/match/schema.ts";
import { keepCluster } from "@/core/match/survive.ts";
import type { Decision } from "@/core/match/resolve.ts";
import type { PairOrder } from "@/core/match/model/asked.ts";
import type { AskedPair, PairFilter, PairPlan } from "@/store/matches.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";
import { isTyping } from "../shell/nav.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { ScoreChart } from "./score-chart.tsx";
import { counted, grouped, sentence } from "../kit/words.ts";

function settledWords(pairs: number, decision: Decision, settled: readonly Settled[]): string {
  const of = (state: Settled["state"]): number => settled.filter((s) => s.state === state).length;
  const what = [
    of("inserted") > 0 ? `${counted(of("inserted"), "record")} inserted` : "",
    of("merged") > 0 ? `${counted(of("merged"), "record")} merged` : "",
  ].filter((w) => w !== "");
  const stuck = settled.find((s) => s.problem !== null);
  const then = what.length > 0 ? what.join(", ") : "the record still waits for another pair";
  return `${counted(pairs, "pair")}: ${decision}; ${then}${stuck ? `. ${stuck.problem}` : ""}`;
}

interface Settled {
  load: number;
  record: number;
  state: "waiting" | "inserted" | "merged";
  problem: string | null;
}

/** What was decided at once, to be taken back at once. */
interface Done {
  readonly pairs: AskedPair[];
  readonly text: string;
}

const BAR = 64;

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
  const [pairs, setPairs] = useState(first);
  const [chosen, setChosen] = useState<number | null>(first[0]?.id ?? null);
  const [done, setDone] = useState<Done[]>([]);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [waiting, setWaiting] = useState(0);
  const planOf = useMemo(() => new Map(plans.map((p) => [`${p.load} ${p.plan}`, p])), [plans]);
  const at = Math.max(
    0,
    pairs.findIndex((p) => p.id === chosen),
  );
  const pair = pairs[at];
  const plan = pair && planOf.get(planKey(pair));
  const whys = useMemo(() => new Map(pairs.map((p) => [p.id, reasonsOf(p, planOf.get(planKey(p)))])), [pairs, planOf]);
  const alike = pair
    ? pairs.filter((p) => p.load === pair.load && whys.get(p.id)!.join() === whys.get(pair.id)!.join())
    : [];

  /** The same as `done`, for what runs later than it was asked for. */
  const taken = useRef<Done[]>([]);
  const remember = useCallback((list: Done[]): void => {
    taken.current = list;
    setDone(list);
  }, []);
  /** Decisions go to the server one after the other, however fast they are taken. */
  const queue = useRef<Promise<void>>(Promise.resolve());
  const inTurn = useCallback(
    (work: () => Promise<void>, failed: () => void): void => {
      setWaiting((n) => n + 1);
      queue.current = queue.current
        .then(work)
        .then(() => router.refresh())
        .catch((error: unknown) => {
          failed();
          setProblem(problemOf(error));
        })
        .finally(() => setWaiting((n) => n - 1));
    },
    [router],
  );

  const decide = useCallback(
    (which: readonly AskedPair[], decision: Decision): void => {
      if (which.length === 0) return;
      setProblem(null);
      // The next pair is shown at once; what comes back can only put pairs in again.
      const ids = new Set(which.map((p) => p.id));
      const rest = pairs.filter((p) => !ids.has(p.id));
      setPairs(rest);
      setChosen((pairs.slice(at).find((p) => !ids.has(p.id)) ?? rest.at(-1))?.id ?? null);
      inTurn(
        async () => {
          const { settled } = await ask(decidePairs, {
            body: { decisions: which.map((p) => ({ pair: p.id, decision })) },
          });
          const gone = new Set(settled.filter((s) => s.state !== "waiting").map((s) => `${s.load}:${s.record}`));
          remember([...taken.current, { pairs: [...which], text: settledWords(which.length, decision, settled) }]);
          setPairs((have) => have.filter((p) => !gone.has(`${p.load}:${p.record}`)));
        },
        () => {
          setPairs((have) => [...which, ...have.filter((p) => !ids.has(p.id))]);
          setChosen(which[0]!.id);
        },
      );
    },
    [at, inTurn, pairs, remember],
  );

  const withdraw = useCallback(
    async (which: readonly AskedPair[]): Promise<void> => {
      await ask(withdrawPairs, { body: { pairs: which.map((p) => p.id) } });
      const answer = await ask(listPairs, { query: filter });
      setPairs(answer.pairs);
      setChosen(which[0]!.id);
    },
    [filter],
  );

  const takeBack = (which: readonly AskedPair[]): void =>
    inTurn(
      () => withdraw(which),
      () => {},
    );

  // In its turn as well: what is undone is the last decision when all before it have come through.
  const undo = useCallback((): void => {
    inTurn(
      async () => {
        const last = taken.current.at(-1);
        if (!last) return;
        remember(taken.current.slice(0, -1));
        await withdraw(last.pairs);
      },
      () => {},
    );
  }, [inTurn, remember, withdraw]);

  const later = useCallback((): void => {
    if (!pair || pairs.length < 2) return;
    setPairs((have) => [...have.filter((p) => p.id !== pair.id), pair]);
    setChosen(pairs[at + 1]?.id ?? pairs[0]!.id);
  }, [at, pair, pairs]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
      if (document.querySelector("dialog[open]")) return;
      const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (move) {
        event.preventDefault();
        setChosen(pairs[Math.max(0, Math.min(pairs.length - 1, at + move))]?.id ?? null);
      } else if (event.key === "s" && pair) decide([pair], "same");
      else if (event.key === "d" && pair) decide([pair], "different");
      else if (event.key === "l") later();
      else if (event.key === "u") undo();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [at, decide, later, pair, pairs, undo]);

  const last = done.at(-1);
  return (
    <>
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
      <h1>
        {counted(count.open, "pair")} to decide, {grouped(count.decided)} done
        {waiting > 0 && <span className="loading loading-dots loading-xs ml-2" aria-label="deciding" />}
      </h1>
      {problem && <ProblemNote problem={problem} />}
      {last && (
        <p role="status" className="mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-1">
          {last.text}.{" "}
          <button type="button" className="plain" onClick={undo}>
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
                of 100.{" "}
                {pair.lead === null
                  ? "There is no other candidate."
                  : pair.lead >= 0
                    ? `The next candidate has ${Math.round(pair.score - pair.lead)}: a lead of ${Math.round(pair.lead)}.`
                    : `Another candidate has ${Math.round(pair.score - pair.lead)}.`}{" "}
                {decidedWords(before[pair.feed] ?? [], pair.score)}
              </p>
            </div>
            <div className="mt-3 flex flex-wrap items-center gap-3">
              <button type="button" className="btn btn-primary" onClick={() => decide([pair], "same")}>
                The same <kbd>S</kbd>
              </button>
              <button type="button" className="btn btn-line" onClick={() => decide([pair], "different")}>
                Different <kbd>D</kbd>
              </button>
              <button type="button" className="plain" disabled={pairs.length < 2} onClick={later}>
                Later <kbd>L</kbd>
              </button>
              {alike.length > 1 && (
                <span className="ml-auto">
                  {counted(alike.length - 1, "more pair")} {alike.length === 2 ? "is" : "are"} like this one: all{" "}
                  {alike.length}{" "}
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
          {plan?.matches && (
            <>
              <h2>
                {counted(
                  plan.matches.scores.reduce((a, b) => a + b, 0),
                  "candidate pair",
                )}{" "}
                of load {plan.load} by score
              </h2>
              <ScoreChart scores={plan.matches.scores} limits={plan.matches.limits} title="Candidate pairs by score" />
              <p className="mt-1 text-sm">
                {sentence(limitsWords(plan.matches.limits, estimateOf(plan.matches)))}{" "}
                <Link className="underline" href={`/feeds/${plan ? pair!.feed : ""}/plan`}>
                  Move a limit
                </Link>
              </p>
              <Measured answered={estimateOf(plan.matches).answered} />
            </>
          )}
          <div className="mt-3 flex items-baseline justify-between gap-2 border-b border-[var(--ink)] pb-1">
            <h2>Next</h2>
            <select
              className="select select-xs !w-44"
              aria-label="Which pairs come first"
              value={order}
              onChange={(e) => router.push(pairsHref(filter, e.target.value as PairOrder))}
            >
              <option value="alike">the most alike first</option>
              <option value="unsure">those that teach most first</option>
            </select>
            <span className="faint text-xs">score, lead</span>
          </div>
          <ul className="max-h-[46dvh] overflow-auto" tabIndex={0} aria-label="Pairs to decide">
            {pairs.slice(0, 200).map((p) => {
              const [left, right] = titleOf(p, planOf.get(planKey(p)));
              return (
                <li key={p.id}>
                  <button
                    type="button"
                    onClick={() => setChosen(p.id)}
                    aria-current={p.id === pair?.id ? "true" : undefined}
                    className={`grid w-full cursor-pointer grid-cols-[minmax(0,1fr)_minmax(0,1fr)_2.2rem_2.2rem] gap-2 border-b border-l-4 border-b-[var(--rule)] py-1 pl-2 text-left ${p.id === pair?.id ? "border-l-[var(--pine)] bg-[var(--shade)]" : "border-l-transparent"}`}
                  >
                    <span className="truncate">{left}</span>
                    <span className="truncate">{right}</span>
                    <b className="text-right tabular-nums">{Math.round(p.score)}</b>
                    <span className={`text-right tabular-nums ${p.lead !== null && p.lead < 12 ? "held" : "faint"}`}>
                      {p.lead === null ? "" : Math.round(p.lead)}
                    </span>
                  </button>
                </li>
              );
            })}
          </ul>
          {pairs.length < count.open && (
            <p className="faint mt-1 text-xs">
              The {grouped(pairs.length)} most alike of {grouped(count.open)}.
            </p>
          )}
          {decided.length > 0 && (
            <details className="mt-3">
              <summary className="cursor-pointer">
                <b>Decided</b> <span className="faint">the last {grouped(decided.length)}</span>
              </summary>
              <ul>
                {decided.map((p) => {
                  const [left, right] = titleOf(p, planOf.get(planKey(p)));
                  return (
                    <li
                      key={p.id}
                      className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_auto_auto] gap-2 border-b border-[var(--rule)] py-1"
                    >
                      <span className="truncate">{left}</span>
                      <span className="truncate">{right}</span>
                      <span className={p.decision === "same" ? "loaded" : "faint"}>{p.decision}</span>
                      <button type="button" className="plain" onClick={() => takeBack([p])}>
                        take back
                      </button>
                    </li>
                  );
                })}
              </ul>
            </details>
          )}
        </aside>
      </div>
    </>
  );
}

/** What of a record a field compares. */
/** A pair's load, and the plan that its values are of: that of the load, or of a later release. */
const planKey = (p: AskedPair): string => `${p.load} ${p.plan}`;

function valueOf(values: readonly string[], plan: PairPlan, names: readonly string[]): string {
  return comparedText({ in: names }, (name) => values[plan.fields.findIndex((f) => f.name === name)] ?? "");
}

function reasonsOf(pair: AskedPair, plan: PairPlan | undefined): string[] {
  if (!plan) return [];
  return plan.match.fields.map((f, i) =>
    whyWords(f, valueOf(pair.values, plan, f.in), valueOf(pair.otherValues, plan, f.in), pair.shares[i] ?? 0),
  );
}

function titleOf(pair: AskedPair, plan: PairPlan | undefined): [string, string] {
  if (!plan) return ["", ""];
  const persons = plan.match.fields.filter((f) => f.by === "person");
  const names =
    persons.length > 0 ? persons.slice(0, 2) : plan.match.fields.filter((f) => f.by === "words").slice(0, 2);
  const title = (values: readonly string[]): string =>
    (names.length > 0 ? names : plan.match.fields.slice(0, 1)).map((f) => valueOf(values, plan, f.in)).join(" ");
  return [title(pair.values), title(pair.otherValues)];
}

/** The page with these pairs in an order. */
function pairsHref({ feed, load }: PairFilter, order: PairOrder): string {
  const query = new URLSearchParams({
    ...(feed !== undefined && { feed }),
    ...(load !== undefined && { load: String(load) }),
    ...(order !== "alike" && { order }),
  });
  return query.size === 0 ? "/matches" : `/matches?${query}`;
}

/** Answers that are spoken of together. */
const MORE = 20;

/** What decided pairs say of the limit, and what more of them would. */
function Measured({ answered }: { answered: { right: number; all: number } | undefined }) {
  const { right, all } = answered ?? { right: 0, all: 0 };
  const words = measuredWords(right, all);
  const { now, then } = withMore(right, all, MORE);
  const half = (width: number): string => `${Math.round(50 * width)} %`;
  return (
    <p className="faint mt-1 text-sm">
      {words === null
        ? "No decided pair scores as high as the limit yet, so nothing is measured. Decided pairs teach the estimate from the next load on."
        : `Measured from the limit on: ${words}. ${MORE} more answers there would narrow that from about ±${half(now)} to ±${half(then)}.`}
    </p>
  );
}

function decidedWords(before: readonly { from: number; same: number; all: number }[], score: number): string {
  const near = before.filter((b) => Math.abs(b.from + 5 - score) <= 10);
  const all = near.reduce((n, b) => n + b.all, 0);
  if (all === 0) return "";
  const same = near.reduce((n, b) => n + b.same, 0);
  const [from, to] = [near[0]!.from, near.at(-1)!.from + 10];
  return `Of pairs that were decided between ${from} and ${to}, ${grouped(same)} of ${grouped(all)} were the same.`;
}

function Compared({ pair, plan }: { pair: AskedPair; plan: PairPlan }) {
  const known = pair.entry
    ? `entry ${pair.entry[1]} of the list ${pair.entry[0]}`
    : pair.other === null
      ? "known, in the target"
      : `record ${grouped(pair.other + 1)} of this delivery`;
  const compared = new Set(plan.match.fields.flatMap((f) => f.in));
  const others = plan.fields.filter((f) => !compared.has(f.name));
  const reasons = reasonsOf(pair, plan);
  const widest = Math.max(8, ...pair.shares.map(Math.abs));
  return (
    <table className="w-full border-t border-b border-[var(--ink)]">
      <thead>
        <tr className="border-b border-[var(--rule)] text-left">
          <th className="w-32 py-1.5" />
          <th className="py-1.5">
            <Link href={`/loads/${pair.load}/records?outcome=waiting`}>arrived, record {grouped(pair.record + 1)}</Link>
          </th>
          <th>{known}</th>
          <th className="w-[21rem] font-normal">
            <span className="faint text-xs">speaks against, or for</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {plan.match.fields.map((f, i) => {
          const a = valueOf(pair.values, plan, f.in);
          const b = valueOf(pair.otherValues, plan, f.in);
          const [left, right] = stretchesOf(a, b);
          const bits = pair.shares[i] ?? 0;
          const wide = (Math.abs(bits) / widest) * BAR;
          return (
            <tr key={f.in.join()} className="border-b border-[var(--rule)] align-top">
              <td className="faint py-1.5 pr-3">{f.in.join(", ")}</td>
              <Text stretches={left} />
              <Text stretches={right} />
              <td className="py-1.5">
                <span className="flex items-center gap-2">
                  <svg width={2 * BAR} height="10" aria-hidden="true" className="shrink-0">
                    <line x1={BAR} x2={BAR} y1="0" y2="10" stroke="currentColor" />
                    <rect
                      x={bits < 0 ? BAR - wide : BAR}
                      width={wide}
                      y="1"
                      height="8"
                      fill={bits < 0 ? "var(--plum)" : "var(--pine)"}
                    />
                  </svg>
                  <span className={`w-11 text-right tabular-nums ${bits < 0 ? "held" : ""}`}>
                    {bits > 0 ? "+" : bits < 0 ? "−" : ""}
                    {Math.abs(bits).toFixed(1)}
                  </span>
                  <span className="faint text-xs">{reasons[i]}</span>
                </span>
              </td>
            </tr>
          );
        })}
        {others.map((f) => {
          const at = plan.fields.indexOf(f);
          return (
            <tr key={f.name} className="border-b border-[var(--rule)] align-top">
              <td className="faint py-1 pr-3">{f.name}</td>
              <td className="py-1 pr-3 break-words">{pair.values[at]}</td>
              <td className="py-1 pr-3 break-words">{pair.otherValues[at]}</td>
              <td className="faint py-1 text-xs">
                {plan.key.includes(f.name) ? "the key, not compared" : "not compared"}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Text({ stretches }: { stretches: readonly Stretch[] }) {
  return (
    <td className="max-w-0 py-1.5 pr-3 text-[1.05rem] break-words whitespace-pre-wrap">
      {stretches.map((s, i) =>
        s.same ? (
          <span key={i}>{s.text}</span>
        ) : (
          <mark key={i} className="border-b-2 border-[var(--ochre)] bg-transparent text-inherit">
            {s.text}
          </mark>
        ),
      )}
    </td>
  );
}

/** The record that would be kept if the two are the same. */
function Kept({ pair, plan }: { pair: AskedPair; plan: PairPlan }) {
  const rules = keepRules(plan.match, plan.fields);
  // What is kept has the key of the first: of the one that is there, unless that is an entry of a list.
  const order = pair.entry ? [pair.values, pair.otherValues] : [pair.otherValues, pair.values];
  const words = pair.entry ? ["arrived", "the list"] : ["known", "arrived"];
  const { values, from } = keepCluster(plan.match, plan.fields, plan.key, order, plan.formulas);
  return (
    <section className="mt-5">
      <h2>What would be kept</h2>
      <table className="ledger">
        <thead>
          <tr>
            <th>field</th>
            <th>value</th>
            <th>from</th>
            <th>because</th>
          </tr>
        </thead>
        <tbody>
          {plan.fields.map((f, i) => {
            const key = plan.key.includes(f.name);
            const value = values[i]!;
            const both = pair.values[i] === pair.otherValues[i];
            const only = (pair.values[i] === "") !== (pair.otherValues[i] === "");
            return (
              <tr key={f.name}>
                <td className="faint">{f.name}</td>
                <td className="font-semibold">{value}</td>
                <td>{value === "" ? "" : both ? "both" : words[from[i]!]}</td>
                <td className="faint">
                  {key
                    ? "the key, never changed"
                    : value === ""
                      ? "empty"
                      : both
                        ? "equal"
                        : only
                          ? "the only one filled"
                          : rules[i]}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
