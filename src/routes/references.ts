import { z } from "zod";
import { askedSchema } from "@/core/lookup/asked.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import type { ReferenceInfo, searchEntries, versionChanges } from "@/store/references.ts";
import { answerOf, declare, numberOf } from "./declare.ts";

const list = { list: z.string().describe("The list's name") };

export const listReferences = declare("GET /api/references", {
  about: "the reference lists",
  answer: z.object({ references: answerOf<ReferenceInfo[]>("each with its columns, key, version and size") }),
});

export const listEntries = declare("GET /api/references/{list}", {
  about: "entries of the newest version",
  params: list,
  query: {
    q: z.string().max(200).default("").describe("Words that entries have"),
    offset: z.coerce.number().int().min(0).default(0),
    limit: z.coerce.number().int().min(1).max(500).default(200),
  },
  answer: answerOf<{ list: ReferenceInfo } & Awaited<ReturnType<typeof searchEntries>>>(
    "the list, and its entries that have the words",
  ),
});

export const changeEntries = declare("POST /api/references/{list}", {
  about: "makes the list's next version; `from` is the one that was changed",
  params: list,
  body: z.object({
    from: z.int().min(1),
    add: z.array(z.array(z.string().max(10_000)).max(200)).max(10_000),
    remove: z.array(z.int()).max(10_000),
    note: z.string().min(1).max(500),
  }),
  answer: z.object({ version: z.int() }),
  problems: ["list-moved", "list-asked"],
});

export const versionOfList = declare("GET /api/references/{list}/versions/{version}", {
  about: "what a version put in and took out",
  params: { ...list, version: numberOf("The version") },
  answer: answerOf<Awaited<ReturnType<typeof versionChanges>>>("what was added and what was removed"),
});

export const wholeList = declare("GET /api/references/{list}/whole", {
  about: "the list as formulas ask it while they are written, where it is not too large for that",
  params: list,
  answer: answerOf<Reference>("its columns, key and entries"),
  problems: ["list-large"],
});

export const listProposals = declare("GET /api/references/{list}/proposals", {
  about: "entries that loads propose",
  params: list,
});

export const refuseProposal = declare("DELETE /api/references/{list}/proposals", {
  about: "says that a proposed entry is none",
  params: list,
  body: z.object({ id: z.int() }),
});

export const listFile = declare("GET /api/references/{list}/file", {
  about: "the newest version as CSV: exact, so that it can be brought in again, or made safe with `for=spreadsheet`",
  params: list,
  query: { for: z.enum(["program", "spreadsheet"]).default("program") },
  gives: "text/csv",
});

export const bringListIn = declare("PUT /api/references/{list}/file", {
  about: "brings a file in as a new list or as the next version's entries",
  params: list,
  query: {
    file: z.string().min(1).max(200).describe("The file's name"),
    title: z.string().max(120).optional(),
    about: z.string().max(500).default(""),
    key: z.string().max(200).optional().describe("The column that is the key; the first unless said"),
    accepted: z.string().max(200).optional().describe("The column by which a synonym leads to its accepted entry"),
    since: z.string().max(200).optional(),
    until: z.string().max(200).optional(),
    note: z.string().max(500).default(""),
  },
  takesFile: true,
  problems: ["list-invalid", "list-exists", "list-asked", "file-too-large"],
});

export const makeAskedList = declare("PUT /api/references/{list}/asked", {
  about:
    "makes a list of a table, or of a query of another database, which is asked again whenever a load needs it; each change is a version",
  params: list,
  body: z.object({
    asked: askedSchema,
    title: z.string().max(120).default(""),
    about: z.string().max(500).default(""),
    key: z.string().max(200).optional().describe("The column that is the key; the first unless said"),
    accepted: z.string().max(200).optional().describe("The column by which a synonym leads to its accepted entry"),
    since: z.string().max(200).optional(),
    until: z.string().max(200).optional(),
  }),
  answer: z.object({ version: z.int() }),
  problems: ["list-invalid", "list-away", "list-refused", "no-connection", "usage"],
});

export const askListNow = declare("POST /api/references/{list}/asked", {
  about: "asks such a list now",
  params: list,
  answer: z.object({ version: z.int(), before: z.int() }),
  problems: ["no-list", "list-not-asked", "list-invalid", "list-away", "list-refused", "no-connection"],
});
