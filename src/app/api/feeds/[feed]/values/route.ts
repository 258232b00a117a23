import { db, handle } from "@/app/server.ts";
import { targetValues } from "@/engine/writing/target.ts";
import { valuesOfField } from "@/routes/feeds.ts";
import { planInForce } from "@/store/feeds.ts";

export const GET = handle(valuesOfField, async ({ params, query }) =>
  targetValues(db(), (await planInForce(db(), params.feed)).document, query.field),
);
