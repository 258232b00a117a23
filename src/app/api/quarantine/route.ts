import { db, handle } from "@/app/server.ts";
import { listHeld } from "@/routes/quarantine.ts";
import * as store from "@/store/held.ts";

export const GET = handle(listHeld, async ({ query: { after, limit, ...filter } }) => ({
  records: await store.listHeld(db(), filter, after, limit),
}));
