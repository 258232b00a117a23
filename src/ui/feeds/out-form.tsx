"use client";

import { Fragment } from "react";
import { ENCODING_GROUPS, type Encoding } from "@/core/read/encoding/names.ts";
import type { OutChoice } from "./out-choice.ts";

/** What XML's elements are called. */
export function ElementChoice({ choice, set }: { choice: OutChoice; set: (some: Partial<OutChoice>) => void }) {
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
export function TextChoice({ choice, set }: { choice: OutChoice; set: (some: Partial<OutChoice>) => void }) {
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
