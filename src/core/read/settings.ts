import { z } from "zod";
import { FORMAT_IDS, OF_EACH, type FormatId } from "./part.ts";
import { ENCODINGS, findEncoding } from "./encoding/names.ts";

const arrayChoice = z.strictObject({
  take: z.enum(["join", "first", "last", "json"]),
  by: z.string().max(20).optional().describe("What stands between joined values"),
});
const header = z.boolean().optional().describe("The first line names the columns");
const row = z
  .string()
  .length(1)
  .regex(/^[\u0001-\u0009\u000b\u000c\u000e-\u007e]$/, "One ASCII character, and no line end.")
  .optional()
  .describe("What ends a record, where that is no line end; found out unless said");
const skip = z.int().min(0).max(10_000).optional().describe("Lines to pass over before the header");
const below = z
  .int()
  .min(0)
  .max(5)
  .optional()
  .describe("Lines below the header that say units or types and are no records; found out unless said");
const skip_end = z.int().min(0).max(1000).optional().describe("Lines to pass over at the end");
const sheets = z
  .array(z.string().min(1).max(200))
  .min(1)
  .max(200)
  .optional()
  .describe("The sheets to read; the first with records unless said");
const as_shown = z
  .boolean()
  .optional()
  .describe("Numbers that are shown with leading zeros are read as they are shown: yes unless said");
const fill_merged = z
  .boolean()
  .optional()
  .describe("Merged cells all have what the first of them has; unless said, only the first has it");
const records = z.string().min(1).max(500).optional();
const documents = {
  each: z
    .string()
    .min(1)
    .max(500)
    .optional()
    .describe("The path of an array that becomes records of its own, one per element"),
  arrays: z
    .record(z.string().max(500), arrayChoice)
    .optional()
    .describe("What becomes of other arrays, by path or * for all: joined into one cell, one element, or JSON"),
};
const of_each = z
  .array(z.enum(OF_EACH))
  .min(1)
  .optional()
  .describe(
    "What is found out from each file anew, as the files of a delivery may differ: as, skip, header, below, quote",
  );
const unpacked_mb = z
  .int()
  .min(1)
  .max(1_000_000)
  .optional()
  .describe("Megabytes that a packed file may unpack to: 250 times its size, or 16, unless said");
/** An encoding by any usual name. */
const named = z.preprocess(
  (word) => (typeof word === "string" ? (findEncoding(word) ?? word) : word),
  z.enum(["auto", ...ENCODINGS]),
);
const encoding = named.default("auto");

/** What a person sees of a format, and the settings of a plan's read section that it knows. */
export const FORMAT_SETTINGS: Record<FormatId, { title: string; settings: z.ZodRawShape }> = {
  delimited: {
    title: "Delimited text",
    settings: {
      encoding,
      delimiter: z.string().min(1).max(20).default("auto").describe("auto, or the characters between cells"),
      quote: z.string().max(1).default('"').describe("The quote character, or nothing"),
      escape: z
        .string()
        .max(1)
        .optional()
        .describe("What stands before a quote in a value; the quote itself unless said"),
      row,
      header: z.boolean().default(true).describe("The first line names the columns"),
      skip: z.int().min(0).max(10_000).default(0).describe("Lines to pass over before the header"),
      below,
      skip_end,
      comment: z.string().min(1).max(10).optional().describe("What a comment line begins with"),
    },
  },
  fixed: {
    title: "Fixed-width text",
    settings: {
      encoding,
      starts: z
        .array(z.int().min(0).max(100_000))
        .min(1)
        .max(1600)
        .optional()
        .describe("Where each column begins, in characters from 0; found by the blanks between columns unless said"),
      header,
      skip,
    },
  },
  blocks: { title: "Blocks of names and values", settings: { encoding } },
  json: {
    title: "JSON",
    settings: {
      encoding,
      records: records.describe("The path of the records' array, such as $.items; $ for the text's own"),
      ...documents,
    },
  },
  "json-lines": { title: "JSON Lines", settings: { encoding, ...documents } },
  xml: {
    title: "XML",
    settings: {
      encoding,
      records: records.describe("The path of the records' elements, such as /transfers/transfer"),
      ...documents,
    },
  },
  xlsx: {
    title: "Workbook (XLSX)",
    settings: {
      sheets,
      header,
      skip,
      below,
      skip_end,
      as_shown,
      fill_merged,
    },
  },
  ods: {
    title: "OpenDocument spreadsheet",
    settings: { sheets, header, skip, below, skip_end, as_shown, fill_merged },
  },
  parquet: { title: "Parquet", settings: { ...documents } },
  avro: { title: "Avro", settings: { ...documents } },
};

/** The read section of a plan: a format and its settings. */
export const readSectionSchema = z
  .discriminatedUnion(
    "as",
    FORMAT_IDS.map((id) =>
      z.strictObject({ as: z.literal(id), ...FORMAT_SETTINGS[id].settings, unpacked_mb, of_each }),
    ) as unknown as [z.ZodObject, ...z.ZodObject[]],
  )
  .default({ as: "delimited", encoding: "auto", delimiter: "auto", quote: '"', header: true, skip: 0 });

/** Settings of any format, none of them needed: what a person has set so far while a file is looked at. */
export const readSettingsSchema = z.strictObject({
  as: z.enum(["auto", ...FORMAT_IDS]).optional(),
  encoding: named.optional(),
  delimiter: z.string().min(1).max(20).optional(),
  quote: z.string().max(1).optional(),
  escape: z.string().max(1).optional(),
  row,
  header,
  skip,
  below,
  skip_end,
  comment: z.string().min(1).max(10).optional(),
  starts: z.array(z.int().min(0).max(100_000)).min(1).max(1600).optional(),
  records,
  each: documents.each,
  arrays: documents.arrays,
  sheets,
  as_shown,
  fill_merged,
  unpacked_mb,
  of_each,
});
