import { db, handle } from "@/app/server.ts";
import { compareCopies as compare } from "@/engine/copies/compare.ts";
import { getFeed } from "@/store/feeds.ts";
import { compareCopies, mendCopies } from "@/routes/feeds.ts";

async function look(feed: string, mend: boolean) {
  await getFeed(db(), feed);
  return { copies: await compare(db(), feed, { mend }) };
}

export const GET = handle(compareCopies, ({ params: { feed } }) => look(feed, false));

export const POST = handle(mendCopies, ({ params: { feed } }) => look(feed, true));
