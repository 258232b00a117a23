import type { Command } from "commander";
import { SieveError } from "@/core/kernel/problem.ts";
import { FORMAT_IDS } from "@/core/read/schema.ts";
import type { ReadSettings } from "@/core/read/settings.ts";

/** A whole number of the command line. Throws `usage`. */
export function wholeNumber(text: string): number {
  if (!/^\d{1,6}$/.test(text)) {
    throw new SieveError("usage", `“${text}” is not a whole number.`, { hint: "Give digits, such as 3." });
  }
  return Number(text);
}

/** How files are read, as it is said on the command line. */
export interface ReadFlags {
  as?: string;
  delimiter?: string;
  quote?: string;
  escape?: string;
  row?: string;
  header?: boolean;
  skip?: number;
  skipEnd?: number;
  below?: number;
  comment?: string;
  encoding?: string;
  starts?: string;
  records?: string;
  each?: string;
  arrays?: string;
  sheet?: string[];
}

/** The options that say how files are read; what is not set is found out. */
export function withReadFlags(command: Command): Command {
  return command
    .option("--as <format>", `the format: ${FORMAT_IDS.join(", ")}`)
    .option("--delimiter <text>", "what stands between cells")
    .option("--quote <char>", 'the quote character, or "" for none')
    .option("--escape <char>", "what stands before a quote inside a value")
    .option("--row <char>", "what ends a record, where that is no line end")
    .option("--header", "the first line names the columns")
    .option("--no-header", "the first line is a record; columns are 1, 2, …")
    .option("--skip <lines>", "lines to pass over first", wholeNumber)
    .option("--skip-end <lines>", "lines to pass over at the end", wholeNumber)
    .option("--below <lines>", "lines below the heading with units or types, which are no records", wholeNumber)
    .option("--comment <text>", "what a comment line begins with")
    .option("--encoding <name>", "the encoding")
    .option("--starts <places>", "fixed-width text: where columns begin, such as 0,12,30")
    .option("--records <path>", "JSON and XML: the path of the records")
    .option("--each <path>", "documents: the path of an array that becomes records of its own")
    .option("--arrays <choice>", "documents: join, first, last or json for other arrays")
    .option("--sheet <name...>", "workbooks: the sheets to read");
}

/** The settings that were said. Throws `usage`. */
export function readSettings(o: ReadFlags): ReadSettings {
  const { as, starts, arrays, sheet, skipEnd, delimiter, ...rest } = o;
  if (as !== undefined && !FORMAT_IDS.includes(as)) {
    throw new SieveError("usage", `“${as}” is not a format.`, { hint: `Give one of ${FORMAT_IDS.join(", ")}.` });
  }
  if (arrays !== undefined && !["join", "first", "last", "json"].includes(arrays)) {
    throw new SieveError("usage", `“${arrays}” is no choice for arrays.`, { hint: "Give join, first, last or json." });
  }
  const places = starts?.split(",").map((s) => wholeNumber(s.trim()));
  return {
    ...rest,
    as,
    delimiter: delimiter?.replaceAll("\\t", "\t"),
    ...(skipEnd === undefined ? {} : { skip_end: skipEnd }),
    ...(places ? { starts: places } : {}),
    ...(arrays ? { arrays: { "*": { take: arrays as "join" } } } : {}),
    ...(sheet ? { sheets: sheet } : {}),
  };
}
