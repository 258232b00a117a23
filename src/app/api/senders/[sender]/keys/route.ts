import { db, handle } from "@/app/server.ts";
import { endSenderKey, listSenderKeys, makeSenderKey } from "@/routes/senders.ts";
import { endKey, listKeys, makeKey } from "@/store/sender-keys.ts";

export const GET = handle(listSenderKeys, async ({ params: { sender } }) => ({ keys: await listKeys(db(), sender) }));

export const POST = handle(makeSenderKey, async ({ params: { sender }, body: { feed } }) =>
  makeKey(db(), { sender, feed }, "steward"),
);

export const DELETE = handle(endSenderKey, async ({ body: { id } }) => {
  await endKey(db(), id, "steward");
});
