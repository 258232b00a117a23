import { z } from "zod";
import { db, route } from "@/app/server.ts";
import { listWritings } from "@/store/writings.ts";

const query = z.object({
  feed: z.string().max(63).optional(),
  load: z.coerce.number().int().min(1).max(2_000_000_000).optional(),
  limit: z.coerce.number().int().min(1).max(1000).default(100),
});

/** What changed targets, the latest first. */
export const GET = route(async (request) => {
  const { limit, ...filter } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  return { writings: await listWritings(db(), filter, limit) };
});
