import { db, handle } from "@/app/server.ts";
import { discardRecords, takeBack } from "@/engine/release/discard.ts";
import { discardHeld, takeBackHeld } from "@/routes/quarantine.ts";

export const POST = handle(discardHeld, async ({ body: { records, reason } }) => ({
  discarded: await discardRecords(db(), records, reason, "steward"),
}));

export const DELETE = handle(takeBackHeld, async ({ body }) => ({ back: await takeBack(db(), body.records) }));
