import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { whatCameOfIt } from "@/routes/senders.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { loadOfDelivery } from "@/store/loads.ts";
import { senderOf } from "../../bearer.ts";

/** What came of a delivery, for the sender that brought it and nobody else. */
export const GET = handle(whatCameOfIt, async ({ params: { feed, delivery: id }, request }) => {
  const sender = await senderOf(request, feed);
  const delivery = await getDelivery(db(), id).catch(() => null);
  if (delivery?.feed !== feed || delivery.sender !== sender) {
    throw new SieveError("no-delivery", `There is no delivery ${id} of ${sender} to ${feed}.`, {
      hint: "Look at the number that was given when it was brought.",
    });
  }
  const load = await loadOfDelivery(db(), id);
  return {
    state: load?.state ?? "received",
    load: load?.id ?? null,
    read: load?.read ?? null,
    held: load?.held ?? null,
    error: load?.error?.message ?? "",
  };
});
