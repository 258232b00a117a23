import iconv from "iconv-lite";
import type { Block } from "../kernel/block.ts";
import { textOf, utf8 } from "../kernel/bytes.ts";
import { mapColumns } from "../map/columns.ts";
import { MARK_COLUMN, PROBLEM_COLUMN, isMarkColumn, isOwnColumn } from "../kernel/own-columns.ts";
import type { Field } from "../field/field.ts";
import { pathKeys } from "../read/json/text.ts";
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
  /** As it stood in its file, where its format is one of `NEEDS_RAW` or it could not be read. */
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
  readonly ending: "csv" | "tsv" | "txt" | "xlsx" | "json" | "jsonl";
  /** Whether its records carry their marks and problems. */
  readonly marked: boolean;
  add(record: ForSender): void;
  take(): Uint8Array;
  end(): void;
}

/** Quotes as every encoding has them. */
const PLAIN: Readonly<Record<string, string>> = { "“": '"', "”": '"', "’": "'", "‘": "'", "…": "..." };

/**
 * A file in the layout of the sender's: a workbook where theirs was one, JSON with each record as they wrote it, else text
 * with their mark, quote and encoding.
 */
export function senderFile(layout: Layout): SenderFile {
  const { as, each } = layout.read;
  if (as === "xlsx" || as === "ods") return workbook(layout);
  // Where one of their records became several, none of these is a record of theirs.
  if ((as === "json" || as === "json-lines") && each === undefined) return documents(layout);
  return text(layout);
}

/** Formats of which a sender's file has each record as it stood in theirs. */
export const NEEDS_RAW: readonly string[] = ["json", "json-lines"];

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

/** What an object ends with that went to its sender before. */
const MARKED = new RegExp(`,?"${MARK_COLUMN}":"[^"]*","${PROBLEM_COLUMN}":"(?:[^"\\\\]|\\\\.)*"\\s*\\}$`);

/** A record of JSON as it stood, with its mark and its problems as two members more. */
function marked(layout: Layout, record: ForSender): string {
  const own = `"${MARK_COLUMN}":${JSON.stringify(record.mark)},"${PROBLEM_COLUMN}":${JSON.stringify(record.problems.join(" "))}}`;
  // Its text is kept, so that numbers stay as they were written.
  const raw = record.raw.trim().replace(MARKED, "}");
  const members = objectOf(raw);
  if (members === null) {
    return `${JSON.stringify(nested(layout.columns, cellsOf(layout, record))).slice(0, -1)},${own}`;
  }
  return members === 0 ? `{${own}` : `${raw.slice(0, -1).trimEnd()},${own}`;
}

/** How many members the object has that a text is; null where it is none, or has a member called like ours. */
function objectOf(raw: string): number | null {
  try {
    const value: unknown = JSON.parse(raw);
    if (typeof value !== "object" || value === null || Array.isArray(value)) return null;
    const names = Object.keys(value);
    return names.some(isOwnColumn) ? null : names.length;
  } catch {
    return null;
  }
}

/** An object of cells: the column `lot.id` is the member `id` of its member `lot`. */
function nested(columns: readonly string[], cells: readonly string[]): object {
  // Without a prototype, so that any name is only a name.
  const of = (): Record<string, unknown> => Object.create(null) as Record<string, unknown>;
  const whole = of();
  columns.forEach((column, c) => {
    const path = column.split(".");
    let at = whole;
    for (const key of path.slice(0, -1)) {
      at[key] ??= of();
      // A value has no members.
      if (typeof at[key] !== "object") return void (whole[column] = cells[c]);
      at = at[key] as Record<string, unknown>;
    }
    at[path.at(-1)!] ??= cells[c];
  });
  return whole;
}

function documents(layout: Layout): SenderFile {
  const { read } = layout;
  const lines = read.as === "json-lines";
  const path = lines ? [] : pathKeys(read.records ?? "$");
  let waiting = lines ? "" : `${path.map((key) => `{${JSON.stringify(key)}: `).join("")}[\n`;
  let count = 0;
  return {
    ending: lines ? "jsonl" : "json",
    marked: true,
    add(record) {
      const text = marked(layout, record);
      if (lines) waiting += `${text.replace(/[\r\n]+/g, " ")}\n`;
      else waiting += `${count === 0 ? "" : ",\n"}${text}`;
      count++;
    },
    take() {
      const bytes = utf8(waiting);
      waiting = "";
      return bytes;
    },
    end() {
      if (!lines) waiting += `\n]${"}".repeat(path.length)}\n`;
    },
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
