import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { listFeeds, makeFeed } from "@/store/feeds.ts";

const input = z.object({
  name: z
    .string()
    .regex(/^[a-z][a-z0-9_]{0,62}$/, "Lower-case letters, digits and underscores, beginning with a letter"),
  title: z.string().min(1).max(120),
  about: z.string().max(500).default(""),
});

export const GET = route(async () => ({ feeds: await listFeeds(db()) }));

/** Makes a feed, which has no plan yet. */
export const POST = route(async (request) => {
  const feed = input.parse(await body(request));
  if ((await listFeeds(db())).some((f) => f.name === feed.name)) {
    throw new SieveError("feed-exists", `There is a feed “${feed.name}” already.`, {
      hint: "Give the new one another name, or bring the files into that feed.",
    });
  }
  await makeFeed(db(), feed);
  return { name: feed.name };
});
