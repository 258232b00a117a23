import { db, handle } from "@/app/server.ts";
import { listNotices } from "@/routes/loads.ts";
import { openNotices } from "@/store/after.ts";

export const GET = handle(listNotices, async () => ({ notices: await openNotices(db()) }));
