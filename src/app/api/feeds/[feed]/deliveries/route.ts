import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { makeDelivery } from "@/store/deliveries.ts";
import { getFeed } from "@/store/feeds.ts";

const input = z.object({ sender: z.string().max(120).default("") });

/** Begins a delivery; its files are put to it one by one. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const { sender } = input.parse(await body(request));
  await getFeed(db(), feed);
  return { id: await makeDelivery(db(), feed, "browser", sender) };
});
