import { db, handle } from "@/app/server.ts";
import { listReferences } from "@/routes/references.ts";
import * as store from "@/store/references.ts";

export const GET = handle(listReferences, async () => ({ references: await store.listReferences(db()) }));
