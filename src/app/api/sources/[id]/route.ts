import { db, handle } from "@/app/server.ts";
import { dropSource, lookSoon } from "@/routes/store.ts";
import * as store from "@/store/sources.ts";

export const POST = handle(lookSoon, async ({ params }) => {
  await store.lookSoon(db(), params.id);
  return {};
});

export const DELETE = handle(dropSource, async ({ params }) => {
  await store.dropSource(db(), params.id);
  return {};
});
