import { db, handle } from "@/app/server.ts";
import { listSenders } from "@/routes/senders.ts";
import * as store from "@/store/senders.ts";

export const GET = handle(listSenders, async () => ({ senders: await store.listSenders(db()) }));
