"use client";

import { useState } from "react";
import type { BulkMend, BulkReleased, BulkStage } from "@/engine/release/release-all.ts";
import { releaseAllHeld } from "@/routes/quarantine.ts";
import type { NamedFormulas } from "@/core/formula/named.ts";
import { asText } from "@/core/mend/by-formula.ts";
import type { Field } from "@/core/field/field.ts";
import { FormulaEditor } from "../formulas/formula-editor.tsx";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { WorkUnderWay, newWork } from "../kit/work-under-way.tsx";
import type { DeskFilter } from "./filter.ts";
import { counted, grouped } from "../kit/words.ts";
import { waitWords } from "./held.ts";

type How = BulkMend["how"];

/** What is chosen and typed of a mend; of what a way does not need, it is as it was. */
interface Asked {
  readonly how: How;
  readonly field: string;
  readonly find: string;
  readonly to: string;
  readonly by: string;
}

const STAGES: Record<BulkStage, string> = {
  mending: "Mended",
  checking: "Checked and written",
  closing: "Closing:",
};

const HOWS: readonly { how: How; says: string }[] = [
  { how: "as they are", says: "as they are by now" },
  { how: "set", says: "with one value in a field" },
  { how: "replace", says: "with one text for another in a field" },
  { how: "formula", says: "with what a formula gives in a field" },
];

/**
 * All records of a cause at once, however many: mended in one way, tried first, then released. What it says beforehand
 * is what will be, as it is done and taken back.
 */
export function AllOfCause({
  filter,
  count,
  fields,
  named,
  field: first,
  done,
  close,
}: {
  /** Those that are shown, and no others. */
  filter: Omit<DeskFilter, "state"> & { feed: string; check: string };
  count: number;
  fields: readonly Field[];
  /** The formulas that others may speak of. */
  named: NamedFormulas | undefined;
  /** The field that the cause is about. */
  field: string;
  done: (text: string) => void;
  close: () => void;
}) {
  const [asked, setAsked] = useState<Asked>({ how: "as they are", field: first, find: "", to: "", by: "" });
  const [tried, setTried] = useState<BulkReleased | null>(null);
  const { busy, problem, act } = useAct();
  const mend = mendOf(asked);
  const change = (more: Partial<Asked>): void => {
    setAsked((have) => ({ ...have, ...more }));
    setTried(null);
  };
  const [work, setWork] = useState<string | null>(null);
  const send = (preview: boolean): Promise<boolean> =>
    act(async () => {
      if (!mend) return;
      const name = newWork();
      setWork(name);
      const answer = await ask(releaseAllHeld, { body: { ...filter, mend, preview, work: name } }).finally(() =>
        setWork(null),
      );
      if (preview) return setTried(answer);
      const stay = answer.records - answer.released;
      done(
        `Released ${counted(answer.released, "record")}${waitWords(answer)}${stay > 0 ? `; ${grouped(stay)} stayed` : ""}.`,
      );
    });
  return (
    <form
      className="my-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2"
      aria-label="All records of this cause"
      onSubmit={(e) => {
        e.preventDefault();
        void send(tried === null);
      }}
    >
      <HowMended {...{ count, fields, named, asked, change }} />
      {problem && <ProblemNote problem={problem} />}
      {work && <WorkUnderWay work={work} stages={STAGES} />}
      {tried && <Tried tried={tried} />}
      <p className="mt-2 flex gap-3">
        {tried && tried.released > 0 ? (
          <button type="submit" className="btn btn-primary" disabled={busy}>
            {busy ? "Releasing…" : `Release ${counted(tried.released, "record")}`}
          </button>
        ) : (
          <button
            type="button"
            className="btn btn-line"
            disabled={busy || mend === null}
            onClick={() => void send(true)}
          >
            {busy ? "Trying them all…" : "See what it would do"}
          </button>
        )}
        <button type="button" className="plain" disabled={busy} onClick={close}>
          Leave it
        </button>
      </p>
    </form>
  );
}

/** How the records are to be mended, by what is chosen and what is typed. */
function HowMended({
  count,
  fields,
  named,
  asked: { how, field, find, to, by },
  change,
}: {
  count: number;
  fields: readonly Field[];
  named: NamedFormulas | undefined;
  asked: Asked;
  change: (more: Partial<Asked>) => void;
}) {
  return (
    <>
      <p className="flex flex-wrap items-center gap-2">
        <label htmlFor="all-how">
          Release all <b>{grouped(count)}</b>
        </label>
        <select
          id="all-how"
          className="select select-sm max-w-64"
          value={how}
          onChange={(e) => change({ how: e.target.value as How })}
        >
          {HOWS.map((h) => (
            <option key={h.how} value={h.how}>
              {h.says}
            </option>
          ))}
        </select>
        {how !== "as they are" && (
          <select
            aria-label="The field"
            className="select select-sm max-w-48"
            value={field}
            onChange={(e) => change({ field: e.target.value })}
          >
            {fields.map((f) => (
              <option key={f.name}>{f.name}</option>
            ))}
          </select>
        )}
        {how === "replace" && (
          <input
            aria-label="The text to be replaced"
            placeholder="this text"
            className="input input-sm max-w-36 font-mono"
            value={find}
            onChange={(e) => change({ find: e.target.value })}
          />
        )}
        {(how === "set" || how === "replace") && (
          <input
            aria-label={how === "set" ? "The value" : "The text in its place"}
            placeholder={how === "set" ? "the value, or nothing" : "by this, or nothing"}
            className="input input-sm max-w-44 font-mono"
            value={to}
            onChange={(e) => change({ to: e.target.value })}
          />
        )}
      </p>
      {how === "formula" && (
        <div className="mt-2">
          <FormulaEditor
            label="The formula"
            value={by}
            scope={{ fields: asText(fields, field), it: fields.findIndex((f) => f.name === field), named }}
            placeholder="it.replace(',', '.')"
            onChange={(text) => change({ by: text })}
          />
          <p className="faint text-sm">
            it is the text that the field has; the names of other fields are their values. Where it gives nothing, the
            record keeps what it has.
          </p>
        </div>
      )}
    </>
  );
}

/** The mend that is asked for; null where something of it is still to be typed. */
function mendOf({ how, field, find, to, by }: Asked): BulkMend | null {
  switch (how) {
    case "as they are":
      return { how };
    case "set":
      return { how, field, to };
    case "replace":
      return find === "" ? null : { how, field, find, to };
    case "formula":
      return by.trim() === "" ? null : { how, field, by };
  }
}

function Tried({ tried }: { tried: BulkReleased }) {
  const stay = tried.records - tried.released;
  return (
    <div role="status" className="mt-2">
      <p>
        <b>{grouped(tried.released)}</b> would be released
        {tried.waiting > 0 && `, of which ${grouped(tried.waiting)} would wait for a decision in Matches`}
        {tried.uncompared > 0 && `, not compared with the target, which has more rows than a release can compare`}
        {stay > 0 && `; ${grouped(stay)} would stay`}
        {tried.overtaken > 0 && `, ${grouped(tried.overtaken)} of them as something newer has their key`}.
      </p>
      {tried.mended.length > 0 && (
        <p className="faint text-sm">
          such as{" "}
          {tried.mended.map((m, i) => (
            <span key={i}>
              {i > 0 && ", "}
              <span className="font-mono">{m.from || "nothing"}</span> to{" "}
              <span className="font-mono">{m.to || "nothing"}</span>
            </span>
          ))}
        </p>
      )}
      {tried.stay.length > 0 && (
        <ul className="faint ml-4 list-disc text-sm">
          {tried.stay.map((s) => (
            <li key={s.title}>
              {grouped(s.count)}: {s.title} ({s.example})
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
