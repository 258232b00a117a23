"use client";

import { Fragment, useId, type ReactNode } from "react";
import { listed } from "@/core/kernel/problem.ts";
import { FORMAT_PARTS, formatPart } from "@/core/read/schema.ts";
import { SETTINGS, type OfEach, type ReadOptions } from "@/core/read/settings.ts";
import { Choice } from "../../kit/choice.tsx";
import { label } from "../../kit/words.ts";
import {
  WIDE,
  Arrays,
  Count,
  Delimiter,
  Encoding,
  Escape,
  Own,
  Quote,
  Sheets,
  Starts,
  Text,
  Tick,
  type OneSetting,
} from "./read-settings.tsx";

const OF_EACH_WORDS: Record<OfEach, string> = {
  as: "its format",
  skip: "lines to pass over",
  header: "whether the first line names columns",
  below: "lines with units below it",
  quote: "its quote",
};
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
  const has = (name: string): boolean => name in formatPart(read.as).settings;
  const one: OneSetting = {
    id: useId(),
    read,
    put: (more) => set({ ...read, ...more }),
    without(name) {
      const { [name]: _, ...rest } = read;
      set(rest as ReadOptions);
    },
  };
  const line = (name: string, title: string, control: ReactNode): ReactNode =>
    has(name) && (
      <>
        <label htmlFor={`${one.id}-${name}`}>{title}</label>
        <div>
          {control}
          {evidence[name] && <span className="faint block text-xs">{evidence[name]}</span>}
        </div>
      </>
    );
  /** What the format has for itself; all else has a line below. */
  const own = Object.entries(formatPart(read.as).settings).filter(([name]) => !(name in SETTINGS));
  const named = read.header ?? true;
  const zeros = evidence["as_shown"] !== undefined || read.as_shown !== undefined;
  return (
    <div className="grid grid-cols-[9.5rem_1fr] items-baseline gap-x-3 gap-y-1.5">
      <label htmlFor={`${one.id}-format`}>format</label>
      <div>
        <Choice
          id={`${one.id}-format`}
          value={read.as}
          width={WIDE}
          options={FORMAT_PARTS.map((f) => [f.id, f.title] as const)}
          set={(as) => set({ as })}
        />
        {evidence["format"] && <span className="faint block text-xs">{evidence["format"]}</span>}
      </div>
      {line("delimiter", "between cells", <Delimiter {...one} />)}
      {line("quote", "quote", <Quote {...one} set={set} />)}
      {read.quote !== "" && line("escape", "a quote in a cell", <Escape {...one} />)}
      {line("starts", "columns begin at", <Starts {...one} />)}
      {line("sheets", "sheet", <Sheets {...one} others={others["sheets"] ?? []} />)}
      {line(
        "records",
        "records are at",
        <Text {...one} name="records" list={others["records"] ?? []} hint="found out from each file" />,
      )}
      {line(
        "each",
        "a record for each of",
        <Text {...one} name="each" list={arrays} hint="none: one record a document" />,
      )}
      {line("arrays", "other arrays", <Arrays {...one} />)}
      {line("encoding", "encoding", <Encoding {...one} />)}
      {read.of_each && (
        <>
          <label htmlFor={`${one.id}-of_each`}>found out from each file</label>
          <div>
            <button type="button" className="plain" id={`${one.id}-of_each`} onClick={() => one.without("of_each")}>
              {listed(read.of_each.map((n) => OF_EACH_WORDS[n]))}: have all read as below
            </button>
          </div>
        </>
      )}
      {line("skip", "lines to pass over", <Count {...one} name="skip" most={10_000} />)}
      {line("skip_end", "and at the end", <Count {...one} name="skip_end" most={1000} />)}
      {line("comment", "comments begin with", <Text {...one} name="comment" hint="no comments" />)}
      {line("row", "records end with", <Text {...one} name="row" hint="line ends" />)}
      {line("header", "first line names columns", <Tick {...one} name="header" usual={true} />)}
      {named && line("below", "lines below it with units or types", <Count {...one} name="below" most={5} />)}
      {zeros && line("as_shown", "numbers with their leading zeros", <Tick {...one} name="as_shown" usual={true} />)}
      {own.map(([name, type]) => (
        <Fragment key={name}>{line(name, label(name), <Own {...one} name={name} type={type} />)}</Fragment>
      ))}
      {line("fill_merged", "merged cells all have the value", <Tick {...one} name="fill_merged" usual={false} />)}
    </div>
  );
}
