import { db, handle } from "@/app/server.ts";
import { streamed } from "@/app/streamed.ts";
import { packForSenders } from "@/engine/out/to-senders.ts";
import { heldForSenders } from "@/routes/quarantine.ts";

export const GET = handle(heldForSenders, ({ query }) =>
  streamed((into) => packForSenders(db(), query, into), { type: "application/zip", name: "for-senders.zip" }),
);
