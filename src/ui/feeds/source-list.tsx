"use client";

import { makeSource } from "@/routes/feeds.ts";
import { dropSource, lookSoon } from "@/routes/store.ts";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import type { Source, SourceKind, Taken } from "@/store/sources.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { grouped, moment } from "../kit/words.ts";
import { withPath } from "../kit/with-path.ts";

const KINDS: Record<SourceKind, { title: string; fields: [name: string, label: string, hint: string][] }> = {
  inbox: {
    title: "A watched folder",
    fields: [
      ["folder", "folder of the inbox", "accessions"],
      ["pattern", "names of files", "*.csv"],
      ["sender", "sent by", "anyone; {folder} for the folder below"],
    ],
  },
  outbox: {
    title: "A partner's outbox",
    fields: [
      ["address", "address of its list", "http://127.0.0.1:4311/files"],
      ["pattern", "names of files", "*"],
      ["connection", "connection with its password", "none"],
      ["sender", "sent by", "anyone"],
    ],
  },
  query: {
    title: "A query on a database",
    fields: [
      ["connection", "name of the connection", "station"],
      ["sql", "query", "select id, … from …"],
      ["cursor", "column that only grows", "id"],
      ["back_seconds", "seconds to go back", "wait instead"],
      ["sender", "sent by", "anyone"],
    ],
  },
};

function about({ kind, options }: Pick<Source, "kind" | "options">): string {
  if (kind === "inbox") return `${options["folder"]}/${options["pattern"] ?? "*"}`;
  if (kind === "outbox") return `${options["address"]} ${options["pattern"] ?? "*"}`;
  return `${options["sql"]?.slice(0, 60)} past ${options["cursor"]}`;
}

/** The ways in of a feed beside uploads: what each has taken, and when. */
export function SourceList({
  feed,
  sources,
  now,
}: {
  feed: string;
  sources: (Source & { taken: number; last: Taken[] })[];
  now: string;
}) {
  const router = useRouter();
  const [adding, setAdding] = useState<SourceKind | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [asked, setAsked] = useState(0);
  const waiting = sources.some((s) => s.lookedAt === null) || asked > 0;
  // A look takes a moment, and what it brings is loaded after it.
  useEffect(() => {
    if (!waiting) return;
    const timer = setInterval(() => router.refresh(), 1500);
    const over = setTimeout(() => {
      clearInterval(timer);
      setAsked(0);
    }, 15_000);
    return () => {
      clearInterval(timer);
      clearTimeout(over);
    };
  }, [waiting, asked, router]);
  const act = async (work: () => Promise<unknown>): Promise<void> => {
    setProblem(null);
    try {
      await work();
      setAsked((n) => n + 1);
      router.refresh();
    } catch (error) {
      setProblem(problemOf(error));
    }
  };
  return (
    <section className="mt-5">
      <h2>Other ways in</h2>
      {sources.length === 0 && adding === null && (
        <p className="py-1">
          Besides files that are brought in here, a folder, a partner's outbox or a database can be looked at by itself.
        </p>
      )}
      {sources.length > 0 && (
        <table className="ledger">
          <tbody>
            {sources.map((s) => (
              <SourceRow key={s.id} source={s} now={new Date(now)} act={act} />
            ))}
          </tbody>
        </table>
      )}
      {problem && <ProblemNote problem={problem} />}
      {adding === null ? (
        <p className="mt-2 flex gap-4">
          {(Object.keys(KINDS) as SourceKind[]).map((kind) => (
            <button key={kind} type="button" className="plain" onClick={() => setAdding(kind)}>
              Add {KINDS[kind].title.toLowerCase()}
            </button>
          ))}
        </p>
      ) : (
        <NewSource
          kind={adding}
          leave={() => setAdding(null)}
          make={(options) =>
            act(async () => {
              await ask(makeSource, { params: { feed }, body: { kind: adding, options } });
              setAdding(null);
            })
          }
        />
      )}
    </section>
  );
}

/** A way in: what it is, what it gave last, and when it was looked at. */
function SourceRow({
  source: s,
  now,
  act,
}: {
  source: Source & { taken: number; last: Taken[] };
  now: Date;
  act: (work: () => Promise<unknown>) => Promise<void>;
}) {
  const at = (time: Date | string): string => moment(time, now);
  return (
    <tr>
      <td className="align-top">
        {KINDS[s.kind].title}
        <span className="raw faint block max-w-96 truncate text-xs">{about(s)}</span>
        {s.options["sender"] && <span className="faint block text-xs">sent by {s.options["sender"]}</span>}
        {s.error && (
          <span className="held block text-xs">
            {s.error.message} {s.error.detail}
          </span>
        )}
      </td>
      <td className="n align-top">{grouped(s.taken)} taken</td>
      <td className="align-top">
        {s.last.slice(0, 3).map((t) => (
          <span
            key={`${t.item} ${t.mark}`}
            className="block max-w-72 truncate"
            title={`${t.item}, ${t.mark}${t.note && `: ${t.note}`}`}
          >
            {t.load ? (
              <a className="count" href={withPath(`/loads/${t.load}`)}>
                {t.item}
              </a>
            ) : (
              t.item
            )}{" "}
            <span className="faint">{t.note || at(t.takenAt)}</span>
          </span>
        ))}
      </td>
      <td className="align-top whitespace-nowrap">
        <span className="faint">{s.lookedAt ? `looked at ${at(s.lookedAt)}` : "to be looked at"}</span>
        <span className="flex gap-3">
          <button
            type="button"
            className="plain"
            onClick={() => void act(() => ask(lookSoon, { params: { id: s.id }, body: {} }))}
          >
            Look now
          </button>
          <button
            type="button"
            className="plain"
            onClick={() => void act(() => ask(dropSource, { params: { id: s.id } }))}
          >
            Take away
          </button>
        </span>
      </td>
    </tr>
  );
}

/** What a new way in has to know. */
function NewSource({
  kind,
  make,
  leave,
}: {
  kind: SourceKind;
  make: (options: Record<string, string>) => Promise<void>;
  leave: () => void;
}) {
  const [values, setValues] = useState<Record<string, string>>({});
  return (
    <form
      className="mt-2 grid max-w-xl grid-cols-[12rem_1fr] items-center gap-x-3 gap-y-2"
      onSubmit={(e) => {
        e.preventDefault();
        void make(Object.fromEntries(Object.entries(values).filter(([, v]) => v.trim() !== "")));
      }}
    >
      <b className="col-span-2">{KINDS[kind].title}</b>
      {KINDS[kind].fields.map(([name, label, hint]) => (
        <div key={name} className="contents">
          <label htmlFor={`source-${name}`}>{label}</label>
          <input
            id={`source-${name}`}
            className="input input-sm"
            placeholder={hint}
            value={values[name] ?? ""}
            onChange={(e) => setValues({ ...values, [name]: e.target.value })}
          />
        </div>
      ))}
      <span />
      <span className="flex gap-3">
        <button type="submit" className="btn btn-line btn-sm">
          Add and look now
        </button>
        <button type="button" className="plain" onClick={leave}>
          Leave it
        </button>
      </span>
    </form>
  );
}
