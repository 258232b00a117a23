"use client";

import { useState } from "react";
import type { z } from "zod";
import { toJSONSchema } from "zod";
import type { ReadOptions } from "@/core/read/settings.ts";
import { Choice } from "../../kit/choice.tsx";
import { ENCODING_GROUPS } from "@/core/read/encoding/names.ts";

const DELIMITER_WORDS: [string, string][] = [
  ["auto", "found out from each file"],
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "bar"],
  [" ", "blank"],
];
/** The choice that is typed. */
const OTHER = "other";
export const WIDE = "w-full max-w-56 text-sm";

/** One setting of how files are read: what all of them are, and how one is changed or taken away. */
export interface OneSetting {
  readonly id: string;
  readonly read: ReadOptions;
  readonly put: (more: Partial<ReadOptions>) => void;
  readonly without: (name: keyof ReadOptions) => void;
}

/** What stands between cells: one of few, or what is typed. */
export function Delimiter({ id, read, put }: OneSetting) {
  const [typing, setTyping] = useState(false);
  const known = DELIMITER_WORDS.some(([d]) => d === (read.delimiter ?? "auto"));
  const own: [string, string][] = known ? [] : [[read.delimiter!, `“${read.delimiter}”`]];
  return (
    <div className="flex max-w-56 gap-1.5">
      <Choice
        id={`${id}-delimiter`}
        value={typing ? OTHER : (read.delimiter ?? "auto")}
        width={WIDE}
        options={[...DELIMITER_WORDS, ...own, [OTHER, "other…"]]}
        set={(value) => {
          setTyping(value === OTHER);
          if (value !== OTHER) put({ delimiter: value });
        }}
      />
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
    </div>
  );
}

/** Another quote has its usual escape. */
export function Quote({ id, read, set }: OneSetting & { set: (read: ReadOptions) => void }) {
  return (
    <Choice
      id={`${id}-quote`}
      value={read.quote ?? '"'}
      width={WIDE}
      options={[
        ['"', "double quote"],
        ["'", "single quote"],
        ["", "none"],
        ...(["", "'", '"', undefined].includes(read.quote) ? [] : [read.quote!]),
      ]}
      set={(quote) => {
        const { escape: _, ...rest } = read;
        set({ ...rest, quote });
      }}
    />
  );
}

export function Escape({ id, read, put, without }: OneSetting) {
  return (
    <Choice
      id={`${id}-escape`}
      value={read.escape === "\\" ? "\\" : ""}
      width={WIDE}
      options={[
        ["", "is doubled"],
        ["\\", "has a backslash before it"],
      ]}
      set={(escape) => (escape === "" ? without("escape") : put({ escape }))}
    />
  );
}

/** Where the columns of lines of one width begin. */
export function Starts({ id, read, put, without }: OneSetting) {
  const set = read.starts ?? [];
  return (
    <input
      id={`${id}-starts`}
      className={`input input-sm ${WIDE}`}
      placeholder="0, 12, 30"
      defaultValue={set.join(", ")}
      key={set.join()}
      onBlur={(e) => {
        const words = e.target.value.split(/[\s,;]+/);
        const starts = words.filter((s) => /^\d+$/.test(s)).map(Number);
        if (starts.join() === set.join()) return;
        if (starts.length > 0) put({ starts });
        else without("starts");
      }}
    />
  );
}

export function Sheets({ id, read, put, without, others }: OneSetting & { others: readonly string[] }) {
  const set = read.sheets?.join("\n") ?? "";
  const all: [string, string][] = others.length > 1 ? [[others.join("\n"), "all of them"]] : [];
  // Which of several, as only the plan's own document can say.
  const some: [string, string][] =
    (read.sheets ?? []).length > 1 && set !== all[0]?.[0] ? [[set, read.sheets!.join(", ")]] : [];
  const each = [...new Set([...others, ...(read.sheets ?? [])])];
  return (
    <Choice
      id={`${id}-sheets`}
      value={set}
      width={WIDE}
      options={[["", "the first with records"], ...each, ...all, ...some]}
      set={(sheets) => (sheets === "" ? without("sheets") : put({ sheets: sheets.split("\n") }))}
    />
  );
}

/** A text: one of a list where there is one and what is set is of it, typed otherwise. */
export function Text({
  id,
  read,
  put,
  without,
  name,
  list = [],
  hint,
}: OneSetting & { name: "records" | "each" | "comment" | "row"; list?: readonly string[]; hint: string }) {
  const value = read[name] ?? "";
  const set = (text: string): void => (text === "" ? without(name) : put({ [name]: text }));
  if (list.length > 0 && (value === "" || list.includes(value))) {
    const choices = list.map((v) => [v, v] as const);
    return <Choice id={`${id}-${name}`} value={value} width={WIDE} options={[["", hint], ...choices]} set={set} />;
  }
  return (
    <input
      id={`${id}-${name}`}
      className={`input input-sm ${WIDE}`}
      placeholder={hint}
      defaultValue={value}
      key={value}
      onBlur={(e) => {
        if (e.target.value !== value) set(e.target.value);
      }}
    />
  );
}

/** What becomes of arrays that no record is made of. */
export function Arrays({ id, read, put }: OneSetting) {
  type Take = NonNullable<ReadOptions["arrays"]>[string]["take"];
  return (
    <Choice
      id={`${id}-arrays`}
      value={read.arrays?.["*"]?.take ?? "join"}
      width={WIDE}
      options={[
        ["join", "joined into one cell by “; ”"],
        ["first", "the first element"],
        ["last", "the last element"],
        ["json", "their JSON text"],
      ]}
      set={(take) => put({ arrays: { ...read.arrays, "*": { take: take as Take } } })}
    />
  );
}

export function Encoding({ id, read, put }: OneSetting) {
  return (
    <select
      id={`${id}-encoding`}
      className={`select select-sm ${WIDE}`}
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
    </select>
  );
}

/** A number of lines, from none to `most`. */
export function Count({
  id,
  read,
  put,
  name,
  most,
}: OneSetting & { name: "skip" | "skip_end" | "below"; most: number }) {
  return (
    <input
      id={`${id}-${name}`}
      type="number"
      min={0}
      max={most}
      className="input input-sm !w-24 text-sm"
      value={read[name] ?? 0}
      onChange={(e) => put({ [name]: Math.min(most, Math.max(0, Math.floor(Number(e.target.value) || 0))) })}
    />
  );
}

/** Something that is so or not. */
export function Tick({
  id,
  read,
  put,
  name,
  usual,
}: OneSetting & { name: "header" | "as_shown" | "fill_merged"; usual: boolean }) {
  return (
    <input
      id={`${id}-${name}`}
      type="checkbox"
      checked={read[name] ?? usual}
      onChange={(e) => put({ [name]: e.target.checked })}
    />
  );
}

/** A setting that one format has for itself, by what its declaration says of it. */
export function Own({
  id,
  read,
  put,
  without,
  name,
  type,
}: OneSetting & { name: string; type: z.ZodRawShape[string] }) {
  const { type: kind, description } = toJSONSchema(type as z.ZodType, { io: "input" });
  const value = read[name];
  if (kind === "boolean") {
    return (
      <input
        type="checkbox"
        id={`${id}-${name}`}
        className="checkbox checkbox-sm"
        checked={value === true}
        onChange={(e) => (e.target.checked ? put({ [name]: true }) : without(name))}
      />
    );
  }
  const number = kind === "integer" || kind === "number";
  return (
    <input
      type={number ? "number" : "text"}
      id={`${id}-${name}`}
      className={`input input-sm ${WIDE}`}
      placeholder={description}
      title={description}
      defaultValue={value === undefined ? "" : String(value)}
      key={String(value)}
      onBlur={(e) => {
        const text = e.target.value;
        if (text === String(value ?? "")) return;
        if (text === "") without(name);
        else put({ [name]: number ? Number(text) : text });
      }}
    />
  );
}
