import { db, handle } from "@/app/server.ts";
import { listCheckSets } from "@/routes/formulas.ts";
import * as store from "@/store/check-sets.ts";

export const GET = handle(listCheckSets, async () => ({ sets: await store.listCheckSets(db()) }));
