import { z } from "zod";
import { ENCODINGS } from "@/core/read/encoding/names.ts";
import { CONTENTS } from "@/core/write/files/contents.ts";
import { OUTPUT_IDS } from "@/core/write/records/index.ts";
import { declare } from "./declare.ts";

const feed = { feed: z.string().describe("The feed's name") };

const partition = z
  .string()
  .max(1000)
  .default("")
  .describe("Fields by which rows go into folders, days by year, month or day: `partner,collected_on:month`");

const outRows = {
  partition,
  what: z
    .enum(CONTENTS)
    .default("rows")
    .describe(
      "rows: of the target; accepted: what the load accepted; changed: of that what was new or changed something; records: all that the load read, with what became of it; held: what is held",
    ),
  load: z.coerce
    .number()
    .int()
    .min(1)
    .optional()
    .describe("Of rows only those that this load wrote last; of the rest what is of this load"),
};

/** The form of files. */
const form = {
  format: z.enum(OUTPUT_IDS).default("csv"),
  gzip: z.stringbool().default(false).describe("Compress each file"),
  records: z.coerce.number().int().min(1).max(1_000_000_000).optional().describe("A file has no more records"),
  name: z.string().min(1).max(150).optional().describe("A pattern of names: {feed}, {load}, {sender}, {day}, {n}"),
  delimiter: z.string().min(1).max(20).optional().describe("Of delimited text: what stands between cells"),
  encoding: z.enum(ENCODINGS).optional().describe("Of delimited text: its encoding; UTF-8 unless said"),
  root: z.string().max(63).optional().describe("Of XML: what its root element is called"),
  record: z.string().max(63).optional().describe("Of XML: what the element of each record is called"),
};

export const countOut = declare("GET /api/feeds/{feed}/out/rows", {
  about: "how many rows or records would go out, and into how many folders; null where counting takes too long",
  params: feed,
  query: outRows,
  answer: z.object({ counted: z.object({ rows: z.int(), folders: z.int().nullable() }).nullable() }),
  problems: ["out-unfit", "no-target", "no-load"],
});

export const recordsOut = declare("GET /api/feeds/{feed}/out", {
  about:
    "the rows of the feed's target as they are now, or records of it, as a file; where there may be several, an archive of them with a manifest: records, bytes and SHA-256 of each, and the contract",
  params: feed,
  query: { ...form, ...outRows },
  gives: "application/octet-stream",
  problems: ["out-unfit", "no-target", "no-load", "wrong-state", "detail-expired", "busy"],
});

/** A query of somebody's, and by whose role it is asked. */
const asked = {
  connection: z.string().min(1).max(60).describe("A connection to a database, by whose role it is asked"),
  sql: z.string().min(1).max(6000).describe("One query that reads"),
};
const QUERY_PROBLEMS = ["no-connection", "role-too-mighty", "query-failed", "out-unfit"];

export const queryColumns = declare("GET /api/out/columns", {
  about: "the columns of a query, each as the field that it goes out as",
  query: asked,
  answer: z.object({ columns: z.array(z.object({ name: z.string(), type: z.string() })) }),
  problems: QUERY_PROBLEMS,
});

export const queryAsFile = declare("GET /api/out", {
  about:
    "what one query gives, in a transaction that can't write, as a file; where there may be several, an archive of them with a manifest",
  query: { ...asked, ...form, partition },
  gives: "application/octet-stream",
  problems: [...QUERY_PROBLEMS, "busy"],
});
