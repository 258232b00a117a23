"use client";

import { useQuery } from "@tanstack/react-query";
import { countOut } from "@/routes/out.ts";
import { ask, problemOf } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { withPath } from "../kit/with-path.ts";
import { counted } from "../kit/words.ts";
import { outHref, outPath, outQuery, shellWords, type OutChoice } from "./out-choice.ts";
import type { useColumns } from "./query-choice.tsx";

/** How many rows that is, in which files, and where to get them. */
export function WhatComes({ feed, choice, ending }: { feed: string; choice: OutChoice; ending: string }) {
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

/** The columns of a query, what its files are called, and where to get them. */
export function WhatQueryGives({
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

/** The command that gives the same. */
function InShell({ feed, choice, ending }: { feed: string; choice: OutChoice; ending: string }) {
  return (
    <>
      <h2 className="mt-6">The same in a shell</h2>
      <pre className="font-mono overflow-x-auto text-sm whitespace-pre-wrap">{shellWords(feed, choice, ending)}</pre>
    </>
  );
}
