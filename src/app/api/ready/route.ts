import { db, handle } from "@/app/server.ts";
import { ready } from "@/routes/store.ts";
import { readiness } from "@/store/ready.ts";

export const dynamic = "force-dynamic";

/** Whether work can be done: the store is there and up to date, and a worker lives. */
export const GET = handle(ready, async () => {
  const state = await readiness(db());
  return Response.json(state, { status: state.ready ? 200 : 503 });
});
