import { z } from "zod";
import { formulaSchema } from "@/core/formula/schema.ts";
import { HELD_AT } from "@/core/kernel/ledger.ts";
import { MOST_AT_ONCE } from "@/core/kernel/limits.ts";
import { HELD_STATES } from "@/core/kernel/writing.ts";
import type { SentTo } from "@/engine/out/send-to-senders.ts";
import type { Released } from "@/engine/release/released.ts";
import type { rowInTarget } from "@/engine/release/discard.ts";
import type { Recipient } from "@/store/senders.ts";
import type { HeldRecord, getHeld as heldRecord } from "@/store/held.ts";
import type { BulkReleased } from "@/engine/release/release-all.ts";
import { answerOf, declare, numberOf } from "./declare.ts";
import { workName } from "./work.ts";

/** Which held records a page or a file is about. */
export const heldFilter = {
  feed: z.string().max(63).optional(),
  load: z.coerce.number().int().min(0).optional(),
  check: z.string().max(400).optional(),
  at: z.enum(HELD_AT).optional(),
  state: z.enum(HELD_STATES).optional(),
  sender: z.string().max(120).optional(),
  after: z.string().max(30).default("").describe("The last one that was given, as load:record"),
  limit: z.coerce.number().int().min(1).max(500).default(200),
};

const records = z
  .array(z.object({ load: z.int(), record: z.int() }))
  .min(1)
  .max(MOST_AT_ONCE);

export const listHeld = declare("GET /api/quarantine", {
  about: "held records",
  query: heldFilter,
  answer: z.object({ records: answerOf<HeldRecord[]>("each with its cells, values and problems") }),
});

export const heldFile = declare("GET /api/quarantine/file", {
  about: "the same as CSV for the sender, made safe for a spreadsheet; exact with `for=program`",
  query: { ...heldFilter, for: z.enum(["program", "spreadsheet"]).default("spreadsheet") },
  gives: "text/csv",
});

const forSenders = {
  feed: heldFilter.feed,
  load: heldFilter.load,
  check: heldFilter.check,
  at: heldFilter.at,
  sender: heldFilter.sender,
};

export const listRecipients = declare("GET /api/quarantine/recipients", {
  about: "senders of whom something is held that is not with them yet, how many records, and where files for each go",
  query: forSenders,
  answer: z.object({ recipients: answerOf<Recipient[]>("in the order of their names; without one: nobody has said") }),
});

export const sendHeld = declare("POST /api/quarantine/senders", {
  about:
    "sends these files to where each sender wants them, to each what is not with it yet, and notes that it is with it from then on; of each it says what went, or why nothing did",
  body: z.object({ ...forSenders, load: z.int().min(0).optional() }),
  answer: z.object({ sent: answerOf<SentTo[]>("by sender, in the order of their names") }),
  problems: ["no-records", "busy"],
});

export const heldForSenders = declare("GET /api/quarantine/senders", {
  about:
    "an archive for the senders: a folder for each, in it a file for each layout in which it has sent what is held, with a mark and the problems beside each record, and a letter in words, as text and as a page to print",
  query: forSenders,
  gives: "application/zip",
  problems: ["no-records", "busy"],
});

export const getHeld = declare("GET /api/quarantine/{load}/{record}", {
  about: "one, with its raw text, and of one that is overtaken the row that has its key by now",
  params: { load: numberOf("The load"), record: numberOf("The record") },
  answer: answerOf<
    Awaited<ReturnType<typeof heldRecord>> & { inTarget: Awaited<ReturnType<typeof rowInTarget>> | null }
  >("the record, and the row of the target that has its key"),
  problems: ["no-record"],
});

export const releaseHeld = declare("POST /api/quarantine/release", {
  about:
    "checks again and writes those that pass; `stayed` says of each other one its `problems`, what has `overtaken` it (`{by, now}`), or how somebody has `ended` it meanwhile; with `overtaken` such are written over what is newer. Of those released so many are `waiting` for a decision, as they may be the same as rows of the target; so many were `uncompared`, as the target has too many rows for that",
  body: z.object({
    records: z
      .array(
        z.object({ load: z.int(), record: z.int(), values: z.record(z.string(), z.string().max(100_000)).optional() }),
      )
      .min(1)
      .max(MOST_AT_ONCE),
    overtaken: z.boolean().default(false),
    reason: z.string().max(500).default(""),
  }),
  answer: z.object({
    released: z.int(),
    waiting: z.int(),
    uncompared: z.int(),
    stayed: answerOf<Released[]>("what each of the others has wrong with it"),
  }),
});

export const releaseAllHeld = declare("POST /api/quarantine/release/all", {
  about:
    "releases all held records of a feed that are meant, each mended in one way, in one go; with `preview` it says what that would do, and does nothing",
  body: z.object({
    feed: z.string().max(63),
    load: z.int().optional(),
    check: z.string().max(400).optional(),
    at: heldFilter.at,
    sender: heldFilter.sender,
    mend: z
      .discriminatedUnion("how", [
        z.object({ how: z.literal("as they are") }),
        z.object({ how: z.literal("set"), field: z.string(), to: z.string().max(100_000) }),
        z.object({
          how: z.literal("replace"),
          field: z.string(),
          find: z.string().min(1).max(1000),
          to: z.string().max(1000),
        }),
        z.object({ how: z.literal("formula"), field: z.string(), by: formulaSchema }),
      ])
      .default({ how: "as they are" }),
    preview: z.boolean().default(false),
    work: workName
      .optional()
      .describe("A name of your own, by which GET and DELETE /api/work/{work} look at it and stop it"),
  }),
  answer: answerOf<BulkReleased>("how many are released, wait, are overtaken or stay, and why these do"),
  problems: ["no-field", "formula-invalid", "no-records", "too-many", "stopped"],
});

export const discardHeld = declare("POST /api/quarantine/discard", {
  about: "ends them with a reason",
  body: z.object({ records, reason: z.string().max(500).default("") }),
  answer: z.object({ discarded: z.int() }),
});

export const takeBackHeld = declare("DELETE /api/quarantine/discard", {
  about: "takes that back",
  body: z.object({ records }),
  answer: z.object({ back: z.int() }),
});
