import { z } from "zod";
import type { Habit, Sender } from "@/store/senders.ts";
import { answerOf, declare } from "./declare.ts";

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
  answer: z.object({ sender: answerOf<Sender>("the sender"), habits: answerOf<Habit[]>("by feed") }),
  problems: ["no-sender"],
});

export const putSender = declare("PUT /api/senders/{sender}", {
  about: "whom to turn to, and how long an answer may take",
  params: sender,
  body: z.object({
    contact: z.string().max(200).default(""),
    address: z.string().max(200).default(""),
    note: z.string().max(2000).default(""),
    daysToAnswer: z.int().min(1).max(365).nullable().default(null),
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
