"use client";

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { X } from "lucide-react";
import { ENCODING_GROUPS, type Encoding } from "@/core/read/encoding/names.ts";
import { usualName } from "@/core/write/files/name.ts";
import { PERIODS, type Partition, type Period } from "@/core/write/files/partition.ts";
import { countOut } from "@/routes/feeds.ts";
import { ask, problemOf } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { withPath } from "../kit/with-path.ts";
import { counted } from "../kit/words.ts";
import { outHref, outPath, outQuery, shellWords, type OutChoice } from "./out-choice.ts";

interface Format {
  readonly id: string;
  readonly title: string;
  readonly ending: string;
  /** It is delimited text. */
  readonly delimited: boolean;
}

interface OutField {
  readonly name: string;
  readonly isDay: boolean;
}

/** In what form rows go out, how many they are, and where to get them. */
export function RecordsOut({
  feed,
  formats,
  fields,
  loads,
}: {
  feed: string;
  formats: readonly Format[];
  fields: readonly OutField[];
  loads: readonly number[];
}) {
  const [choice, setChoice] = useState<OutChoice>({ format: formats[0]!.id, gzip: false, partitions: [] });
  const set = (some: Partial<OutChoice>): void => setChoice((have) => ({ ...have, ...some }));
  const { partitions } = choice;
  const format = formats.find((f) => f.id === choice.format)!;
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
              // What only delimited text has is not taken along to another format.
              set({ format: next.id, ...(next.delimited ? {} : { delimiter: undefined, encoding: undefined }) });
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
        <dt>
          <label htmlFor="out-load">Rows</label>
        </dt>
        <dd>
          <select
            id="out-load"
            className="select select-sm max-w-56"
            value={choice.load ?? ""}
            onChange={(e) => set({ load: e.target.value === "" ? undefined : Number(e.target.value) })}
          >
            <option value="">all rows of the target</option>
            {loads.map((l) => (
              <option key={l} value={l}>
                those that load {l} wrote last
              </option>
            ))}
          </select>
        </dd>
        <dt>Folders</dt>
        <dd>
          <Folders partitions={partitions} fields={fields} set={(to) => set({ partitions: to })} />
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
            placeholder={usualName(choice.load)}
            value={choice.name ?? ""}
            onChange={(e) => set({ name: e.target.value === "" ? undefined : e.target.value })}
          />
          <p className="faint mt-1 text-sm">
            without the ending; {"{feed}, {load}, {day} and {n}"} stand for the feed, the load, today and the number of
            the file
          </p>
        </dd>
      </dl>
      <WhatComes feed={feed} choice={choice} ending={format.ending} />
    </div>
  );
}

/** The fields that give folders, from outer to inner: a folder for each value, or for each period of a date. */
function Folders({
  partitions,
  fields,
  set,
}: {
  partitions: readonly Partition[];
  fields: readonly OutField[];
  set: (partitions: Partition[]) => void;
}) {
  const isDay = (name: string): boolean => fields.some((f) => f.name === name && f.isDay);
  const change = (at: number, to: Partition | null): void =>
    set(partitions.flatMap((p, i) => (i !== at ? [p] : to ? [to] : [])));
  const add = (name: string): void =>
    set([...partitions, isDay(name) ? { field: name, by: "month" } : { field: name }]);
  const free = fields.filter((f) => !partitions.some((p) => p.field === f.name));
  return (
    <>
      <ul className="mb-2 flex flex-col gap-2">
        {partitions.map((p, i) => (
          <li key={p.field} className="flex items-center gap-2">
            <span className="font-mono text-sm min-w-32">{p.field}</span>
            {isDay(p.field) && (
              <select
                aria-label={`Period of ${p.field}`}
                className="select select-xs max-w-28"
                value={p.by ?? "day"}
                onChange={(e) => change(i, { field: p.field, by: e.target.value as Period })}
              >
                {PERIODS.map((period) => (
                  <option key={period} value={period}>
                    by {period}
                  </option>
                ))}
              </select>
            )}
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              aria-label={`No folders by ${p.field}`}
              onClick={() => change(i, null)}
            >
              <X size={14} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      <select
        aria-label="Add folders by a field"
        className="select select-sm max-w-56"
        value=""
        onChange={(e) => e.target.value !== "" && add(e.target.value)}
      >
        <option value="">{partitions.length === 0 ? "one folder for all" : "and by…"}</option>
        {free.map((f) => (
          <option key={f.name} value={f.name}>
            a folder for each {f.name}
          </option>
        ))}
      </select>
    </>
  );
}

/** How many rows that is, in which files, and where to get them. */
function WhatComes({ feed, choice, ending }: { feed: string; choice: OutChoice; ending: string }) {
  const { partition, load } = outQuery(choice);
  const rows = useQuery({
    queryKey: ["rows out", feed, partition, load],
    queryFn: ({ signal }) => ask(countOut, { params: { feed }, query: { partition, load }, signal }),
    staleTime: 10_000,
    retry: false,
  });
  const several = choice.partitions.length > 0 || choice.records !== undefined;
  return (
    <section aria-live="polite">
      <h2>What you get</h2>
      {rows.error ? (
        <ProblemNote problem={problemOf(rows.error)} />
      ) : (
        <>
          <p className="mb-1">
            {!rows.data ? (
              "Counting the rows…"
            ) : rows.data.counted === null ? (
              "More rows than can be counted in a moment"
            ) : (
              <>
                <b>{counted(rows.data.counted.rows, "row")}</b>
                {choice.partitions.length > 0 && ` in ${counted(rows.data.counted.folders, "folder")}`}
              </>
            )}
          </p>
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
          <a className="btn btn-primary mt-3" href={withPath(outHref(feed, choice))} download>
            Download{rows.data?.counted ? ` ${counted(rows.data.counted.rows, "row")}` : ""}
          </a>
          <h2 className="mt-6">The same in a shell</h2>
          <pre className="font-mono overflow-x-auto text-sm whitespace-pre-wrap">
            {shellWords(feed, choice, ending)}
          </pre>
        </>
      )}
    </section>
  );
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
