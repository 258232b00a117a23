import type { Encoding } from "./encoding/names.ts";

/** How a delimited file is to be read, every guess decided. */
export interface DelimitedOptions {
  /** What stands between cells: one or more characters. */
  readonly delimiter: string;
  /** The quote character, or "" for none. */
  readonly quote: string;
  /** What stands before a quote that is part of a value; the quote itself when it is doubled. */
  readonly escape: string;
  /** What ends a record, where that is no line end: one ASCII character. Line ends behind it are part of it. */
  readonly row?: string | undefined;
  /** True when the first line (after those skipped) names the columns. */
  readonly header: boolean;
  /** Lines to pass over before the header or the first record. */
  readonly skip: number;
  readonly encoding: Encoding;
  /** What a line begins with that is a comment and no record. */
  readonly comment?: string | undefined;
  /** Lines to pass over below the header. */
  readonly below?: number | undefined;
  /** Lines to pass over at the end. */
  readonly skip_end?: number | undefined;
}

/** Longest record, in bytes; a longer one is held as unreadable. */
export const LONGEST_RECORD = 1 << 20;
/** Most columns of one file: PostgreSQL's own limit for a table. */
export const MOST_COLUMNS = 1600;
