import { db, handle } from "@/app/server.ts";
import { versionOfList } from "@/routes/references.ts";
import { versionChanges } from "@/store/references.ts";

export const GET = handle(versionOfList, ({ params: { list, version } }) => versionChanges(db(), list, version));
