"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { askedWords, type Asked } from "@/core/lookup/asked.ts";
import { askListNow, makeAskedList } from "@/routes/references.ts";
import type { ReferenceInfo } from "@/store/references.ts";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { moment } from "../kit/words.ts";
import { ColumnParts, NO_PARTS, partsSaid } from "./column-parts.tsx";
import { listName } from "./list-name.ts";

/** Makes a reference list of a table, or of a query of another database, that is asked again and again. */
export function AskedList() {
  const router = useRouter();
  const [title, setTitle] = useState("");
  const [from, setFrom] = useState({ table: "", connection: "", sql: "" });
  const [parts, setParts] = useState(NO_PARTS);
  const { busy, problem, act } = useAct();
  const name = listName(title);
  const given = (key: keyof typeof from): string => from[key].trim();
  const asked: Asked | null =
    given("table") !== ""
      ? { table: given("table") }
      : given("connection") !== "" && given("sql") !== ""
        ? { connection: given("connection"), sql: given("sql") }
        : null;
  const make = (): Promise<boolean> =>
    act(
      async () => {
        const body = { asked: asked!, title: title.trim(), about: "", ...partsSaid(parts) };
        await ask(makeAskedList, { params: { list: name }, body });
        router.push(`/references/${name}`);
        router.refresh();
      },
      { leaves: true },
    );
  const input = (key: "table" | "connection", words: string) => (
    <label>
      <span className="faint text-sm">{words}</span>
      <input
        className="input input-sm font-mono"
        value={from[key]}
        onChange={(e) => setFrom({ ...from, [key]: e.target.value })}
      />
    </label>
  );
  return (
    <form
      className="mt-6 flex flex-col gap-2 border-[var(--rule)] lg:border-l lg:pl-6"
      aria-label="A list that another system keeps"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      <h2>A list that another system keeps</h2>
      <p className="faint text-sm">Each load that needs it asks for it as it is then; what has changed is a version.</p>
      <label>
        <span className="faint text-sm">What it is called</span>
        <input className="input input-sm" value={title} maxLength={120} onChange={(e) => setTitle(e.target.value)} />
      </label>
      {input("table", "A table of this database, with its schema")}
      {given("table") === "" && (
        <>
          {input("connection", "Or a connection to another one")}
          <label>
            <span className="faint text-sm">and a query there</span>
            <textarea
              className="textarea textarea-sm w-full font-mono"
              rows={3}
              value={from.sql}
              onChange={(e) => setFrom({ ...from, sql: e.target.value })}
            />
          </label>
        </>
      )}
      <ColumnParts parts={parts} set={setParts} />
      {problem && <ProblemNote problem={problem} />}
      <div>
        <button type="submit" className="btn btn-line" disabled={busy || asked === null || name === ""}>
          {busy ? "Asking …" : "Ask for it"}
        </button>
      </div>
    </form>
  );
}

/** Where a list is asked, when it was last, and a way to ask it now. */
export function WhereAsked({ info, asked, now }: { info: ReferenceInfo; asked: Asked; now: string }) {
  const router = useRouter();
  const [said, setSaid] = useState("");
  const { busy, problem, act } = useAct();
  const again = (): Promise<boolean> =>
    act(async () => {
      const { version, before } = await ask(askListNow, { params: { list: info.name } });
      setSaid(version === before ? "Nothing has changed there." : `It is version ${version} now.`);
      router.refresh();
    });
  return (
    <section className="mt-2" aria-label="Where it is kept">
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span>
          Kept elsewhere: asked of {askedWords(asked)} by each load that needs it
          {info.askedAt && `, last ${moment(info.askedAt, new Date(now))}`}.
        </span>
        <button type="button" className="btn btn-line btn-sm" disabled={busy} onClick={() => void again()}>
          {busy ? "Asking …" : "Ask now"}
        </button>
        <span role="status">{said}</span>
      </p>
      {"sql" in asked && (
        <pre className="raw mt-1 max-h-40 overflow-auto text-[0.85rem]" tabIndex={0} aria-label="The query">
          {asked.sql}
        </pre>
      )}
      {problem && <ProblemNote problem={problem} />}
    </section>
  );
}
