import { useState } from "react";
import { survivorshipPart, type Survivorship } from "@/core/match/keep/index.ts";
import { SURVIVORSHIP_PARTS } from "@/core/match/keep/parts.ts";
import { keepOthers } from "@/core/match/schema.ts";
import type { Field } from "@/core/field/field.ts";
import { FormulaEditor } from "../../formulas/formula-editor.tsx";
import { useNamed } from "../../formulas/use-formulas.ts";
import { Choice } from "../../kit/choice.tsx";
import { withField, withKept } from "./kept-edits.ts";
import type { PartProps } from "./parts.ts";

/** Types of fields that a score can go into. */
const HOLDS_SCORE: ReadonlySet<string> = new Set(["integer", "decimal", "number", "text"]);

/** Which rule says whose value is kept. `none`: what it is called that there is no rule of its own. */
function RuleChoice({
  label,
  none,
  rule = "",
  put,
}: {
  label: string;
  none: string;
  rule: Survivorship | undefined | "";
  put: (rule: Survivorship | null) => void;
}) {
  return (
    <Choice
      label={label}
      value={rule}
      none={none}
      options={SURVIVORSHIP_PARTS.map(({ id, words }) => [id, words] as const)}
      set={(id) => put(id === "" ? null : id)}
      width="!w-52 shrink-0"
    />
  );
}

/** One field that a match names, or none. */
function FieldChoice({
  words,
  value = "",
  none,
  names,
  put,
}: {
  words: string;
  value: string | undefined;
  none: string;
  names: readonly string[];
  put: (name: string | undefined) => void;
}) {
  return (
    <label className="flex items-center gap-2 whitespace-nowrap">
      <span className="faint">{words}</span>
      <Choice value={value} none={none} options={names} set={(name) => put(name || undefined)} width="!w-40" />
    </label>
  );
}

/** Fields that the score goes into, and its lead. */
function ScoreFields({ match, set, fields }: Pick<PartProps, "match" | "set"> & { fields: readonly Field[] }) {
  const names = fields
    .filter((f) => HOLDS_SCORE.has(f.type) && !match.fields.some((m) => m.in.includes(f.name)))
    .map((f) => f.name);
  const parts = [
    ["score_in", "the score by which it was joined goes into"],
    ["lead_in", "its lead over the next candidate goes into"],
  ] as const;
  return (
    <div className="mt-2 grid w-fit grid-cols-[max-content_auto] items-center gap-x-2 gap-y-1 [&>label]:contents">
      {parts.map(([part, words]) => (
        <FieldChoice
          key={part}
          words={words}
          value={match[part]}
          none="no field"
          names={names}
          put={(name) => set(withField(match, part, name))}
        />
      ))}
    </div>
  );
}

/** Whose values are kept where several records become one. */
export function KeptValues({ plan, match, set }: PartProps) {
  const fields = plan.contract.fields.filter((f) => !plan.load.key.includes(f.name));
  const keep = (name: string, rule: Survivorship | null): void => set(withKept(plan, match, name, rule));
  const named = useNamed(plan);
  const uses = (rule: Survivorship): boolean => Object.values(match.keep ?? {}).includes(rule);
  return (
    <>
      <h2 className="mt-5">Whose value the kept record has</h2>
      <div className="mb-2 flex flex-wrap items-center gap-x-5 gap-y-1">
        <FieldChoice
          words="a record is the more recent by"
          value={match.recent}
          none="nothing"
          names={fields.map((f) => f.name)}
          put={(name) => set(withField(match, "recent", name))}
        />
        <span className="flex items-center gap-2 whitespace-nowrap">
          <span className="faint">all other fields</span>
          <RuleChoice
            label="Whose value is kept in all other fields"
            none="by default"
            rule={match.keep?.["*"]}
            put={(rule) => keep("*", rule)}
          />
          {match.keep?.["*"] === undefined && (
            <span className="faint text-sm">({survivorshipPart(keepOthers(match)).words})</span>
          )}
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
        {fields.map((f) => (
          <div key={f.name} className="flex items-center justify-between gap-2 border-b border-[var(--rule)] pb-0.5">
            <span className={match.keep?.[f.name] ? "font-semibold" : ""}>{f.name}</span>
            <RuleChoice
              label={`Whose value of ${f.name} is kept`}
              none="as the others"
              rule={match.keep?.[f.name]}
              put={(rule) => keep(f.name, rule)}
            />
          </div>
        ))}
      </div>
      <ScoreFields match={match} set={set} fields={fields} />
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
