import { useState } from "react";
import { COMPARATOR_IDS, comparatorPart, type ComparatorId } from "@/core/match/compare/index.ts";
import { sameShare, type MatchModel, type PairKind } from "@/core/match/model/model.ts";
import { proposeMatch } from "@/core/match/propose.ts";
import { mayBeShared, type MatchField } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { OptionsForm } from "../../kit/options-form.tsx";
import { grouped } from "../../kit/words.ts";
import type { MatchSeen, PartProps } from "./parts.ts";

/** What is compared and how, with the bits that it gives. */
export function FieldsCompared({ plan, match, set, seen }: PartProps & { seen: MatchSeen | null }) {
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
          {match.fields.map((f, i) => (
            <ComparedField
              key={i}
              plan={plan}
              field={f}
              weights={f.weights ?? seen?.metrics.model.fields[i]?.weights}
              alone={match.fields.length === 1}
              open={open === i}
              toggle={() => setOpen(open === i ? null : i)}
              put={(field) => put(i, field)}
            />
          ))}
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
      {seen && <KindsOfPairs model={seen.metrics.model} names={seen.metrics.fields} />}
      {!seen && (
        <p className="faint mt-2 text-sm">
          What each field weighs is estimated from the data, without anyone’s labels: try the plan on the latest
          delivery.
        </p>
      )}
    </>
  );
}

interface OfField {
  plan: Plan;
  field: MatchField;
  /** Bits by level: set by hand, or as they were estimated last. */
  weights: readonly number[] | undefined;
  /** Puts another in its place, or takes it out. */
  put: (field: MatchField | null) => void;
}

/** One compared field: by what, and what it says where it is equal and where it differs. */
function ComparedField({
  plan,
  field: f,
  weights,
  alone,
  open,
  toggle,
  put,
}: OfField & { alone: boolean; open: boolean; toggle: () => void }) {
  const name = f.in.join(", ");
  return (
    <>
      <tr>
        <td>
          <span className="font-semibold">{name}</span>
          {mayBeShared(f) && <span className="faint ml-2 text-xs">may be shared</span>}
        </td>
        <td>
          <select
            className="select select-sm w-56"
            aria-label={`How ${name} is compared`}
            value={f.by}
            onChange={(e) => {
              const by = e.target.value as ComparatorId;
              const kept = f.shared === undefined ? {} : { shared: f.shared };
              put({ in: f.in, by, ...kept, ...(by === "distance" ? { km: 10 } : {}) });
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
        <td className="n held">{weights ? bits(weights[comparatorPart(f.by).levels.length + 1]!) : ""}</td>
        <td className="text-right whitespace-nowrap">
          <button type="button" className="plain" aria-expanded={open} onClick={toggle}>
            {open ? "close" : "settings"}
          </button>
          <button type="button" className="plain ml-3 disabled:opacity-40" disabled={alone} onClick={() => put(null)}>
            take out
          </button>
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={5} className="bg-[var(--paper-bright)] px-3 py-2">
            <FieldSettings plan={plan} field={f} weights={weights} put={put} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Which fields are compared as one, whether others may share them, the comparator's own settings, and the bits. */
function FieldSettings({ plan, field: f, weights, put }: OfField) {
  const part = comparatorPart(f.by);
  return (
    <>
      <p className="mb-1">
        {part.about} {part.source && <span className="faint">{part.source}.</span>}
      </p>
      <fieldset className="mb-2 flex flex-wrap gap-x-3">
        <legend className="faint text-xs">
          Fields that are compared as one; several are put together with a space
        </legend>
        {plan.contract.fields.map(({ name: n }) => (
          <label key={n} className="flex items-center gap-1">
            <input
              type="checkbox"
              checked={f.in.includes(n)}
              disabled={f.in.length === 1 && f.in.includes(n)}
              onChange={(e) => put({ ...f, in: e.target.checked ? [...f.in, n] : f.in.filter((x) => x !== n) })}
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
            put(mayBeShared(own) === e.target.checked ? own : { ...own, shared: e.target.checked });
          }}
        />
        <span>
          records that are not the same may share it, and one may change it{" "}
          <span className="faint">as a household its address</span>
        </span>
      </label>
      <OptionsForm part={part} step={f} plan={plan} set={put} />
      <Weights field={f} weights={weights} set={put} />
    </>
  );
}

/** What else there is among the pairs than the same and any two. */
function KindsOfPairs({ model, names }: { model: MatchModel; names: readonly string[] }) {
  const of = (kind: PairKind["kind"]): number =>
    (model.kinds ?? []).reduce((n, k) => n + (k.kind === kind ? k.prior : 0), 0) / sameShare(model);
  const [related, moved] = [of("related"), of("moved")];
  const { hangs = [], silent = [] } = model;
  if (related + moved + hangs.length + silent.length === 0) return null;
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
          moved.{" "}
        </>
      )}
      {hangs.length > 0 && (
        <>
          Some fields go together, so that having both in common says little more than having one:{" "}
          {hangs.map(([field, on]) => `${names[field]} with ${names[on]}`).join(", ")}.{" "}
        </>
      )}
      {silent.length > 0 && (
        <>
          Left out, as the likeliest pairs don’t have it in common either:{" "}
          {silent.map(([field]) => names[field]).join(", ")}.
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
