import { db, route } from "@/app/server.ts";

export const dynamic = "force-dynamic";

export const GET = route(async () => {
  await db().query("select 1 from sieve.feed limit 1");
  return { ok: true };
});
