import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { bringFile } from "@/routes/senders.ts";
import { makeDelivery } from "@/store/deliveries.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { receiveBody } from "../../receive-body.ts";
import { senderOf } from "../bearer.ts";

export const maxDuration = 86_400;

/** One file of a sender that is known by its key: a delivery of its own, and its load. */
export const PUT = handle(bringFile, async ({ params: { feed }, query: { name }, request }) => {
  const sender = await senderOf(request, feed);
  const delivery = await makeDelivery(db(), feed, "its own key", sender);
  const { sha256, bytes } = await receiveBody(request, delivery, name);
  // A feed without a plan gets one from whoever looks at what came first.
  const load = await askForLoad(db(), delivery).catch((error: unknown) => {
    if (error instanceof SieveError && error.code === "no-plan") return null;
    throw error;
  });
  return { sender, delivery, load, sha256, bytes };
});
