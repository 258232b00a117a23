import { z } from "zod";
import type { ExistingTable, describeTable } from "@/engine/writing/existing-table.ts";
import { answerOf, declare, numberOf } from "./declare.ts";

const source = { id: numberOf("The source") };

export const lookSoon = declare("POST /api/sources/{id}", {
  about: "has a source looked at within seconds",
  params: source,
  body: z.object({}),
  problems: ["no-source"],
});

export const dropSource = declare("DELETE /api/sources/{id}", {
  about: "takes a source away",
  params: source,
  problems: ["no-source"],
});

export const listTables = declare("GET /api/tables", {
  about: "tables of the database that could be a target",
  answer: z.object({ tables: answerOf<ExistingTable[]>("each with its schema, name and size") }),
});

export const tableContract = declare("GET /api/tables/{schema}/{table}", {
  about: "the contract that one amounts to",
  params: { schema: z.string(), table: z.string() },
  answer: answerOf<Awaited<ReturnType<typeof describeTable>>>("fields, key, and what a contract can't say"),
});

export const getRoom = declare("GET /api/room", {
  about: "what takes how much room by feed, and what was taken away",
});

export const takeAwayNow = declare("POST /api/room", {
  about: "has a worker take away now what has expired",
  body: z.object({}),
});

export const health = declare("GET /api/health", {
  about: "200 when the web process answers",
  answer: z.object({ ok: z.boolean() }),
});

export const ready = declare("GET /api/ready", {
  about: "200 when work can be done, else 503: `{ready, store, pending, workers, waiting, bytes}`",
});

export const openApi = declare("GET /api/openapi.json", {
  about: "this document, as OpenAPI 3.1 has it",
});
