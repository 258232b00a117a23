"use client";

import { SCORED_BY, type LookUp } from "@/core/lookup/schema.ts";
import { plainName } from "@/core/map/columns.ts";
import { comparatorPart } from "@/core/match/compare/index.ts";
import { TEXT_KINDS, type TextKind } from "@/core/match/part.ts";
import type { ReferenceInfo } from "@/store/references.ts";
import { Link } from "../../kit/link.tsx";
import { counted } from "../../kit/words.ts";
import { Choice } from "../../kit/choice.tsx";
import { NumberInput } from "./inputs.tsx";

/** What can be chosen, each with the words for it. */
type Options = readonly (readonly [string, string])[];

const AS_WORDS: Readonly<Record<TextKind, string>> = {
  text: "as text",
  person: "as a person",
  organisation: "as an organisation",
  place: "as a place",
  country: "as a country",
  code: "as a code",
};

/** A look-up that is edited: what it can choose from, and how it is changed. */
export interface LookUpEdit {
  readonly lookUp: LookUp;
  readonly list: ReferenceInfo | undefined;
  readonly columns: Options;
  readonly fields: Options;
  /** The fields that it may fill: those that it does not ask by. */
  readonly fillable: Options;
  put(more: object): void;
  without(key: string): void;
}

type Ranged = Extract<LookUp, { how: "range" }>;
type Scored = Extract<LookUp, { how: "scored" }>;

/** Its name, the list or file that it looks in, and how it is taken out. */
export function LookUpHeading({ of, absent, takeOut }: { of: LookUpEdit; absent: boolean; takeOut: () => void }) {
  const { lookUp: l, list, put } = of;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <input
        className="input input-sm !w-44 font-bold"
        aria-label="Name of the look-up"
        key={l.name}
        defaultValue={l.name}
        maxLength={60}
        onBlur={(e) => {
          const name = e.target.value.trim();
          if (name !== "" && name !== l.name && !/[:+]/.test(name)) put({ name });
        }}
      />
      <span className="faint">in</span>
      {l.file === undefined ? (
        <Link className="underline" href={`/references/${l.list}`}>
          {list?.title ?? l.list}
        </Link>
      ) : (
        <label className="flex items-center gap-2">
          the file
          <input
            className="input input-sm !w-56 font-mono"
            aria-label="Name of the file of the delivery that is the list"
            title="* stands for anything"
            key={l.file}
            defaultValue={l.file}
            maxLength={200}
            onBlur={(e) => e.target.value.trim() !== "" && put({ file: e.target.value.trim() })}
          />
          <span className="faint text-sm">of the same delivery</span>
        </label>
      )}
      {list && list.version > 0 && (
        <span className="faint text-sm">
          version {list.version}, {counted(list.entries, "entry", "entries")}
        </span>
      )}
      {absent && <span className="held">there is no such list</span>}
      <button type="button" className="plain ml-auto" onClick={takeOut}>
        take out
      </button>
    </div>
  );
}

/** Which field must lie between which two columns. */
export function BetweenColumns({ of, lookUp: l }: { of: LookUpEdit; lookUp: Ranged }) {
  const { fields, columns, put } = of;
  return (
    <>
      <span className="faint pt-1">which value</span>
      <div className="flex flex-wrap items-center gap-2">
        <Choice label="The field that is ranged" value={l.field} options={fields} set={(f) => put({ field: f })} />
        <span className="faint">from</span>
        <Choice
          label="Column with the beginning"
          value={l.from}
          options={columns}
          set={(c) => put({ from: c })}
          width="!w-36"
        />
        <span className="faint">to</span>
        <Choice label="Column with the end" value={l.to} options={columns} set={(c) => put({ to: c })} width="!w-36" />
      </div>
    </>
  );
}

/** The fields by which an entry is found, each with its column. */
export function AskedBy({ of }: { of: LookUpEdit }) {
  const { lookUp: l, fields, columns, put } = of;
  const by: readonly { field: string; column: string; compare?: string; as?: string }[] = l.by ?? [];
  const putBy = (i: number, more: object | null): void =>
    put({ by: by.flatMap((b, j) => (j !== i ? [b] : more ? [{ ...b, ...more }] : [])) });
  const add = (): void => {
    const compare = l.how === "scored" ? { compare: "words" } : {};
    put({ by: [...by, { field: fields[0]![0], column: columns[0]?.[0] ?? "", ...compare }] });
  };
  return (
    <div>
      {by.map((b, i) => (
        <div key={i} className="mb-1 flex flex-wrap items-center gap-2">
          <Choice label="Field" value={b.field} options={fields} set={(f) => putBy(i, { field: f })} />
          <span className="faint">{l.how === "scored" ? "like" : "="}</span>
          <Choice label="Column of the list" value={b.column} options={columns} set={(c) => putBy(i, { column: c })} />
          {l.how === "scored" && (
            <span className="flex items-center gap-2">
              <Choice
                label="Compared by"
                value={b.compare ?? "words"}
                options={SCORED_BY.map((id) => [id, comparatorPart(id).title])}
                set={(c) => putBy(i, { compare: c })}
                width="!w-52"
              />
              <Choice
                label="What the text is"
                value={b.as ?? "text"}
                options={TEXT_KINDS.map((kind) => [kind, AS_WORDS[kind]])}
                set={(as) => putBy(i, { as })}
                width="!w-44"
              />
            </span>
          )}
          {(by.length > 1 || l.how === "range") && (
            <button type="button" className="plain" onClick={() => putBy(i, null)}>
              not by this
            </button>
          )}
        </div>
      ))}
      <button type="button" className="plain" onClick={add}>
        {by.length === 0 ? "a field that must be the same" : "and by another field"}
      </button>
    </div>
  );
}

/** From which score and lead on an entry is a record's partner. */
export function ScoreLimits({ of, lookUp: l }: { of: LookUpEdit; lookUp: Scored }) {
  const { put, without } = of;
  return (
    <>
      <span className="faint pt-1">a partner has</span>
      <div className="flex flex-wrap items-center gap-2">
        <span>a score of at least</span>
        <NumberInput
          label="Least score"
          value={l.least}
          open="estimated"
          set={(n) => (n === undefined ? without("least") : put({ least: Math.max(1, n) }))}
        />
        <span>of 100, and a lead of at least</span>
        <NumberInput
          label="Least lead"
          value={l.lead}
          open="estimated"
          set={(n) => (n === undefined ? without("lead") : put({ lead: n }))}
        />
        <span className="faint">before the next</span>
      </div>
    </>
  );
}

/** The fields that are filled, each with its column of the list. */
export function Fills({ of }: { of: LookUpEdit }) {
  const { lookUp: l, list, columns, fillable, put } = of;
  return (
    <div>
      {Object.entries(l.bring).map(([f, c]) => (
        <div key={f} className="mb-1 flex flex-wrap items-center gap-2">
          <Choice
            label="Field that is filled"
            value={f}
            options={fillable}
            set={(next) =>
              put({ bring: Object.fromEntries(Object.entries(l.bring).map(([k, v]) => [k === f ? next : k, v])) })
            }
          />
          <span className="faint">with</span>
          <Choice
            label={`Column for ${f}`}
            value={c}
            options={columns}
            set={(next) => put({ bring: { ...l.bring, [f]: next } })}
          />
          <button
            type="button"
            className="plain"
            onClick={() => put({ bring: Object.fromEntries(Object.entries(l.bring).filter(([k]) => k !== f)) })}
          >
            not this
          </button>
        </div>
      ))}
      <Choice
        label="A field to fill"
        value=""
        none={Object.keys(l.bring).length === 0 ? "nothing; choose a field to fill" : "and another field"}
        options={fillable.filter(([f]) => l.bring[f] === undefined)}
        set={(f) => {
          if (f === "") return;
          const like = columns.find(([c]) => plainName(c) === plainName(f))?.[0];
          put({ bring: { ...l.bring, [f]: like ?? list?.shape.key ?? columns[0]?.[0] ?? "" } });
        }}
        width="!w-72"
      />
      {l.how === "scored" && <ScoreInto of={of} lookUp={l} />}
    </div>
  );
}

/** Fields that take the score of what was found, and its lead before the next. */
function ScoreInto({ of, lookUp: l }: { of: LookUpEdit; lookUp: Scored }) {
  const { fillable, put, without } = of;
  return (
    <div className="mt-1 flex flex-wrap items-center gap-2">
      <span className="faint">the score in</span>
      <Choice
        label="Field for the score"
        value={l.score_in ?? ""}
        none="no field"
        options={fillable}
        set={(f) => (f === "" ? without("score_in") : put({ score_in: f }))}
      />
      <span className="faint">the lead in</span>
      <Choice
        label="Field for the lead"
        value={l.lead_in ?? ""}
        none="no field"
        options={fillable}
        set={(f) => (f === "" ? without("lead_in") : put({ lead_in: f }))}
      />
    </div>
  );
}
