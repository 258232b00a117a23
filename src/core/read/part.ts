import type { Block } from "../kernel/block.ts";
import type { Encoding } from "./encoding/names.ts";

/** A file as a stream of bytes, from wherever it is kept. */
export interface SourceFile {
  readonly name: string;
  /** Its size; of a file inside another, what that says of it, or 0 when it says nothing. */
  readonly bytes: number;
  /** The file's bytes from the beginning, in pieces of any size; may be asked for more than once. */
  chunks(): AsyncIterable<Uint8Array>;
  /** Its bytes can be asked for once only. */
  readonly once?: true;
  /** Megabytes that it may unpack to, where a person has said so. */
  readonly mayUnpackTo?: number | undefined;
  /** Some of its bytes, [start, end). Not every source can; those that can't are spooled first. */
  range?(start: number, end: number): Promise<Uint8Array>;
}

/** Keeps a stream of bytes where any part of it can be read: a temporary file, or memory. */
export type Spool = (name: string, chunks: AsyncIterable<Uint8Array>) => Promise<RangedFile>;
export type RangedFile = SourceFile & Required<Pick<SourceFile, "range">>;

export const FORMAT_IDS = [
  "delimited",
  "fixed",
  "blocks",
  "json",
  "json-lines",
  "xml",
  "xlsx",
  "ods",
  "parquet",
  "avro",
] as const;
export type FormatId = (typeof FORMAT_IDS)[number];

/** What may differ between files of one delivery: the format itself, or lines above, the heading, lines below it and the quote character. */
export const OF_EACH = ["as", "skip", "header", "below", "quote"] as const;
export type OfEach = (typeof OF_EACH)[number];

/** Why a thing was guessed, in words for a person, by what was guessed. */
export type Evidence = Readonly<Record<string, string>>;

/** A guess that could as well be another: the setting, what it was taken to be first, and what the same bytes are by each. */
export interface Doubt {
  readonly setting: "encoding" | "header" | "below" | "skip_end";
  readonly readings: readonly {
    readonly value: string | boolean | number;
    /** What it would mean, for a person to choose: “line 1 is a record”. */
    readonly says: string;
    readonly shows: readonly string[];
  }[];
}

/** What a person or a plan has already decided about reading; the rest is found out. */
export interface ReadSettings {
  readonly as?: FormatId | "auto" | undefined;
  readonly encoding?: string | undefined;
  /** delimited */
  readonly delimiter?: string | undefined;
  readonly quote?: string | undefined;
  readonly escape?: string | undefined;
  /** delimited: what ends a record, where that is no line end. */
  readonly row?: string | undefined;
  /** delimited, fixed, xlsx: the first line names the columns. */
  readonly header?: boolean | undefined;
  /** delimited, fixed, xlsx: lines to pass over before the header or the first record. */
  readonly skip?: number | undefined;
  /** delimited, xlsx, ods: lines below the one that names the columns which say units or types and are no records. */
  readonly below?: number | undefined;
  /** delimited: lines to pass over at the end. */
  readonly skip_end?: number | undefined;
  /** delimited: what a comment line begins with. */
  readonly comment?: string | undefined;
  /** fixed: where each column begins, in characters from 0. */
  readonly starts?: readonly number[] | undefined;
  /** json, xml: the path of the records. */
  readonly records?: string | undefined;
  /** json, json-lines, xml, parquet, avro: the path of an array that becomes records of its own. */
  readonly each?: string | undefined;
  readonly arrays?:
    Readonly<Record<string, { take: "join" | "first" | "last" | "json"; by?: string | undefined }>> | undefined;
  /** xlsx: the sheets to read; the first that has records unless said. */
  readonly sheets?: readonly string[] | undefined;
  /** xlsx: numbers that are shown with leading zeros are read as shown; yes unless said. */
  readonly as_shown?: boolean | undefined;
  /** xlsx: merged cells all have what the first of them has. */
  readonly fill_merged?: boolean | undefined;
  /** Megabytes that a packed file may unpack to; by its own size unless said. */
  readonly unpacked_mb?: number | undefined;
  /** What is found out from each file anew, whatever is said of it here: files of one delivery may differ. */
  readonly of_each?: readonly OfEach[] | undefined;
}

/** How a part is read, every guess decided: the settings that its format knows. */
export type ReadOptions = ReadSettings & { readonly as: FormatId };

/** Records of one kind within a file: the file itself, a file in an archive, a sheet. */
export interface Opened {
  readonly name: string;
  readonly options: ReadOptions;
  readonly evidence: Evidence;
  /** What is to be asked before it is loaded. */
  readonly doubts?: readonly Doubt[] | undefined;
  /** What else the file holds that could be read: other sheets, other paths. */
  readonly others?: Readonly<Record<string, readonly string[]>> | undefined;
  /** Paths of the arrays in its documents, as far as they were met. */
  arrays?(): readonly string[];
  /** Its columns as far as they are known; later blocks may add to the end. Complete before the first block for all but documents. */
  columns(): readonly string[];
  readonly blocks: AsyncGenerator<Block>;
  /** After the last block: the lines at the end that are no records. */
  trailer?(): string;
  /** A block of it can be read again from its byte range in the file alone. */
  readonly resumable: boolean;
}

export interface OpenContext {
  /** Number of the part in the delivery. */
  readonly part: number;
  readonly spool: Spool;
  readonly encoding: Encoding;
  /** The first bytes of the file. */
  readonly head: Uint8Array;
  /** `head` is all of it. */
  readonly whole: boolean;
}

/** A file format: one file each. Its settings are in settings.ts, so that screens need not have the readers. */
export interface FormatPart {
  readonly id: FormatId;
  /** Opens the file; more than one part for a file of several. */
  open(source: SourceFile, settings: ReadSettings, context: OpenContext): AsyncGenerator<Opened>;
}
