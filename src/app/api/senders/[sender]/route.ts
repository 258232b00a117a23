import { db, handle } from "@/app/server.ts";
import { getSender, putSender } from "@/routes/senders.ts";
import * as store from "@/store/senders.ts";

export const GET = handle(getSender, async ({ params: { sender } }) => ({
  sender: await store.getSender(db(), sender),
  habits: await store.habitsOf(db(), sender),
  sendings: await store.sendingsTo(db(), sender),
}));

export const PUT = handle(putSender, async ({ params: { sender }, body }) => {
  await store.putSender(db(), sender, body, "steward");
});
