import { db, handle } from "@/app/server.ts";
import { streamed } from "@/app/streamed.ts";
import { packForSenders } from "@/engine/out/to-senders.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { heldForSenders, sendHeld } from "@/routes/quarantine.ts";

export const GET = handle(heldForSenders, ({ query }) =>
  streamed((into) => packForSenders(db(), query, into), { type: "application/zip", name: "for-senders.zip" }),
);

export const POST = handle(sendHeld, async ({ body }) => ({
  sent: await apart("sending to senders", { filter: body, by: "steward" }, writeLimits()),
}));
