import { db, route } from "@/app/server.ts";
import { listReferences } from "@/store/references.ts";

export const GET = route(async () => ({ references: await listReferences(db()) }));
