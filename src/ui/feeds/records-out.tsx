"use client";

import { useState } from "react";
import { OF_HELD, OF_RECORDS, isOfLoad, isTyped, type Contents } from "@/core/write/files/contents.ts";
import { PartitionPicker, type PickedField } from "../kit/partition-picker.tsx";
import { outPattern, type OutChoice } from "./out-choice.ts";
import { ElementChoice, TextChoice } from "./out-form.tsx";
import { QueryChoice, useColumns } from "./query-choice.tsx";
import { WhatComes, WhatQueryGives } from "./what-you-get.tsx";

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
          <FormatChoice formats={formats} choice={choice} set={set} />
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

/** The format; what only some formats have is not taken along to another one. */
function FormatChoice({
  formats,
  choice,
  set,
}: {
  formats: readonly Format[];
  choice: OutChoice;
  set: (some: Partial<OutChoice>) => void;
}) {
  return (
    <select
      id="out-format"
      className="select select-sm max-w-56"
      value={choice.format}
      onChange={(e) => {
        const next = formats.find((f) => f.id === e.target.value)!;
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
