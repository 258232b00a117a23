import { db, handle } from "@/app/server.ts";
import { handOver, takeBack } from "@/routes/senders.ts";
import * as store from "@/store/senders.ts";

export const POST = handle(handOver, async ({ params: { sender }, body: { feed } }) => ({
  records: await store.handOver(db(), sender, feed ?? null),
}));

export const DELETE = handle(takeBack, async ({ params: { sender }, query: { feed } }) => ({
  records: await store.takeBack(db(), sender, feed ?? null),
}));
