import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { getFeed } from "@/store/feeds.ts";
import { listSources, makeSource } from "@/store/sources.ts";

const input = z.object({
  kind: z.enum(["inbox", "outbox", "query"]),
  options: z.record(z.string(), z.string()),
  everySeconds: z.int().min(5).max(86_400).default(60),
});

export const GET = route<{ feed: string }>(async (_, { feed }) => ({ sources: await listSources(db(), feed) }));

/** Makes a source that is looked at again and again. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const { kind, options, everySeconds } = input.parse(await body(request));
  await getFeed(db(), feed);
  return { id: await makeSource(db(), feed, kind, options, everySeconds, "steward") };
});
