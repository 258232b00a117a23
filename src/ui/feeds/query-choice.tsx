"use client";

import { useQuery, type UseQueryResult } from "@tanstack/react-query";
import { queryColumns } from "@/routes/out.ts";
import { ask } from "../kit/api.ts";
import type { AskedQuery } from "./out-choice.ts";

/** The query whose rows go out, and by whose role it is asked. */
export function QueryChoice({
  query,
  connections,
  set,
}: {
  query: AskedQuery;
  connections: readonly string[];
  set: (query: AskedQuery) => void;
}) {
  if (connections.length === 0) {
    return (
      <p className="faint mt-2 max-w-prose">
        A query is asked by the role of a connection, of which there is none yet. They are made from a shell:{" "}
        <span className="font-mono">sieve connection add</span>.
      </p>
    );
  }
  return (
    <div className="mt-2 max-w-prose">
      <label className="flex items-center gap-2">
        by the role of
        <select
          className="select select-sm !w-48"
          value={query.connection}
          onChange={(e) => set({ ...query, connection: e.target.value })}
        >
          {connections.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <textarea
        className="textarea mt-2 w-full font-mono text-sm"
        aria-label="The query"
        rows={6}
        maxLength={6000}
        placeholder={"select partner, count(*) as records\nfrom target.accession\ngroup by partner"}
        defaultValue={query.sql}
        onBlur={(e) => set({ ...query, sql: e.target.value.trim() })}
      />
      <p className="faint text-sm">One query that reads; nothing can be written by it.</p>
    </div>
  );
}

/** The columns of a query once there is one, or what is wrong with it. */
export function useColumns(
  query: AskedQuery | undefined,
): UseQueryResult<{ columns: readonly { readonly name: string; readonly type: string }[] }> {
  return useQuery({
    queryKey: ["columns of a query", query],
    queryFn: ({ signal }) => ask(queryColumns, { query: query!, signal }),
    enabled: query !== undefined && query.sql !== "" && query.connection !== "",
    staleTime: 10_000,
    retry: false,
  });
}
