import { z } from "zod";
import type { Unchanging } from "../kernel/unchanging.ts";
import { ENCODINGS, findEncoding } from "./encoding/names.ts";

/** What may differ between files of one delivery: the format itself, or lines above, the heading, lines below it and the quote character. */
export const OF_EACH = ["as", "skip", "header", "below", "quote"] as const;
export type OfEach = (typeof OF_EACH)[number];

/** An encoding by any usual name. */
const encoding: z.ZodType<string> = z.preprocess(
  (word) => (typeof word === "string" ? (findEncoding(word) ?? word) : word),
  z.enum(["auto", ...ENCODINGS]),
);
const path = z.string().min(1).max(500);
const arrayChoice = z.strictObject({
  take: z.enum(["join", "first", "last", "json"]),
  by: z.string().max(20).optional().describe("What stands between joined values"),
});

/**
 * The settings that formats share, each declared once; a format takes those that it knows, and may have others of its
 * own. What is not set is found out from each file.
 */
export const SETTINGS = {
  encoding,
  delimiter: z.string().min(1).max(20).describe("auto, or the characters between cells"),
  quote: z.string().max(1).describe("The quote character, or nothing"),
  escape: z.string().max(1).describe("What stands before a quote in a value; the quote itself unless said"),
  row: z
    .string()
    .length(1)
    .regex(/^[\u0001-\u0009\u000b\u000c\u000e-\u007e]$/, "One ASCII character, and no line end.")
    .describe("What ends a record, where that is no line end; found out unless said"),
  header: z.boolean().describe("The first line names the columns"),
  skip: z.int().min(0).max(10_000).describe("Lines to pass over before the header"),
  below: z
    .int()
    .min(0)
    .max(5)
    .describe("Lines below the header that say units or types and are no records; found out unless said"),
  skip_end: z.int().min(0).max(1000).describe("Lines to pass over at the end"),
  comment: z.string().min(1).max(10).describe("What a comment line begins with"),
  starts: z
    .array(z.int().min(0).max(100_000))
    .min(1)
    .max(1600)
    .describe("Where each column begins, in characters from 0; found by the blanks between columns unless said"),
  records: path,
  each: path.describe("The path of an array that becomes records of its own, one per element"),
  arrays: z
    .record(z.string().max(500), arrayChoice)
    .describe("What becomes of other arrays, by path or * for all: joined into one cell, one element, or JSON"),
  sheets: z
    .array(z.string().min(1).max(200))
    .min(1)
    .max(200)
    .describe("The sheets to read; the first with records unless said"),
  as_shown: z
    .boolean()
    .describe("Numbers that are shown with leading zeros are read as they are shown: yes unless said"),
  fill_merged: z
    .boolean()
    .describe("Merged cells all have what the first of them has; unless said, only the first has it"),
  unpacked_mb: z
    .int()
    .min(1)
    .max(1_000_000)
    .describe("Megabytes that a packed file may unpack to: 250 times its size, or 16, unless said"),
  of_each: z
    .array(z.enum(OF_EACH))
    .min(1)
    .describe(
      "What is found out from each file anew, as the files of a delivery may differ: as, skip, header, below, quote",
    ),
};
type Shared = typeof SETTINGS;

/** All of a shape, none of it needed. */
export function optional<S extends z.ZodRawShape>(shape: S): { [K in keyof S]: z.ZodOptional<S[K]> } {
  const each = Object.entries(shape).map(([name, type]) => [name, z.optional(type)]);
  return Object.fromEntries(each) as { [K in keyof S]: z.ZodOptional<S[K]> };
}

/** Some of the shared settings, none of them needed. */
export function sharedSettings<K extends keyof Shared>(...names: readonly K[]): z.ZodRawShape {
  return optional(Object.fromEntries(names.map((name) => [name, SETTINGS[name]])));
}

/** What every text has. */
export const TEXT_SETTINGS = { encoding: SETTINGS.encoding.default("auto") };

/** What a person or a plan has already decided about reading, of whichever format; the rest is found out. */
export type ReadSettings = {
  readonly [K in keyof Shared]?: Unchanging<z.infer<Shared[K]>> | undefined;
} & {
  /** The format; one of those in formats.ts, or auto. */
  readonly as?: string | undefined;
  /** Of a format alone. */
  readonly [own: string]: unknown;
};

/** How a part is read, every guess decided: the settings that its format knows. */
export type ReadOptions = ReadSettings & { readonly as: string };
