"use client";

import { getHeld } from "@/routes/quarantine.ts";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import type { Compiled } from "@/core/course/compiled.ts";
import { listed } from "@/core/kernel/problem.ts";
import { alignCells, type Aligned } from "@/core/mend/align.ts";
import type { ReadOptions } from "@/core/read/settings.ts";
import type { Rechecked } from "@/core/course/recheck.ts";
import type { HeldBefore, HeldRecord } from "@/store/held.ts";
import { timeWords } from "./held.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { Mark } from "../kit/mark.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { RawText } from "../kit/raw-text.tsx";
import { counted, grouped, moment } from "../kit/words.ts";

/** What is asked for when a record is opened. */
interface More {
  raw: string;
  alike: number;
  read: ReadOptions | null;
  /** As what it came before, and was held. */
  before: HeldBefore[];
  /** Of an overtaken record: the row of the target that has its key, and the writing that wrote it. */
  inTarget: { by: number | null; now: Record<string, string | null> } | null;
}

/** One held record: its raw text and where it came from, what is wrong, and its cells to mend. */
export function HeldDetail({
  held,
  compiled,
  edits,
  verdict,
  stayed,
  pickedCount,
  busy,
  onEdit,
  onReset,
  onAlike,
  onRelease,
}: {
  held: HeldRecord;
  compiled: Compiled;
  edits: Record<string, string>;
  verdict: Rechecked;
  stayed: string | null;
  pickedCount: number;
  busy: boolean;
  onEdit: (field: string, value: string) => void;
  onReset: () => void;
  onAlike: (field: string, value: string) => void;
  onRelease: () => void;
}) {
  const { data: more = null, error } = useQuery<More>({
    queryKey: ["held", held.load, held.record],
    queryFn: ({ signal }) => ask(getHeld, { params: { load: held.load, record: held.record }, signal }),
  });
  const [all, setAll] = useState(held.cells === null);

  const aligned = useMemo(
    () =>
      held.cells === null && more?.read
        ? alignCells(compiled, { raw: more.raw, columns: held.columns, read: more.read })
        : null,
    [held, compiled, more],
  );
  const wrong = new Map<string, string>();
  for (const p of verdict.problems) if (p.field) wrong.set(p.field, p.expected);
  const first = compiled.fields.find((f) => wrong.has(f.name)) ?? compiled.fields[0];
  const arrivedWrong = new Set(held.problems.map((p) => p.field));
  const differsInTarget = (name: string, value: string): boolean =>
    more !== null && more.inTarget !== null && name in more.inTarget.now && (more.inTarget.now[name] ?? "") !== value;
  const shown = compiled.fields.filter(
    (f) =>
      all ||
      wrong.has(f.name) ||
      arrivedWrong.has(f.name) ||
      edits[f.name] !== undefined ||
      differsInTarget(f.name, verdict.values[compiled.fields.indexOf(f)] ?? ""),
  );
  const holding = verdict.problems.filter((p) => p.onFailure !== "note");
  return (
    <section
      aria-label="The record"
      className="min-w-0 border-[var(--rule)] [overflow-wrap:anywhere] lg:border-l lg:pl-4"
    >
      <WhatIsKnown held={held} more={more} />
      {error && <ProblemNote problem={problemOf(error)} />}
      <div className="mt-3 flex items-baseline justify-between">
        <h2>
          Mend <kbd>E</kbd>
        </h2>
        <button type="button" className="plain text-xs" onClick={() => setAll(!all)}>
          {all ? "only what is wrong" : `all ${compiled.fields.length} fields`}
        </button>
      </div>
      {aligned && <AlignedCells aligned={aligned} columns={held.columns.length} take={onEdit} />}
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (verdict.passes) onRelease();
        }}
        className="max-h-72 overflow-auto pr-1"
      >
        {shown.map((f) => {
          const i = compiled.fields.indexOf(f);
          const now = verdict.values[i] ?? "";
          return (
            <MendedCell
              key={f.name}
              name={f.name}
              value={edits[f.name] ?? held.mended?.[f.name] ?? held.values[held.fields.indexOf(f.name)] ?? ""}
              edited={edits[f.name] !== undefined}
              becomes={now}
              expected={wrong.get(f.name)}
              first={f.name === first?.name}
              inTarget={differsInTarget(f.name, now) ? more!.inTarget!.now[f.name]! : undefined}
              picked={pickedCount}
              edit={(value) => onEdit(f.name, value)}
              alike={(value) => onAlike(f.name, value)}
            />
          );
        })}
        <p className={`my-1 ${verdict.passes ? "loaded" : "held"}`} aria-live="polite">
          <Mark outcome={verdict.passes ? "inserted" : "held"} />{" "}
          {verdict.passes ? `passes all ${compiled.checks.length} checks` : (holding[0]?.message ?? "")}
          {!verdict.passes && holding.length > 1 && ` and ${holding.length - 1} more`}
        </p>
        {stayed && <p className="held">It stayed: {stayed}</p>}
        <span className="flex gap-3">
          <button type="submit" className="btn btn-line btn-sm" disabled={!verdict.passes || busy}>
            Release this record <kbd>R</kbd>
          </button>
          {Object.keys(edits).length > 0 && (
            <button type="button" className="plain" onClick={onReset}>
              Undo the mend
            </button>
          )}
        </span>
      </form>
    </section>
  );
}

/** Where it came from, its raw text, what is wrong with it, and what has been before. */
function WhatIsKnown({ held, more }: { held: HeldRecord; more: More | null }) {
  const [now] = useState(() => new Date());
  return (
    <>
      <h2>
        Line {grouped(held.line)} of {held.file}
      </h2>
      <p className="faint text-xs">
        <Link className="underline" href={`/loads/${held.load}/records/${held.record}`}>
          all that is known of it
        </Link>
        , load {held.load}, bytes {grouped(held.byteStart)}-{grouped(held.byteEnd)}
        {held.withSender && <b> · with its sender since {moment(new Date(held.withSender), now)}</b>}
      </p>
      <RawText>{more ? <Raw text={more.raw} values={held.problems.map((p) => p.value)} /> : "…"}</RawText>
      <h2 className="mt-2">What is wrong, for the sender</h2>
      <ul>
        {held.problems.map((p, i) => (
          <li key={i} className="mb-1">
            <b className="held">{p.message}</b> Expected {p.expected}.
            {p.onFailure === "note" && <span className="faint"> Noted only.</span>}
          </li>
        ))}
      </ul>
      {more && more.before.length > 0 && <CameBefore before={more.before} />}
      {more?.inTarget && <Overtaken by={more.inTarget.by} />}
      {more && (
        <p className="faint">
          {more.alike === 0
            ? "No other record of this load has"
            : `${counted(more.alike, "other record")} of this load ${more.alike === 1 ? "has" : "have"}`}{" "}
          the same fault.
        </p>
      )}
    </>
  );
}

/** How often it has come and was held, and for what the times before. */
function CameBefore({ before }: { before: readonly HeldBefore[] }) {
  return (
    <>
      <p className="mt-1">
        <b>{timeWords(before.length + 1)}</b> Before:
      </p>
      <ul className="text-sm">
        {before.map((b) => (
          <li key={`${b.load}:${b.record}`}>
            <Link className="underline" href={`/loads/${b.load}`}>
              load {b.load}
            </Link>
            , line {grouped(b.line)}: {b.problems.map((p) => p.message).join(" ")}
          </li>
        ))}
      </ul>
    </>
  );
}

/** That the target has a newer row of its key, and from where. */
function Overtaken({ by }: { by: number | null }) {
  return (
    <p className="mt-1 border-l-4 border-[var(--slate)] pl-2">
      <b>Overtaken.</b>{" "}
      {by === null ? (
        "Another program has written its key since."
      ) : (
        <>
          <Link className="underline" href={`/writings/${by}`}>
            Writing {by}
          </Link>{" "}
          has written its key since.
        </>
      )}{" "}
      What the target has stands under each value that differs.
    </p>
  );
}

/** One cell of the record, to be typed over: what is expected, what it becomes, and what the target has instead. */
function MendedCell({
  name,
  value,
  edited,
  becomes,
  expected,
  first,
  inTarget,
  picked,
  edit,
  alike,
}: {
  name: string;
  value: string;
  edited: boolean;
  /** Its value after the plan's steps. */
  becomes: string;
  /** What was expected, of a cell that is wrong. */
  expected: string | undefined;
  /** The one that a key goes to. */
  first: boolean;
  /** What the target has, where that differs. */
  inTarget: string | null | undefined;
  /** How many records are picked. */
  picked: number;
  edit: (value: string) => void;
  alike: (value: string) => void;
}) {
  const bad = expected !== undefined;
  return (
    <label className="mb-1.5 block">
      <span className="flex justify-between text-[0.85rem]">
        {name}
        {picked > 1 && edited && (
          <button type="button" className="plain text-xs" onClick={() => alike(value)}>
            same in {grouped(picked)} picked
          </button>
        )}
      </span>
      <input
        className={`input input-sm font-mono ${bad ? "!border-[var(--plum)] !bg-[var(--plum-soft)]" : ""}`}
        value={value}
        data-mend-first={first ? "" : undefined}
        aria-invalid={bad}
        onChange={(e) => edit(e.target.value)}
      />
      {bad && <span className="held text-xs">expected {expected}</span>}
      {inTarget !== undefined && (
        <span className="waiting block text-xs">
          the target has {inTarget === null ? "nothing" : <b className="raw">{inTarget}</b>}
        </span>
      )}
      {!bad && edited && becomes !== value && <span className="changed text-xs">becomes {becomes || "empty"}</span>}
    </label>
  );
}

/** Raw text with the faulty values marked where they stand. */
function Raw({ text, values }: { text: string; values: string[] }) {
  const visible = (t: string): string => t.replace(/\u0000/g, "␀").replace(/\t/g, "⇥\t");
  const wanted = values.find((v) => v !== "" && text.includes(v));
  if (!wanted) return <>{visible(text)}</>;
  const at = text.indexOf(wanted);
  return (
    <>
      {visible(text.slice(0, at))}
      <mark className="bg-[var(--plum-soft)] text-[var(--ink)]">{visible(wanted)}</mark>
      {visible(text.slice(at + wanted.length))}
    </>
  );
}

/** Where the cells of a record would go that has too few or too many, and a button that puts them there. */
function AlignedCells({
  aligned: { cells, empty, joined, values, sure },
  columns,
  take,
}: {
  aligned: Aligned;
  columns: number;
  take: (field: string, value: string) => void;
}) {
  return (
    <p className="mb-2 text-sm">
      {counted(cells, "cell")} where {columns} columns are.{" "}
      <button
        type="button"
        className="plain"
        onClick={() => Object.entries(values).forEach(([field, value]) => take(field, value))}
      >
        Put them where they fit
      </button>
      <span className="faint block">
        {[
          empty.length > 0 ? `nothing for ${listed(empty)}` : "",
          joined.length > 0 ? `together: ${joined.join("; ")}` : "",
          sure ? "" : "they could stand otherwise as well: look at each",
        ]
          .filter((part) => part !== "")
          .join("; ")}
      </span>
    </p>
  );
}
