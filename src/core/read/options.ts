import { SieveError } from "../kernel/problem.ts";

/** How a delimited file is to be read, every guess decided. */
export interface DelimitedOptions {
  /** What stands between cells: one or more characters. */
  readonly delimiter: string;
  /** The quote character, or "" for none. */
  readonly quote: string;
  /** What stands before a quote that is part of a value; the quote itself when it is doubled. */
  readonly escape: string;
  /** True when the first line (after those skipped) names the columns. */
  readonly header: boolean;
  /** Lines to pass over before the header or the first record. */
  readonly skip: number;
  readonly encoding: Encoding;
  /** What a line begins with that is a comment and no record. */
  readonly comment?: string | undefined;
  /** Lines to pass over at the end. */
  readonly skip_end?: number | undefined;
}

export const ENCODINGS = [
  "utf-8",
  "utf-16le",
  "utf-16be",
  "windows-1250",
  "windows-1252",
  "iso-8859-1",
  "iso-8859-2",
  "iso-8859-15",
  "macintosh",
  "shift_jis",
  "gb18030",
] as const;
export type Encoding = (typeof ENCODINGS)[number];

const SAME_ENCODING: Record<string, Encoding> = {
  utf8: "utf-8",
  "utf-16": "utf-16le",
  utf16: "utf-16le",
  utf16le: "utf-16le",
  utf16be: "utf-16be",
  latin1: "iso-8859-1",
  "us-ascii": "utf-8",
  ascii: "utf-8",
  "mac-roman": "macintosh",
  macroman: "macintosh",
  "shift-jis": "shift_jis",
  sjis: "shift_jis",
  cp932: "shift_jis",
  gbk: "gb18030",
  gb2312: "gb18030",
  cp1252: "windows-1252",
  cp1250: "windows-1250",
  latin2: "iso-8859-2",
  latin9: "iso-8859-15",
};

/** The encoding that a person's word means. Throws `encoding-unknown`. */
export function encodingOf(word: string): Encoding {
  const name = word.trim().toLowerCase();
  const found = (ENCODINGS as readonly string[]).includes(name) ? (name as Encoding) : SAME_ENCODING[name];
  if (!found) {
    throw new SieveError("encoding-unknown", `The encoding “${word}” is not one that can be read.`, {
      hint: `Give one of ${ENCODINGS.join(", ")}.`,
    });
  }
  return found;
}

/** Longest record, in bytes; a longer one is held as unreadable. */
export const LONGEST_RECORD = 1 << 20;
/** Most columns of one file: PostgreSQL's own limit for a table. */
export const MOST_COLUMNS = 1600;
