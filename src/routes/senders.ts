import { z } from "zod";
import { destinationSchema } from "@/core/write/files/destination.ts";
import type { Habit, Sender, Sending } from "@/store/senders.ts";
import type { SenderKey } from "@/store/sender-keys.ts";
import { answerOf, declare, numberOf } from "./declare.ts";

const sender = { sender: z.string().min(1).max(120).describe("The sender's name") };
const feed = { feed: z.string().max(63).optional().describe("Of this feed alone") };
const records = z.object({ records: z.int() });

export const listSenders = declare("GET /api/senders", {
  about: "who delivers: to which feeds, when last, how good the last twelve loads were, and what they owe",
  answer: z.object({ senders: answerOf<Sender[]>("first those who owe most") }),
});

export const getSender = declare("GET /api/senders/{sender}", {
  about: "one of them, and how it sends: of each feed how its last file was read",
  params: sender,
  answer: z.object({
    sender: answerOf<Sender>("the sender"),
    habits: answerOf<Habit[]>("by feed"),
    sendings: answerOf<Sending[]>("what was sent to it lately, the latest first"),
  }),
  problems: ["no-sender"],
});

export const putSender = declare("PUT /api/senders/{sender}", {
  about: "whom to turn to, how long an answer may take, and where files for it go",
  params: sender,
  body: z.object({
    contact: z.string().max(200).default(""),
    address: z.string().max(200).default(""),
    note: z.string().max(2000).default(""),
    daysToAnswer: z.int().min(1).max(365).nullable().default(null),
    destination: destinationSchema.nullable().default(null).describe("Where files for it go"),
  }),
  problems: ["no-sender"],
});

export const handOver = declare("POST /api/senders/{sender}/handed", {
  about: "notes that what is held of it is with the sender from now on, and of how many records that is new",
  params: sender,
  body: z.object(feed),
  answer: records,
  problems: ["no-sender"],
});

export const takeBack = declare("DELETE /api/senders/{sender}/handed", {
  about: "takes that back",
  params: sender,
  query: feed,
  answer: records,
  problems: ["no-sender"],
});

export const listSenderKeys = declare("GET /api/senders/{sender}/keys", {
  about: "the keys by which it brings files itself, without what they are",
  params: sender,
  answer: z.object({ keys: answerOf<SenderKey[]>("those that hold first") }),
});

export const makeSenderKey = declare("POST /api/senders/{sender}/keys", {
  about: "makes one, for one feed or for all; the key is told this once",
  params: sender,
  body: z.object({ feed: z.string().max(63).nullable().default(null) }),
  answer: z.object({ id: z.int(), key: z.string() }),
  problems: ["no-feed"],
});

export const endSenderKey = declare("DELETE /api/senders/{sender}/keys", {
  about: "ends one: who has it can bring nothing any more",
  params: sender,
  body: z.object({ id: z.int() }),
  problems: ["no-sender-key"],
});

const brought = { feed: z.string().max(63).describe("The feed") };

export const bringFile = declare("PUT /api/bring/{feed}", {
  about:
    "for senders: brings one file, known by `Authorization: Bearer KEY`, as a delivery of its own that is loaded by the plan in force",
  params: brought,
  query: { name: z.string().min(1).max(200).describe("The file's name") },
  takesFile: true,
  answer: z.object({
    sender: z.string(),
    delivery: z.int(),
    load: z.int().nullable().describe("null where the feed has no plan yet"),
    sha256: z.string().nullable(),
    bytes: z.number(),
  }),
  problems: ["key-unknown", "loaded-before", "upload-cut", "file-too-large"],
});

export const whatCameOfIt = declare("GET /api/bring/{feed}/{delivery}", {
  about: "for senders: what came of a delivery that was brought with the same sender's key",
  params: { ...brought, delivery: numberOf("The delivery") },
  answer: z.object({
    state: z.string(),
    load: z.int().nullable(),
    read: z.int().nullable(),
    held: z.int().nullable(),
    error: z.string(),
  }),
  problems: ["key-unknown", "no-delivery"],
});
