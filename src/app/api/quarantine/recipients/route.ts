import { db, handle } from "@/app/server.ts";
import { listRecipients } from "@/routes/quarantine.ts";
import { recipientsOf } from "@/store/senders.ts";

export const GET = handle(listRecipients, async ({ query }) => ({ recipients: await recipientsOf(db(), query) }));
