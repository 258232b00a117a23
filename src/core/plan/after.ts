import { z } from "zod";
import { SieveError, listed } from "../kernel/problem.ts";
import {
  addressDestination,
  addressFault,
  connectionSchema as connection,
  folderDestination,
} from "../write/files/destination.ts";
import { LOAD_CONTENTS, fieldsOut } from "../write/files/contents.ts";
import { fileName, usualName } from "../write/files/name.ts";
import { readPartitions } from "../write/files/partition.ts";
import { ENCODINGS } from "../read/encoding/names.ts";
import { OUTPUT_IDS, outputCalled } from "../write/records/index.ts";
import { ELEMENT_NAME, unfitSetting } from "../write/records/part.ts";
import { plainNameSchema } from "./name.ts";
import { valuesOf, type Parameter } from "./parameters.ts";
import type { Field } from "../field/field.ts";

/** How a load may end, as what is done afterwards asks. */
export const AFTER_OUTCOMES = ["loaded", "loaded with held", "stopped", "failed"] as const;
export type AfterOutcome = (typeof AFTER_OUTCOMES)[number];

/** How a load ended: one that came to its end with held records is another than one with none. */
export function outcomeOf(state: "loaded" | "stopped" | "failed", held: number): AfterOutcome {
  return state === "loaded" && held > 0 ? "loaded with held" : state;
}

const on = z
  .array(z.enum(AFTER_OUTCOMES))
  .min(1)
  .default(["loaded", "loaded with held"])
  .describe("After which ends of a load it is done");
const isFormat = (name: string): boolean => {
  try {
    outputCalled(name);
    return true;
  } catch {
    return false;
  }
};
const format = z.string().min(1).max(20).refine(isFormat, "There is no such format for files out.");

/** Which records go out, and in what form. */
const files = {
  what: z
    .enum(LOAD_CONTENTS)
    .optional()
    .describe(
      "accepted: what the load accepted, unless said; changed: of that only what was new or changed something in the target; records: all that it read, with what became of each; held: what is held of it, with what is wrong",
    ),
  query: z
    .strictObject({
      connection: connection.describe("A connection to a database, by whose role it is asked"),
      sql: z
        .string()
        .min(1)
        .max(20_000)
        .describe(
          "One query; current_setting('sieve.load'), 'sieve.feed' and 'sieve.outcome' say what it is about, 'sieve.' and a parameter's name what the load was told",
        ),
    })
    .optional()
    .describe("Instead of records of the load: what a query gives; folders are by its columns"),
  format: format.default("csv").describe(`Its format: ${OUTPUT_IDS.join(", ")}`),
  gzip: z.boolean().optional().describe("Compressed"),
  partition: z
    .string()
    .max(1000)
    .optional()
    .describe("Fields by which records go into folders: `partner,collected_on:month`"),
  records: z.int().min(1).optional().describe("A file has no more records than this"),
  delimiter: z.string().min(1).max(20).optional().describe("Of delimited text: what stands between cells"),
  encoding: z.enum(ENCODINGS).optional().describe("Of delimited text: its encoding; UTF-8 unless said"),
  root: z.string().regex(ELEMENT_NAME).optional().describe("Of XML: what its root element is called"),
  record: z.string().regex(ELEMENT_NAME).optional().describe("Of XML: what the element of each record is called"),
  name: z
    .string()
    .min(1)
    .max(120)
    .optional()
    .describe("The files' name, with {feed}, {load}, {sender}, {day}, {n} and {a parameter}"),
};

/** What a notice may speak of beside the parameters of a run. */
const NOTICE_PARTS = ["feed", "load", "sender", "day", "outcome", "read", "held"] as const;
export type AboutNotice = Readonly<Record<(typeof NOTICE_PARTS)[number], string>> & Readonly<Record<string, string>>;

/** What a notice says, by its pattern. Throws `plan-invalid` for a part that it does not know. */
export function noticeText(pattern: string, about: AboutNotice): string {
  return pattern.replace(/\{(\w*)\}/g, (_, part: string) => {
    if (Object.hasOwn(about, part)) return about[part]!;
    throw new SieveError("plan-invalid", `A notice knows no {${part}}.`, {
      hint: `It may have ${listed(Object.keys(about).map((p) => `{${p}}`))}.`,
    });
  });
}

/** What is done when a load has ended. */
export const afterSchema = z.discriminatedUnion("do", [
  z.strictObject({
    do: z.literal("call").describe("Tells a receiver: the load, its outcome, its balance and its report, by HTTP POST"),
    on,
    url: z
      .url({ protocol: /^https?$/ })
      .max(1000)
      .describe("The receiver's address; its host must be one of SIEVE_RECEIVER_HOSTS"),
    signed_with: connection
      .optional()
      .describe("A connection to a web address whose password signs what is sent (HMAC with SHA-256)"),
  }),
  z.strictObject({
    do: z.literal("file").describe("Writes records of the load as files, into a folder of SIEVE_OUT"),
    on,
    ...folderDestination,
    ...files,
  }),
  z.strictObject({
    do: z
      .literal("put")
      .describe("Puts records of the load to an address as files, by HTTP PUT, each whole and their manifest last"),
    on,
    ...addressDestination,
    ...files,
  }),
  z.strictObject({
    do: z
      .literal("feed")
      .describe("Gives the records that the load accepted to another feed as a delivery, and loads it"),
    on,
    feed: plainNameSchema.describe("The other feed"),
    what: z
      .enum(["accepted", "changed"])
      .optional()
      .describe(
        "accepted: what the load accepted, unless said; changed: of that only what was new or changed something",
      ),
    format: format
      .optional()
      .describe("The format of the delivery's file; the one that the other feed reads unless said"),
  }),
  z.strictObject({
    do: z.literal("notice").describe("Puts a notice on Today, where it stays until somebody has seen to it"),
    on,
    text: z
      .string()
      .min(1)
      .max(300)
      .describe(
        "What it says, with {feed}, {load}, {sender}, {day}, {outcome}, {read}, {held} and {a parameter} of the load",
      ),
  }),
  z.strictObject({
    do: z
      .literal("sql")
      .describe("Runs statements on a database, in a transaction of their own, by the role of a connection"),
    on,
    connection: connection.describe("A connection to a database, by its name"),
    sql: z
      .string()
      .min(1)
      .max(20_000)
      .describe(
        "One statement; current_setting('sieve.load'), 'sieve.feed' and 'sieve.outcome' say what it is about, 'sieve.' and a parameter's name what the load was told",
      ),
    within: z
      .boolean()
      .optional()
      .describe(
        "In a transaction that is committed together with the load's, where that server lets transactions be prepared: if the statement fails, nothing is loaded",
      ),
  }),
]);
export type AfterAction = z.infer<typeof afterSchema>;

/** Files with this, in words. */
const CONTENT_WORDS: Record<(typeof LOAD_CONTENTS)[number], string> = {
  accepted: "files",
  changed: "files of what was new or changed",
  records: "files of all its records",
  held: "files of what is held",
};

/** What files are of, in words. */
function contentWords({ what = "accepted", query }: Extract<AfterAction, { do: "file" | "put" }>): string {
  return query ? `files of a query on ${query.connection}` : CONTENT_WORDS[what];
}

/** What is done, in a line. */
export function afterWords(action: AfterAction): string {
  switch (action.do) {
    case "call":
      return `tells ${action.url}`;
    case "file":
      return `writes ${contentWords(action)} into ${action.folder}`;
    case "put":
      return `puts ${contentWords(action)} to ${action.url}`;
    case "feed":
      return `gives ${action.what === "changed" ? "what was new or changed" : "its records"} to the feed ${action.feed}`;
    case "notice":
      return "puts a notice on Today";
    case "sql":
      return `runs a statement on ${action.connection}${action.within ? ", together with the load" : ""}`;
  }
}

/** What is wrong with an action of a plan; null where nothing is. */
export function afterFault(
  action: AfterAction,
  plan: {
    readonly feed: string;
    readonly contract: { readonly fields: readonly Field[] };
    readonly parameters?: Parameter[] | undefined;
  },
): string | null {
  if (action.do === "feed" && action.feed === plan.feed) return "A feed can't be given its own records.";
  if (action.do === "sql" && action.within && action.on.some((o) => o === "stopped" || o === "failed"))
    return "A load that does not load has no transaction in which a statement could run.";
  if (action.do === "notice") return noticeFault(action.text, valuesOf(plan));
  if (action.do !== "file" && action.do !== "put") return null;
  const unfitAddress = action.do === "put" ? addressFault(action) : null;
  if (unfitAddress !== null) return unfitAddress;
  if (action.query && action.what !== undefined) return "Files are of a query, or of records of the load.";
  try {
    // The columns of a query are known when it is asked.
    if (!action.query)
      readPartitions(action.partition ?? "", fieldsOut(action.what ?? "accepted", plan.contract.fields));
    const part = outputCalled(action.format);
    const unfit = unfitSetting(part, action);
    if (unfit !== null) return `${part.title} has no ${unfit} to choose.`;
    const about = { feed: plan.feed, load: "1", sender: "somebody", day: "2026-01-01", ...valuesOf(plan) };
    fileName(action.name ?? usualName(1), about, null);
    return null;
  } catch (error) {
    return (error as Error).message;
  }
}

function noticeFault(text: string, parameters: Readonly<Record<string, string>>): string | null {
  const about = Object.fromEntries(NOTICE_PARTS.map((part) => [part, ""])) as AboutNotice;
  try {
    noticeText(text, { ...about, ...parameters });
    return null;
  } catch (error) {
    return (error as Error).message;
  }
}
