import iconv from "iconv-lite";
import type { Block } from "../kernel/block.ts";
import { textOf } from "../kernel/bytes.ts";
import { mapColumns } from "../map/columns.ts";
import { MARK_COLUMN, PROBLEM_COLUMN, isMarkColumn } from "../kernel/own-columns.ts";
import type { Field } from "../plan/field.ts";
import type { ReadOptions } from "../read/settings.ts";
import { guarded } from "../write/csv.ts";
import { openWorkbook } from "../write/records/xlsx.ts";

/**
 * Files for senders: held records in the layout in which they came, each with a mark by which it is known again and
 * what is wrong with it.
 */

/** How the records of a file came. */
export interface Layout {
  readonly columns: readonly string[];
  readonly read: ReadOptions;
}

/** A held record on its way to its sender. */
export interface ForSender {
  /** Its cells as they arrived; null for one that could not be read. */
  readonly cells: readonly string[] | null;
  readonly raw: string;
  readonly mark: string;
  readonly problems: readonly string[];
  /** What is wrong with single cells, by their column. */
  readonly faults: ReadonlyMap<number, string>;
}

/** What is wrong with the cells of a record, by their column, where a field takes one. */
export function faultsOf(
  columns: readonly string[],
  fields: readonly Field[],
  problems: readonly { readonly field: string; readonly message: string }[],
): Map<number, string> {
  const { column } = mapColumns(columns, fields);
  const faults = new Map<number, string>();
  for (const { field, message } of problems) {
    const at = column[fields.findIndex((f) => f.name === field)] ?? -1;
    if (at >= 0) faults.set(at, faults.has(at) ? `${faults.get(at)} ${message}` : message);
  }
  return faults;
}

/** By what a held record is known when it comes back. */
export const markOf = (load: number, record: number): string => `${load}-${record + 1}`;

/** A record of a file that came back, and the held one that it is. */
export interface Returned {
  /** By its number in the delivery. */
  readonly record: number;
  readonly load: number;
  readonly held: number;
}

/** Records that one delivery can bring back. */
const MOST_RETURNED = 1_000_000;

/** Takes the marks of a block's records, where its file has a column of them; what is no mark says nothing. */
export function takeMarks(block: Block, columns: readonly string[], first: number, into: Returned[]): void {
  const column = columns.findIndex(isMarkColumn);
  if (column < 0) return;
  for (let r = 0; r < block.count && into.length < MOST_RETURNED; r++) {
    const cell = r * block.width + column;
    const text = textOf(block.heap.bytes, block.start[cell]!, block.end[cell]!);
    const [, load, record] = /^\s*'?(\d{1,9})-(\d{1,9})\s*$/.exec(text) ?? [];
    if (record !== undefined && record !== "0")
      into.push({ record: first + r, load: Number(load), held: Number(record) - 1 });
  }
}

/** Writes one file for a sender. */
export interface SenderFile {
  /** The ending of its name. */
  readonly ending: "csv" | "tsv" | "txt" | "xlsx";
  /** Whether its records carry their marks and problems. */
  readonly marked: boolean;
  add(record: ForSender): void;
  take(): Uint8Array;
  end(): void;
}

/** Quotes as every encoding has them. */
const PLAIN: Readonly<Record<string, string>> = { "“": '"', "”": '"', "’": "'", "‘": "'", "…": "..." };

/** A file in the layout of the sender's: a workbook where theirs was one, else text with their mark, quote and encoding. */
export function senderFile(layout: Layout): SenderFile {
  return layout.read.as === "xlsx" || layout.read.as === "ods" ? workbook(layout) : text(layout);
}

const cellsOf = ({ columns }: Layout, { cells, raw }: ForSender): string[] =>
  // What could not be read stands as it came in the first column.
  columns.map((_, c) => (cells ? (cells[c] ?? "") : c === 0 ? raw : ""));

function workbook(layout: Layout): SenderFile {
  const fields = [...layout.columns, MARK_COLUMN, PROBLEM_COLUMN].map((name): Field => ({ name, type: "text" }));
  // Faulty cells are coloured, with what is wrong as a remark on each.
  const writer = openWorkbook(fields, true);
  return {
    ending: "xlsx",
    marked: true,
    add: (record) => writer.add([...cellsOf(layout, record), record.mark, record.problems.join(" ")], record.faults),
    take: () => writer.take(),
    end: () => writer.end(),
  };
}

function text(layout: Layout): SenderFile {
  const { read } = layout;
  const delimited = read.as === "delimited";
  const delimiter = (delimited && read.delimiter) || ",";
  const quote = (delimited && read.quote) || '"';
  const escape = (delimited && read.escape) || quote;
  const encoding = delimited && read.encoding && iconv.encodingExists(read.encoding) ? read.encoding : "utf-8";
  const unicode = /^utf/.test(encoding);
  // Without a heading there is no name by which two more columns would be known again.
  const headed = !delimited || read.header !== false;
  const cell = (value: string): string => {
    const safe = guarded(value);
    const bare = ![delimiter, quote, "\r", "\n"].some((mark) => safe.includes(mark)) && safe === safe.trim();
    if (bare) return safe;
    const inside = safe.replaceAll(quote, `${escape}${quote}`);
    return `${quote}${escape === quote ? inside : safe.replaceAll(escape, escape + escape).replaceAll(quote, escape + quote)}${quote}`;
  };
  // Words of ours are put so that every encoding has them; cells came in this very one.
  const words = (said: string): string => (unicode ? said : said.replace(/[“”‘’…]/g, (c) => PLAIN[c]!));
  const row = (values: readonly string[]): string => `${values.map(cell).join(delimiter)}\r\n`;
  let waiting = headed ? row([...layout.columns, MARK_COLUMN, PROBLEM_COLUMN]) : "";
  let first = true;
  return {
    ending: delimiter === "\t" ? "tsv" : delimiter === "," ? "csv" : "txt",
    marked: headed,
    add(record) {
      const own = cellsOf(layout, record);
      waiting += row(headed ? [...own, record.mark, words(record.problems.join(" "))] : own);
    },
    take() {
      const bytes = iconv.encode(waiting, encoding, { addBOM: first && unicode });
      first &&= waiting === "";
      waiting = "";
      return bytes;
    },
    end() {},
  };
}
