import { db, handle } from "@/app/server.ts";
import { listFormulas } from "@/routes/formulas.ts";
import * as store from "@/store/formulas.ts";

export const GET = handle(listFormulas, async () => ({ formulas: await store.listFormulas(db()) }));
