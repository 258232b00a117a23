"use client";

import { useId, useState, type ReactNode } from "react";
import { listed } from "@/core/kernel/problem.ts";
import { FORMAT_IDS, type FormatId, type OfEach, type ReadOptions } from "@/core/read/part.ts";
import { ENCODING_GROUPS } from "@/core/read/encoding/names.ts";
import { FORMAT_SETTINGS } from "@/core/read/settings.ts";

const DELIMITER_WORDS: [string, string][] = [
  ["auto", "found out from each file"],
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "bar"],
  [" ", "blank"],
];
const OF_EACH_WORDS: Record<OfEach, string> = {
  as: "its format",
  skip: "lines to pass over",
  header: "whether the first line names columns",
  below: "lines with units below it",
  quote: "its quote",
};
/** The choice that is typed. */
const OTHER = "other";

interface ReadFormProps {
  read: ReadOptions;
  set: (read: ReadOptions) => void;
  /** Why each guess was made, by the setting's name. */
  evidence?: Readonly<Record<string, string>>;
  /** What else the file offers, by the setting's name. */
  others?: Readonly<Record<string, readonly string[]>> | undefined;
  /** Paths of arrays in the documents that were seen. */
  arrays?: readonly string[];
}

/** How a file or a feed's files are read: the format, and the settings that it knows. */
export function ReadForm({ read, set, evidence = {}, others = {}, arrays = [] }: ReadFormProps) {
  const id = useId();
  const [typing, setTyping] = useState(false);
  const has = (name: string): boolean => name in FORMAT_SETTINGS[read.as].settings;
  const put = (more: Partial<ReadOptions>): void => set({ ...read, ...more });
  const without = (name: keyof ReadOptions): void => {
    const { [name]: _, ...rest } = read;
    set(rest as ReadOptions);
  };
  const line = (name: string, title: string, control: ReactNode): ReactNode => (
    <>
      <label htmlFor={`${id}-${name}`}>{title}</label>
      <div>
        {control}
        {evidence[name] && <span className="faint block text-xs">{evidence[name]}</span>}
      </div>
    </>
  );
  const text = (
    name: "records" | "each" | "comment" | "row",
    title: string,
    list: readonly string[],
    hint: string,
  ): ReactNode =>
    has(name) &&
    line(
      name,
      title,
      list.length > 0 && (read[name] === undefined || list.includes(read[name])) ? (
        <select
          id={`${id}-${name}`}
          className="select select-sm w-full max-w-56 text-sm"
          value={read[name] ?? ""}
          onChange={(e) => (e.target.value === "" ? without(name) : put({ [name]: e.target.value }))}
        >
          <option value="">{hint}</option>
          {list.map((v) => (
            <option key={v} value={v}>
              {v}
            </option>
          ))}
        </select>
      ) : (
        <input
          id={`${id}-${name}`}
          className="input input-sm w-full max-w-56 text-sm"
          placeholder={hint}
          defaultValue={read[name] ?? ""}
          key={read[name] ?? ""}
          onBlur={(e) => {
            if (e.target.value === (read[name] ?? "")) return;
            if (e.target.value === "") without(name);
            else put({ [name]: e.target.value });
          }}
        />
      ),
    );
  const knownDelimiter = DELIMITER_WORDS.some(([d]) => d === (read.delimiter ?? "auto"));
  return (
    <div className="grid grid-cols-[9.5rem_1fr] items-baseline gap-x-3 gap-y-1.5">
      {line(
        "format",
        "format",
        <select
          id={`${id}-format`}
          className="select select-sm w-full max-w-56 text-sm"
          value={read.as}
          onChange={(e) => set({ as: e.target.value as FormatId })}
        >
          {FORMAT_IDS.map((f) => (
            <option key={f} value={f}>
              {FORMAT_SETTINGS[f].title}
            </option>
          ))}
        </select>,
      )}
      {has("delimiter") &&
        line(
          "delimiter",
          "between cells",
          <div className="flex max-w-56 gap-1.5">
            <select
              id={`${id}-delimiter`}
              className="select select-sm w-full min-w-0 text-sm"
              value={typing ? OTHER : (read.delimiter ?? "auto")}
              onChange={(e) => {
                setTyping(e.target.value === OTHER);
                if (e.target.value !== OTHER) put({ delimiter: e.target.value });
              }}
            >
              {DELIMITER_WORDS.map(([d, word]) => (
                <option key={d} value={d}>
                  {word}
                </option>
              ))}
              {!knownDelimiter && <option value={read.delimiter}>“{read.delimiter}”</option>}
              <option value={OTHER}>other…</option>
            </select>
            {typing && (
              <input
                className="input input-sm !w-20 font-mono text-sm"
                aria-label="The characters between cells"
                placeholder="~|~"
                maxLength={20}
                autoFocus
                onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                onBlur={(e) => {
                  setTyping(false);
                  if (e.target.value !== "") put({ delimiter: e.target.value });
                }}
              />
            )}
          </div>,
        )}
      {has("quote") &&
        line(
          "quote",
          "quote",
          <select
            id={`${id}-quote`}
            className="select select-sm w-full max-w-56 text-sm"
            value={read.quote ?? '"'}
            onChange={(e) => {
              const { escape: _, ...rest } = read;
              set({ ...rest, quote: e.target.value });
            }}
          >
            <option value={'"'}>double quote</option>
            <option value="'">single quote</option>
            <option value="">none</option>
          </select>,
        )}
      {has("escape") &&
        read.quote !== "" &&
        line(
          "escape",
          "a quote in a cell",
          <select
            id={`${id}-escape`}
            className="select select-sm w-full max-w-56 text-sm"
            value={read.escape === "\\" ? "\\" : ""}
            onChange={(e) => (e.target.value === "" ? without("escape") : put({ escape: e.target.value }))}
          >
            <option value="">is doubled</option>
            <option value={"\\"}>has a backslash before it</option>
          </select>,
        )}
      {has("starts") &&
        line(
          "starts",
          "columns begin at",
          <input
            id={`${id}-starts`}
            className="input input-sm w-full max-w-56 text-sm"
            placeholder="0, 12, 30"
            defaultValue={(read.starts ?? []).join(", ")}
            key={(read.starts ?? []).join()}
            onBlur={(e) => {
              const starts = e.target.value
                .split(/[\s,;]+/)
                .filter((s) => /^\d+$/.test(s))
                .map(Number);
              if (starts.join() === (read.starts ?? []).join()) return;
              if (starts.length > 0) put({ starts });
              else without("starts");
            }}
          />,
        )}
      {has("sheets") &&
        line(
          "sheets",
          "sheet",
          <select
            id={`${id}-sheets`}
            className="select select-sm w-full max-w-56 text-sm"
            value={read.sheets?.length === 1 ? read.sheets[0] : (read.sheets?.join("\n") ?? "")}
            onChange={(e) => (e.target.value === "" ? without("sheets") : put({ sheets: e.target.value.split("\n") }))}
          >
            <option value="">the first with records</option>
            {[...new Set([...(others["sheets"] ?? []), ...(read.sheets ?? [])])].map((s) => (
              <option key={s} value={s}>
                {s}
              </option>
            ))}
            {(others["sheets"]?.length ?? 0) > 1 && <option value={others["sheets"]!.join("\n")}>all of them</option>}
          </select>,
        )}
      {text("records", "records are at", others["records"] ?? [], "found out from each file")}
      {text("each", "a record for each of", arrays, "none: one record a document")}
      {has("arrays") &&
        line(
          "arrays",
          "other arrays",
          <select
            id={`${id}-arrays`}
            className="select select-sm w-full max-w-56 text-sm"
            value={read.arrays?.["*"]?.take ?? "join"}
            onChange={(e) =>
              put({ arrays: { ...read.arrays, "*": { take: e.target.value as "join" | "first" | "last" | "json" } } })
            }
          >
            <option value="join">joined into one cell by “; ”</option>
            <option value="first">the first element</option>
            <option value="last">the last element</option>
            <option value="json">their JSON text</option>
          </select>,
        )}
      {has("encoding") &&
        line(
          "encoding",
          "encoding",
          <select
            id={`${id}-encoding`}
            className="select select-sm w-full max-w-56 text-sm"
            value={read.encoding ?? "auto"}
            onChange={(e) => put({ encoding: e.target.value })}
          >
            <option value="auto">found out from each file</option>
            {ENCODING_GROUPS.map(({ title, encodings }) => (
              <optgroup key={title} label={title}>
                {encodings.map((e) => (
                  <option key={e} value={e}>
                    {e}
                  </option>
                ))}
              </optgroup>
            ))}
          </select>,
        )}
      {read.of_each &&
        line(
          "of_each",
          "found out from each file",
          <button type="button" className="plain" id={`${id}-of_each`} onClick={() => without("of_each")}>
            {listed(read.of_each.map((n) => OF_EACH_WORDS[n]))}: have all read as below
          </button>,
        )}
      {has("skip") &&
        line(
          "skip",
          "lines to pass over",
          <input
            id={`${id}-skip`}
            type="number"
            min={0}
            max={10000}
            className="input input-sm w-24 text-sm"
            value={read.skip ?? 0}
            onChange={(e) => put({ skip: Math.max(0, Math.floor(Number(e.target.value) || 0)) })}
          />,
        )}
      {has("skip_end") &&
        line(
          "skip_end",
          "and at the end",
          <input
            id={`${id}-skip_end`}
            type="number"
            min={0}
            max={1000}
            className="input input-sm w-24 text-sm"
            value={read.skip_end ?? 0}
            onChange={(e) => put({ skip_end: Math.max(0, Math.floor(Number(e.target.value) || 0)) })}
          />,
        )}
      {text("comment", "comments begin with", [], "no comments")}
      {text("row", "records end with", [], "line ends")}
      {has("header") &&
        line(
          "header",
          "first line names columns",
          <input
            id={`${id}-header`}
            type="checkbox"
            checked={read.header ?? true}
            onChange={(e) => put({ header: e.target.checked })}
          />,
        )}
      {has("below") &&
        (read.header ?? true) &&
        line(
          "below",
          "lines below it with units or types",
          <input
            id={`${id}-below`}
            type="number"
            min={0}
            max={5}
            className="input input-sm w-24 text-sm"
            value={read.below ?? 0}
            onChange={(e) => put({ below: Math.min(5, Math.max(0, Math.floor(Number(e.target.value) || 0))) })}
          />,
        )}
      {has("as_shown") &&
        (evidence["as_shown"] !== undefined || read.as_shown !== undefined) &&
        line(
          "as_shown",
          "numbers with their leading zeros",
          <input
            id={`${id}-as_shown`}
            type="checkbox"
            checked={read.as_shown ?? true}
            onChange={(e) => put({ as_shown: e.target.checked })}
          />,
        )}
      {has("fill_merged") &&
        line(
          "fill_merged",
          "merged cells all have the value",
          <input
            id={`${id}-fill_merged`}
            type="checkbox"
            checked={read.fill_merged ?? false}
            onChange={(e) => put({ fill_merged: e.target.checked })}
          />,
        )}
    </div>
  );
}
