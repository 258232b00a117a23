"use client";

import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { mergeValueTables, readValueTable, valueTableCsv } from "@/core/cleanse/value-table.ts";
import { REFERENCES_QUERY } from "../references/references-query.ts";
import { splitList } from "@/core/type/part.ts";
import { grouped } from "./words.ts";

/** One of the reference lists that have synonyms, or none. */
export function ListChoice({
  id,
  value,
  set,
}: {
  id: string;
  value: string | undefined;
  set: (list: string | undefined) => void;
}) {
  const { data } = useQuery({
    ...REFERENCES_QUERY,
  });
  const lists = (data?.references ?? []).filter((r) => r.shape.accepted !== undefined);
  return (
    <select
      id={id}
      className="select select-xs"
      value={value ?? ""}
      onChange={(e) => set(e.target.value === "" ? undefined : e.target.value)}
    >
      <option value="">none</option>
      {value !== undefined && !lists.some((l) => l.name === value) && <option value={value}>{value}</option>}
      {lists.map((l) => (
        <option key={l.name} value={l.name}>
          {l.title}
        </option>
      ))}
    </select>
  );
}

/** A table of values and what they become, one wanted value a line: `GB: UK, Great Britain`. */
export function ValueTable({
  id,
  value,
  set,
}: {
  id: string;
  value: Record<string, string[]>;
  set: (value: Record<string, string[]>) => void;
}) {
  const text = Object.entries(value)
    .map(([to, from]) => `${to}: ${from.join(", ")}`)
    .join("\n");
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <textarea
      id={id}
      className="textarea raw h-28 text-sm"
      spellCheck={false}
      placeholder="GB: UK, Great Britain"
      value={draft ?? text}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={(e) => {
        setDraft(null);
        const next: Record<string, string[]> = {};
        for (const line of e.target.value.split("\n")) {
          const at = line.indexOf(":");
          const to = (at < 0 ? line : line.slice(0, at)).trim();
          if (to !== "") next[to] = [...(next[to] ?? []), ...(at < 0 ? [] : splitList(line.slice(at + 1)))];
        }
        if (JSON.stringify(next) !== JSON.stringify(value)) set(next);
      }}
    />
  );
}

/** Brings a table of spellings in from a file, and gives the one that is there out. */
export function ValueTableFile({
  value,
  set,
}: {
  value: Record<string, string[]>;
  set: (value: Record<string, string[]>) => void;
}) {
  const [said, setSaid] = useState("");
  const take = async (file: File): Promise<void> => {
    try {
      const table = readValueTable(new Uint8Array(await file.arrayBuffer()));
      set(mergeValueTables(value, table.to));
      setSaid(
        `${grouped(table.spellings)} spellings of ${grouped(Object.keys(table.to).length)} values from ${file.name}${table.passedOver > 0 ? `; ${grouped(table.passedOver)} lines have no two values` : ""}.`,
      );
    } catch (error) {
      setSaid((error as Error).message);
    }
  };
  return (
    <p className="mt-1 flex flex-wrap items-center gap-x-4 text-xs">
      <label className="cursor-pointer underline">
        bring in a table
        <input
          type="file"
          className="sr-only"
          accept=".csv,.tsv,.txt"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void take(file);
            e.target.value = "";
          }}
        />
      </label>
      <a
        className="underline"
        download="values.csv"
        href={`data:text/csv;charset=utf-8,${encodeURIComponent(valueTableCsv(value))}`}
      >
        give it out
      </a>
      <span className="faint" role="status">
        {said || "A file with a column of spellings and a column of what they become."}
      </span>
    </p>
  );
}

export function FieldChoice({
  label,
  names,
  many,
  needed,
  value,
  set,
}: {
  label: string;
  names: readonly string[];
  many: boolean;
  needed: boolean;
  value: string | string[] | undefined;
  set: (value: string | string[] | undefined) => void;
}) {
  const id = useId();
  const chosen = value === undefined ? [] : [value].flat();
  return (
    <div className={many ? "w-full" : "w-64"}>
      <label htmlFor={id} className="faint block text-xs">
        {label}
      </label>
      {many ? (
        <span className="flex flex-wrap items-center gap-2">
          {chosen.map((n) => (
            <span key={n} className="border border-[var(--rule)] px-1.5">
              {n}{" "}
              <button
                type="button"
                aria-label={`Take ${n} out`}
                className="held cursor-pointer"
                disabled={needed && chosen.length === 1}
                onClick={() => set(chosen.length === 1 ? undefined : chosen.filter((x) => x !== n))}
              >
                ×
              </button>
            </span>
          ))}
          <select
            id={id}
            className="select select-xs max-w-40"
            value=""
            onChange={(e) => e.target.value && set([...chosen, e.target.value])}
          >
            <option value="">one more field</option>
            {names
              .filter((n) => !chosen.includes(n))
              .map((n) => (
                <option key={n}>{n}</option>
              ))}
          </select>
        </span>
      ) : (
        <select
          id={id}
          className="select select-xs"
          value={chosen[0] ?? ""}
          onChange={(e) => set(e.target.value || undefined)}
        >
          {(!needed || chosen.length === 0) && <option value="">none</option>}
          {names.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
      )}
    </div>
  );
}
