"use client";

import { useState } from "react";
import Link from "next/link";
import { COMPARATOR_IDS, comparatorPart, type ComparatorId } from "@/core/match/compare/index.ts";
import { expectedAt, type MatchMetrics, type PairSample } from "@/core/match/metrics.ts";
import { sameShare, type MatchModel, type PairKind } from "@/core/match/model.ts";
import { proposeMatch } from "@/core/match/propose.ts";
import {
  SURVIVORSHIP,
  keepRules,
  mayBeShared,
  type MatchField,
  type MatchSection,
  type Survivorship,
} from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { FormulaEditor } from "../../formulas/formula-editor.tsx";
import { MatchAgainst } from "../../matches/match-against.tsx";
import { useNamed } from "../../formulas/use-formulas.ts";
import { OptionsForm } from "../../kit/options-form.tsx";
import { ScoreChart } from "../../matches/score-chart.tsx";
import { counted, grouped } from "../../kit/words.ts";

export interface MatchSeen {
  /** The load or trial that the numbers are of. */
  readonly load: number;
  readonly metrics: MatchMetrics;
  /** Of pairs that people decided, how many were the same, by score in stretches of ten. */
  readonly decided: readonly { from: number; same: number; all: number }[];
}

interface Props {
  plan: Plan;
  change: (plan: Plan) => void;
  seen: MatchSeen | null;
}

/** What is compared and how, the limits on a drawing of all scores, and whose values are kept. */
export function MatchStage({ plan, change, seen }: Props) {
  const { match } = plan;
  if (!match) {
    const proposed = proposeMatch(plan.contract.fields, plan.load.key);
    return (
      <div className="max-w-2xl">
        <p>
          Nothing is compared: records that are one thing in the world stay apart. Say what is compared, and they are
          found: within a delivery, and against what the target or a reference list has.
        </p>
        {proposed ? (
          <>
            <p className="mt-2">
              From the types and names of the fields, this would be compared:{" "}
              {proposed.fields.map((f) => f.in.join(" and ")).join(", ")}.
            </p>
            <button type="button" className="btn btn-primary mt-3" onClick={() => change({ ...plan, match: proposed })}>
              Compare {counted(proposed.fields.length, "field")}
            </button>
          </>
        ) : (
          <p className="faint mt-2">The contract has no field that could be compared beside its key.</p>
        )}
      </div>
    );
  }
  const set = (next: MatchSection): void => change({ ...plan, match: next });
  // Numbers of another match say nothing about this one.
  const fits = seen !== null && seen.metrics.fields.join() === match.fields.map((f) => f.in.join(" + ")).join();
  return (
    <div className="grid grid-cols-1 gap-6 xl:grid-cols-[minmax(0,1fr)_23rem]">
      <div className="min-w-0">
        <MatchAgainst plan={plan} match={match} set={set} />
        <FieldsCompared plan={plan} match={match} set={set} seen={fits ? seen : null} />
        <KeptValues plan={plan} match={match} set={set} />
        <button
          type="button"
          className="plain mt-4"
          onClick={() => {
            const { match: _, ...rest } = plan;
            change(rest);
          }}
        >
          Compare nothing
        </button>
      </div>
      <Limits match={match} set={set} seen={fits ? seen : null} />
    </div>
  );
}

interface PartProps {
  plan: Plan;
  match: MatchSection;
  set: (match: MatchSection) => void;
}

function FieldsCompared({ plan, match, set, seen }: PartProps & { seen: MatchSeen | null }) {
  const names = plan.contract.fields.map((f) => f.name);
  const [open, setOpen] = useState<number | null>(null);
  const put = (i: number, field: MatchField | null): void =>
    set({ ...match, fields: match.fields.flatMap((f, j) => (j !== i ? [f] : field ? [field] : [])) });
  const free = names.filter((n) => !match.fields.some((f) => f.in.includes(n)));
  return (
    <>
      <h2 className="mt-4">What is compared, {match.fields.length}</h2>
      <table className="ledger">
        <thead>
          <tr>
            <th>field</th>
            <th>by</th>
            <th className="n" title="Bits of evidence when the values are equal">
              equal
            </th>
            <th className="n" title="Bits of evidence when they are different">
              different
            </th>
            <th />
          </tr>
        </thead>
        <tbody>
          {match.fields.map((f, i) => {
            const part = comparatorPart(f.by);
            const weights = f.weights ?? seen?.metrics.model.fields[i]?.weights;
            const last = part.levels.length + 1;
            return [
              <tr key={i}>
                <td>
                  <span className="font-semibold">{f.in.join(", ")}</span>
                  {mayBeShared(f) && <span className="faint ml-2 text-xs">may be shared</span>}
                </td>
                <td>
                  <select
                    className="select select-sm w-56"
                    aria-label={`How ${f.in.join(", ")} is compared`}
                    value={f.by}
                    onChange={(e) => {
                      const by = e.target.value as ComparatorId;
                      const kept = f.shared === undefined ? {} : { shared: f.shared };
                      put(i, { in: f.in, by, ...kept, ...(by === "distance" ? { km: 10 } : {}) });
                    }}
                  >
                    {COMPARATOR_IDS.map((id) => (
                      <option key={id} value={id}>
                        {comparatorPart(id).title}
                      </option>
                    ))}
                  </select>
                </td>
                <td className="n">{weights ? bits(weights[0]!) : ""}</td>
                <td className="n held">{weights ? bits(weights[last]!) : ""}</td>
                <td className="text-right whitespace-nowrap">
                  <button
                    type="button"
                    className="plain"
                    aria-expanded={open === i}
                    onClick={() => setOpen(open === i ? null : i)}
                  >
                    {open === i ? "close" : "settings"}
                  </button>
                  <button
                    type="button"
                    className="plain ml-3 disabled:opacity-40"
                    disabled={match.fields.length === 1}
                    onClick={() => put(i, null)}
                  >
                    take out
                  </button>
                </td>
              </tr>,
              open === i && (
                <tr key={`${i} open`}>
                  <td colSpan={5} className="bg-[var(--paper-bright)] px-3 py-2">
                    <p className="mb-1">
                      {part.about} {part.source && <span className="faint">{part.source}.</span>}
                    </p>
                    <fieldset className="mb-2 flex flex-wrap gap-x-3">
                      <legend className="faint text-xs">
                        Fields that are compared as one; several are put together with a space
                      </legend>
                      {names.map((n) => (
                        <label key={n} className="flex items-center gap-1">
                          <input
                            type="checkbox"
                            checked={f.in.includes(n)}
                            disabled={f.in.length === 1 && f.in.includes(n)}
                            onChange={(e) =>
                              put(i, { ...f, in: e.target.checked ? [...f.in, n] : f.in.filter((x) => x !== n) })
                            }
                          />
                          {n}
                        </label>
                      ))}
                    </fieldset>
                    <label className="mb-2 flex items-center gap-2">
                      <input
                        type="checkbox"
                        checked={mayBeShared(f)}
                        onChange={(e) => {
                          const { shared: _, ...rest } = f;
                          const own = rest as MatchField;
                          put(i, mayBeShared(own) === e.target.checked ? own : { ...own, shared: e.target.checked });
                        }}
                      />
                      <span>
                        records that are not the same may share it, and one may change it{" "}
                        <span className="faint">as a household its address</span>
                      </span>
                    </label>
                    <OptionsForm part={part} step={f} plan={plan} set={(next) => put(i, next)} />
                    <Weights field={f} weights={weights} set={(next) => put(i, next)} />
                  </td>
                </tr>
              ),
            ];
          })}
        </tbody>
      </table>
      {free.length > 0 && match.fields.length < 16 && (
        <label className="mt-2 flex items-center gap-2 whitespace-nowrap">
          <span className="faint">also compare</span>
          <select
            className="select select-sm !w-44"
            value=""
            onChange={(e) => {
              const field = plan.contract.fields.filter((f) => f.name === e.target.value);
              const guess = proposeMatch(field, [])?.fields[0] ?? { in: [e.target.value], by: "equal" as const };
              set({ ...match, fields: [...match.fields, guess] });
            }}
          >
            <option value="">a field…</option>
            {free.map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </label>
      )}
      {seen && <KindsOfPairs model={seen.metrics.model} />}
      {!seen && (
        <p className="faint mt-2 text-sm">
          What each field weighs is estimated from the data, without anyone’s labels: try the plan on the latest
          delivery.
        </p>
      )}
    </>
  );
}

/** What else there is among the pairs than the same and any two. */
function KindsOfPairs({ model }: { model: MatchModel }) {
  const of = (kind: PairKind["kind"]): number =>
    (model.kinds?.find((k) => k.kind === kind)?.prior ?? 0) / sameShare(model);
  const [related, moved] = [of("related"), of("moved")];
  if (related + moved === 0) return null;
  return (
    <p className="mt-2 max-w-3xl text-sm">
      {related > 0 && (
        <>
          For each 100 pairs that are the same there are about {grouped(Math.round(100 * related))} of records that only
          belong together: what may be shared says nothing for these.{" "}
        </>
      )}
      {moved > 0 && (
        <>
          Of the pairs that are the same about {Math.round(100 * moved)} % differ in what may be shared, as if they had
          moved.
        </>
      )}
    </p>
  );
}

function bits(n: number): string {
  return `${n > 0 ? "+" : n < 0 ? "−" : ""}${Math.abs(n).toFixed(1)}`;
}

/** The bits of each level: what the data says, or what a person has set. */
function Weights({
  field,
  weights,
  set,
}: {
  field: MatchField;
  weights: readonly number[] | undefined;
  set: (field: MatchField) => void;
}) {
  const part = comparatorPart(field.by);
  const words = ["equal", ...part.levels.map((l) => `from ${l}`), "less"];
  const own = field.weights;
  return (
    <div className="mt-2">
      <div className="flex flex-wrap items-end gap-3">
        {words.map((word, l) => (
          <label key={word} className="text-xs">
            <span className="faint block">{word}</span>
            <input
              className="input input-sm w-16 text-right tabular-nums"
              aria-label={`Bits for ${word}`}
              key={`${own?.[l] ?? weights?.[l]}`}
              defaultValue={own?.[l] ?? weights?.[l]?.toFixed(1) ?? ""}
              disabled={!own}
              inputMode="decimal"
              onBlur={(e) => {
                const n = Number(e.target.value);
                if (own && e.target.value.trim() !== "" && Number.isFinite(n) && n !== own[l])
                  set({ ...field, weights: own.map((w, i) => (i === l ? Math.max(-60, Math.min(60, n)) : w)) });
              }}
            />
          </label>
        ))}
        {own ? (
          <button
            type="button"
            className="plain"
            onClick={() => {
              const { weights: _, ...rest } = field;
              set(rest as MatchField);
            }}
          >
            estimate them from the data
          </button>
        ) : (
          <button
            type="button"
            className="plain disabled:opacity-40"
            disabled={!weights}
            onClick={() => set({ ...field, weights: words.map((_, l) => Math.round(weights![l]! * 10) / 10) })}
          >
            set them by hand
          </button>
        )}
      </div>
      <p className="faint text-xs">
        Bits of evidence for the same (+) and against it (−), by how alike the values are.
      </p>
    </div>
  );
}

const RULE_WORDS: Record<Survivorship, string> = {
  first: "the first one’s",
  last: "the last one’s",
  recent: "the most recent record’s",
  complete: "the most complete record’s",
  "most frequent": "the most frequent value",
  longest: "the longest value",
  greatest: "the greatest value",
  least: "the least value",
  trusted: "the most trusted one’s",
  ranked: "the one’s that a formula ranks highest",
};

function KeptValues({ plan, match, set }: PartProps) {
  const fields = plan.contract.fields.filter((f) => !plan.load.key.includes(f.name));
  const rules = keepRules(match, fields);
  const other = match.keep?.["*"] ?? (match.recent ? "recent" : "complete");
  const keep = (name: string, rule: Survivorship | null): void => {
    const { [name]: _, ...rest } = match.keep ?? {};
    const next = rule ? { ...rest, [name]: rule } : rest;
    const { keep: __, ...without } = match;
    // What a rule goes by must be said, so it begins with something that can be.
    const more =
      rule === "trusted" && !match.trust
        ? { trust: { field: plan.contract.fields[0]!.name, order: ["first"] } }
        : rule === "ranked" && match.rank === undefined
          ? { rank: "0" }
          : {};
    set(Object.keys(next).length > 0 ? { ...without, ...more, keep: next } : without);
  };
  const named = useNamed(plan);
  const uses = (rule: Survivorship): boolean => Object.values(match.keep ?? {}).includes(rule);
  const choice = (label: string, value: string, own: boolean, put: (rule: Survivorship | null) => void) => (
    <select
      className="select select-sm !w-52 shrink-0"
      aria-label={label}
      value={own ? value : ""}
      onChange={(e) => put(e.target.value === "" ? null : (e.target.value as Survivorship))}
    >
      <option value="">{label.endsWith("other fields") ? "by default" : "as the others"}</option>
      {SURVIVORSHIP.map((s) => (
        <option key={s} value={s}>
          {RULE_WORDS[s]}
        </option>
      ))}
    </select>
  );
  return (
    <>
      <h2 className="mt-5">Whose value the kept record has</h2>
      <div className="mb-2 flex flex-wrap items-center gap-x-5 gap-y-1">
        <label className="flex items-center gap-2 whitespace-nowrap">
          <span className="faint">a record is the more recent by</span>
          <select
            className="select select-sm !w-40"
            value={match.recent ?? ""}
            onChange={(e) => {
              const { recent: _, ...rest } = match;
              set(e.target.value === "" ? rest : { ...rest, recent: e.target.value });
            }}
          >
            <option value="">nothing</option>
            {fields.map((f) => (
              <option key={f.name}>{f.name}</option>
            ))}
          </select>
        </label>
        <span className="flex items-center gap-2 whitespace-nowrap">
          <span className="faint">all other fields</span>
          {choice("Whose value is kept in all other fields", other, match.keep?.["*"] !== undefined, (r) =>
            keep("*", r),
          )}
          {match.keep?.["*"] === undefined && <span className="faint text-sm">({RULE_WORDS[other]})</span>}
        </span>
      </div>
      {uses("trusted") && <Trust plan={plan} match={match} set={set} />}
      {uses("ranked") && (
        <div className="mb-2 max-w-2xl">
          <span className="faint text-sm">of two records the one is ranked higher for which this gives more</span>
          <FormulaEditor
            label="Formula that ranks records"
            value={match.rank ?? ""}
            scope={{ fields: plan.contract.fields, named }}
            placeholder="size(remarks)"
            onChange={(rank) => set({ ...match, rank })}
          />
        </div>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(21rem,1fr))] gap-x-6 gap-y-1">
        {fields.map((f, i) => (
          <div key={f.name} className="flex items-center justify-between gap-2 border-b border-[var(--rule)] pb-0.5">
            <span className={match.keep?.[f.name] ? "font-semibold" : ""}>{f.name}</span>
            {choice(`Whose value of ${f.name} is kept`, rules[i]!, match.keep?.[f.name] !== undefined, (r) =>
              keep(f.name, r),
            )}
          </div>
        ))}
      </div>
      <p className="faint mt-1 text-xs">
        An empty value is never kept where another record has one; the key is never changed.
      </p>
    </>
  );
}

/** Whom to trust, in their order. */
function Trust({ plan, match, set }: PartProps) {
  const trust = match.trust ?? { field: plan.contract.fields[0]!.name, order: [] };
  const field = plan.contract.fields.find((f) => f.name === trust.field);
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <div className="mb-2 flex flex-wrap items-center gap-2">
      <span className="faint">trusted is who stands in</span>
      <select
        className="select select-sm !w-40"
        aria-label="Field that tells whom a record is from"
        value={trust.field}
        onChange={(e) => {
          const values = plan.contract.fields.find((f) => f.name === e.target.value)?.values;
          set({ ...match, trust: { field: e.target.value, order: values ?? trust.order } });
        }}
      >
        {plan.contract.fields.map((f) => (
          <option key={f.name}>{f.name}</option>
        ))}
      </select>
      <span className="faint">the most first</span>
      <input
        className="input input-sm !w-80"
        aria-label="Values of that field, the most trusted first"
        placeholder={(field?.values ?? ["a", "b"]).join(", ")}
        value={draft ?? trust.order.join(", ")}
        onChange={(e) => setDraft(e.target.value)}
        onBlur={(e) => {
          setDraft(null);
          const order = e.target.value
            .split(",")
            .map((v) => v.trim())
            .filter((v) => v !== "");
          if (order.length > 0) set({ ...match, trust: { ...trust, order } });
        }}
      />
    </div>
  );
}

function Limits({
  match,
  set,
  seen,
}: {
  match: MatchSection;
  set: (match: MatchSection) => void;
  seen: MatchSeen | null;
}) {
  const [limits, setLimits] = useState(match.limits);
  const [from, setFrom] = useState(match.limits);
  if (from !== match.limits) {
    setFrom(match.limits);
    setLimits(match.limits);
  }
  const move = (side: "ask" | "same", value: number): void => {
    if (!Number.isFinite(value)) return;
    const next = { ...limits, [side]: Math.max(0, Math.min(100, value)) };
    if (side === "ask") next.same = Math.max(next.same, next.ask);
    else next.ask = Math.min(next.ask, next.same);
    setLimits(next);
  };
  const commit = (): void => {
    if (JSON.stringify(limits) !== JSON.stringify(match.limits)) set({ ...match, limits });
  };
  const moved = limits.same !== match.limits.same || limits.ask !== match.limits.ask;
  const here = seen && expectedAt(limits.same, seen.metrics, seen.decided);
  const before = seen && expectedAt(match.limits.same, seen.metrics, seen.decided);
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
      {seen ? (
        <ScoreChart scores={seen.metrics.scores} limits={limits} title="Candidate pairs by score" />
      ) : (
        <p className="faint text-sm">
          All candidate pairs are drawn here by score when the plan was tried or has loaded.
        </p>
      )}
      {slider("same", "same from")}
      {slider("ask", "ask from")}
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
      {here && before && (
        <p className="mt-2 text-sm" aria-live="polite">
          Of {counted(here.pairs, "same pair")}, about <b>{(here.precision * 100).toFixed(1)} %</b> are; they are about{" "}
          <b>{(here.recall * 100).toFixed(1)} %</b> of all that are.
          {moved &&
            ` ${grouped(Math.abs(here.pairs - before.pairs))} pairs ${here.pairs >= before.pairs ? "more" : "fewer"} than at ${match.limits.same}.`}
          {seen.decided.length > 0 && (
            <span className="faint">
              {" "}
              {grouped(seen.decided.reduce((n, d) => n + d.all, 0))} decided pairs are counted in.
            </span>
          )}
        </p>
      )}
      {seen && (
        <>
          <Around
            title={`Just above ${limits.same}: the same`}
            samples={nearest(seen.metrics.samples, limits.same, true)}
          />
          <Around
            title={`Just below ${limits.same}: asked about`}
            samples={nearest(seen.metrics.samples, limits.same, false)}
          />
          <Around
            title={`Just below ${limits.ask}: different`}
            samples={nearest(seen.metrics.samples, limits.ask, false)}
          />
        </>
      )}
    </aside>
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
