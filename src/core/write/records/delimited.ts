import { csvRow } from "../csv.ts";
import type { OutputPart } from "./part.ts";
import { textWriter } from "./part.ts";
import { textOfValue } from "./typed.ts";

const of = <Id extends string>(
  id: Id,
  title: string,
  extensions: readonly string[],
  delimiter: string,
  guard = false,
): OutputPart<Id> => ({
  id,
  title,
  extensions,
  delimited: true,
  open(fields, _name, text = {}) {
    const between = text.delimiter ?? delimiter;
    const row = (values: readonly string[]): string => csvRow(values, guard, between);
    return textWriter(
      row(fields.map((f) => f.name)),
      (values) => row(values.map((v, f) => textOfValue(fields[f]!, v))),
      "",
      text.encoder?.(),
    );
  },
});

/** Delimited text (RFC 4180), exact: for programs, not for spreadsheets. */
export const csv = of("csv", "CSV", ["csv", "txt"], ",");
/** The same for people: what a spreadsheet would run as a formula has an apostrophe before it. */
export const guardedCsv = of("csv-for-spreadsheets", "CSV for spreadsheets", ["csv"], ",", true);
export const tsv = of("tsv", "Text with tabs between", ["tsv", "tab"], "\t");
