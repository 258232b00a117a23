import type { z } from "zod";
import type { Block } from "../kernel/block.ts";
import type { Encoding } from "./encoding/names.ts";
import type { ReadOptions, ReadSettings } from "./settings.ts";

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

/** What a file's name promises that it is. */
export interface Promised {
  readonly ends: RegExp;
  /** In words: “a workbook”. */
  readonly is: string;
  /** Another format whose files may be called so as well. */
  readonly or?: string;
}

/** How a format is read, and told from others where its first bytes alone don't say it. */
export interface Reader {
  /** Why a text is of this format, from its beginning and its name; null where it isn't. */
  isSo?(text: string, name: string): string | null;
  /** Opens the file; more than one part for a file of several. */
  open(source: SourceFile, settings: ReadSettings, context: OpenContext): AsyncGenerator<Opened>;
}

/** What is known of a file format without its reader: one folder each. */
export interface FormatPart<Id extends string = string> {
  readonly id: Id;
  readonly title: string;
  /** The settings of a plan's read section that it knows; a text is what has an `encoding`. */
  readonly settings: z.ZodRawShape;
  /** The bytes that a file begins with, as characters, and how that is said. */
  readonly begins?: { readonly with: string; readonly why: string };
  /** Why a zip archive is such a file, from the names in it; null where it isn't. */
  inZip?(names: readonly string[], textOf: (entry: string) => Promise<string>): Promise<string | null>;
  readonly promised?: Promised;
}

/** Whether a format is text, whose encoding has to be known; else it is binary. */
export const isText = ({ settings }: Pick<FormatPart, "settings">): boolean => "encoding" in settings;
