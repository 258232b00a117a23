"use client";

import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { ENCODING_GROUPS, type Encoding } from "@/core/read/encoding/names.ts";
import { OF_HELD, OF_RECORDS, isOfLoad, isTyped, type Contents } from "@/core/write/files/contents.ts";
import { countOut } from "@/routes/out.ts";
import { ask, problemOf } from "../kit/api.ts";
import { PartitionPicker, type PickedField } from "../kit/partition-picker.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { withPath } from "../kit/with-path.ts";
import { counted } from "../kit/words.ts";
import { outHref, outPath, outPattern, outQuery, shellWords, type OutChoice } from "./out-choice.ts";
import { QueryChoice, useColumns } from "./query-choice.tsx";

interface Format {
  readonly id: string;
  readonly title: string;
  readonly ending: string;
  /** It is delimited text. */
  readonly delimited: boolean;
  /** It has elements that can be called otherwise. */
  readonly elements: boolean;
}

/** In what form rows go out, how many they are, and where to get them. */
export function RecordsOut({
  feed,
  formats,
  fields,
  beside,
  loads,
  connections,
}: {
  feed: string;
  formats: readonly Format[];
  fields: readonly PickedField[];
  /** Fields that the target has no column of. */
  beside: readonly string[];
  loads: readonly number[];
  /** By whose roles a query may be asked. */
  connections: readonly string[];
}) {
  const [choice, setChoice] = useState<OutChoice>({ format: formats[0]!.id, gzip: false, partitions: [] });
  const set = (some: Partial<OutChoice>): void => setChoice((have) => ({ ...have, ...some }));
  const { partitions } = choice;
  const format = formats.find((f) => f.id === choice.format)!;
  const columns = useColumns(choice.query);
  const byFields = choice.query
    ? (columns.data?.columns ?? []).map(({ name, type }) => ({ name, isDay: type === "date" || type === "timestamp" }))
    : fieldsOfContents(choice.what, fields, beside);
  return (
    <div className="grid max-w-6xl grid-cols-1 gap-8 lg:grid-cols-[1fr_27rem]">
      <dl className="grid grid-cols-[9rem_1fr] items-start gap-x-4 gap-y-3">
        <dt>
          <label htmlFor="out-format">Format</label>
        </dt>
        <dd>
          <select
            id="out-format"
            className="select select-sm max-w-56"
            value={choice.format}
            onChange={(e) => {
              const next = formats.find((f) => f.id === e.target.value)!;
              // What only some formats have is not taken along to another one.
              set({
                format: next.id,
                ...(next.delimited ? {} : { delimiter: undefined, encoding: undefined }),
                ...(next.elements ? {} : { root: undefined, record: undefined }),
              });
            }}
          >
            {formats.map((f) => (
              <option key={f.id} value={f.id}>
                {f.title}
              </option>
            ))}
          </select>
          <label className="mt-2 flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={choice.gzip}
              onChange={(e) => set({ gzip: e.target.checked })}
            />
            compress each file (gzip)
          </label>
        </dd>
        {format.delimited && <TextChoice choice={choice} set={set} />}
        {format.elements && <ElementChoice choice={choice} set={set} />}
        <dt>
          <label htmlFor="out-what">What</label>
        </dt>
        <dd>
          <WhatGoesOut choice={choice} loads={loads} connections={connections} set={set} />
        </dd>
        <dt>Folders</dt>
        <dd>
          <PartitionPicker
            partitions={partitions}
            fields={byFields}
            words={{ add: "Add folders by a field", none: "one folder for all", each: "a folder for each" }}
            set={(to) => set({ partitions: to })}
          />
        </dd>
        <dt>
          <label htmlFor="out-records">Records a file</label>
        </dt>
        <dd>
          <input
            id="out-records"
            type="number"
            min={1}
            className="input input-sm max-w-40"
            placeholder="all of them"
            value={choice.records ?? ""}
            onChange={(e) => set({ records: e.target.value === "" ? undefined : Math.max(1, Number(e.target.value)) })}
          />
        </dd>
        <dt>
          <label htmlFor="out-name">Names</label>
        </dt>
        <dd>
          <input
            id="out-name"
            className="input input-sm font-mono max-w-72"
            placeholder={outPattern(choice)}
            value={choice.name ?? ""}
            onChange={(e) => set({ name: e.target.value === "" ? undefined : e.target.value })}
          />
          <p className="faint mt-1 text-sm">
            without the ending;{" "}
            {choice.query
              ? "{day} and {n} stand for today and the number of the file"
              : "{feed}, {load}, {sender}, {day} and {n} stand for the feed, the load, who sent it, today and the number of the file"}
          </p>
        </dd>
      </dl>
      {choice.query ? (
        <WhatQueryGives feed={feed} choice={choice} ending={format.ending} columns={columns} />
      ) : (
        <WhatComes feed={feed} choice={choice} ending={format.ending} />
      )}
    </div>
  );
}

/** Of what goes out: what is none of the feed's contents. */
const QUERY = "query";

/** Rows of the target, or records: which, and of which load; or a query. */
function WhatGoesOut({
  choice: { what = "rows", load, query },
  loads,
  connections,
  set,
}: {
  choice: OutChoice;
  loads: readonly number[];
  connections: readonly string[];
  set: (some: Partial<OutChoice>) => void;
}) {
  return (
    <>
      <select
        id="out-what"
        className="select select-sm max-w-72"
        value={query ? QUERY : what}
        onChange={(e) => {
          const none = { what: undefined, load: undefined, query: undefined, partitions: [] };
          if (e.target.value === QUERY) return set({ ...none, query: { connection: connections[0] ?? "", sql: "" } });
          const next = e.target.value as Contents;
          // What is said of records is no field of rows.
          set({ ...none, what: next, load: isOfLoad(next) ? (load ?? loads[0]) : undefined });
        }}
      >
        <option value="rows">the rows of the target</option>
        {loads.length > 0 && (
          <>
            <option value="accepted">what a load accepted, as it made it</option>
            <option value="changed">of that what was new or changed</option>
            <option value="records">all that a load read, and what became of it</option>
          </>
        )}
        <option value="held">what is held, and why</option>
        <option value={QUERY}>what a query gives</option>
      </select>
      {query && (
        <QueryChoice query={query} connections={connections} set={(to) => set({ query: to, partitions: [] })} />
      )}
      {!query && loads.length > 0 && (
        <select
          aria-label="Of which load"
          className="select select-sm mt-2 max-w-72"
          value={load ?? ""}
          onChange={(e) => set({ load: e.target.value === "" ? undefined : Number(e.target.value) })}
        >
          {!isOfLoad(what) && <option value="">of all loads</option>}
          {loads.map((l) => (
            <option key={l} value={l}>
              {what === "rows" ? `those that load ${l} wrote last` : `of load ${l}`}
            </option>
          ))}
        </select>
      )}
    </>
  );
}

/** Fields by which what goes out can be put into folders. */
const fieldsOfContents = (
  what: Contents = "rows",
  fields: readonly PickedField[],
  beside: readonly string[],
): readonly PickedField[] => {
  if (what === "rows") return fields.filter((f) => !beside.includes(f.name));
  if (isTyped(what)) return fields;
  const about = what === "held" ? OF_HELD : OF_RECORDS;
  return [
    ...about.map(({ name, type }) => ({ name, isDay: type === "timestamp" })),
    ...fields.map(({ name }) => ({ name, isDay: false })),
  ];
};

/** How many rows that is, in which files, and where to get them. */
function WhatComes({ feed, choice, ending }: { feed: string; choice: OutChoice; ending: string }) {
  const { partition, load, what } = outQuery(choice);
  const rows = useQuery({
    queryKey: ["rows out", feed, partition, load, what],
    queryFn: ({ signal }) => ask(countOut, { params: { feed }, query: { partition, load, what }, signal }),
    staleTime: 10_000,
    retry: false,
  });
  const thing = what === undefined ? "row" : "record";
  return (
    <section aria-live="polite">
      <h2>What you get</h2>
      {rows.error ? (
        <ProblemNote problem={problemOf(rows.error)} />
      ) : (
        <>
          <p className="mb-1">
            {!rows.data ? (
              `Counting the ${thing}s…`
            ) : rows.data.counted === null ? (
              `More ${thing}s than can be counted in a moment`
            ) : (
              <>
                <b>{counted(rows.data.counted.rows, thing)}</b>
                {choice.partitions.length > 0 &&
                  rows.data.counted.folders !== null &&
                  ` in ${counted(rows.data.counted.folders, "folder")}`}
              </>
            )}
          </p>
          <Paths choice={choice} ending={ending} />
          <a className="btn btn-primary mt-3" href={withPath(outHref(feed, choice))} download>
            Download{rows.data?.counted ? ` ${counted(rows.data.counted.rows, thing)}` : ""}
          </a>
          <InShell feed={feed} choice={choice} ending={ending} />
        </>
      )}
    </section>
  );
}

/** What XML's elements are called. */
function ElementChoice({ choice, set }: { choice: OutChoice; set: (some: Partial<OutChoice>) => void }) {
  const names = [
    { of: "root", label: "Root element", usual: "as usual: the feed’s name" },
    { of: "record", label: "Each record’s", usual: "as usual: record" },
  ] as const;
  return names.map(({ of, label, usual }) => (
    <Fragment key={of}>
      <dt>
        <label htmlFor={`out-${of}`}>{label}</label>
      </dt>
      <dd>
        <input
          id={`out-${of}`}
          className="input input-sm max-w-56 font-mono"
          placeholder={usual}
          maxLength={63}
          value={choice[of] ?? ""}
          onChange={(e) => set({ [of]: e.target.value.trim() === "" ? undefined : e.target.value.trim() })}
        />
      </dd>
    </Fragment>
  ));
}

/** What stands between cells of delimited text, and its encoding. */
function TextChoice({ choice, set }: { choice: OutChoice; set: (some: Partial<OutChoice>) => void }) {
  return (
    <>
      <dt>
        <label htmlFor="out-delimiter">Between cells</label>
      </dt>
      <dd>
        <select
          id="out-delimiter"
          className="select select-sm max-w-56"
          value={choice.delimiter ?? ""}
          onChange={(e) => set({ delimiter: e.target.value === "" ? undefined : e.target.value })}
        >
          <option value="">as usual: {choice.format === "tsv" ? "tab" : "comma"}</option>
          <option value=";">semicolon</option>
          <option value="|">bar</option>
        </select>
      </dd>
      <dt>
        <label htmlFor="out-encoding">Encoding</label>
      </dt>
      <dd>
        <select
          id="out-encoding"
          className="select select-sm max-w-56"
          value={choice.encoding ?? ""}
          onChange={(e) => set({ encoding: e.target.value === "" ? undefined : (e.target.value as Encoding) })}
        >
          <option value="">utf-8, which has every character</option>
          {ENCODING_GROUPS.map(({ title, encodings }) => (
            <optgroup key={title} label={title}>
              {encodings.map((e) => (
                <option key={e}>{e}</option>
              ))}
            </optgroup>
          ))}
        </select>
      </dd>
    </>
  );
}

/** The columns of a query, what its files are called, and where to get them. */
function WhatQueryGives({
  feed,
  choice,
  ending,
  columns,
}: {
  feed: string;
  choice: OutChoice;
  ending: string;
  columns: ReturnType<typeof useColumns>;
}) {
  return (
    <section aria-live="polite">
      <h2>What you get</h2>
      {columns.error ? (
        <ProblemNote problem={problemOf(columns.error)} />
      ) : !columns.data ? (
        <p className="faint">
          {columns.isFetching ? "Looking at the query…" : "The rows of the query, once there is one."}
        </p>
      ) : (
        <>
          <p className="mb-1">
            Its rows as they are when you ask, by {counted(columns.data.columns.length, "column")}:{" "}
            <span className="font-mono text-sm">
              {columns.data.columns.map(({ name, type }) => `${name} (${type})`).join(", ")}
            </span>
          </p>
          <Paths choice={choice} ending={ending} />
          <a className="btn btn-primary mt-3" href={withPath(outHref(feed, choice))} download>
            Download
          </a>
          <InShell feed={feed} choice={choice} ending={ending} />
        </>
      )}
    </section>
  );
}

/** What files are called, and that several are an archive. */
function Paths({ choice, ending }: { choice: OutChoice; ending: string }) {
  const several = choice.partitions.length > 0 || choice.records !== undefined;
  return (
    <>
      <p className="mb-1 font-mono text-sm wrap-anywhere">
        {outPath(choice, ending)
          .split("/")
          .map((part, i, all) => (
            <span key={i}>
              {part}
              {i < all.length - 1 && "/"}
              <wbr />
            </span>
          ))}
      </p>
      {several && (
        <p className="faint mb-1 text-sm">
          in one archive, with <span className="font-mono">manifest.json</span>: records, bytes and SHA-256 of each
          file, and the contract as JSON Schema and Table Schema
        </p>
      )}
    </>
  );
}

function InShell({ feed, choice, ending }: { feed: string; choice: OutChoice; ending: string }) {
  return (
    <>
      <h2 className="mt-6">The same in a shell</h2>
      <pre className="font-mono overflow-x-auto text-sm whitespace-pre-wrap">{shellWords(feed, choice, ending)}</pre>
    </>
  );
}
