import { db, handle } from "@/app/server.ts";
import { getLoad } from "@/routes/loads.ts";
import * as store from "@/store/loads.ts";

export const GET = handle(getLoad, ({ params }) => store.getLoad(db(), params.id));
