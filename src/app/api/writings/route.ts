import { db, handle } from "@/app/server.ts";
import { listWritings } from "@/routes/writings.ts";
import * as store from "@/store/writings.ts";

export const GET = handle(listWritings, async ({ query: { limit, ...filter } }) => ({
  writings: await store.listWritings(db(), filter, limit),
}));
