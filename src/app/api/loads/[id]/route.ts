import { db, route, wholeNumber } from "@/app/server.ts";
import { getLoad } from "@/store/loads.ts";

export const GET = route<{ id: string }>(async (_, { id }) => await getLoad(db(), wholeNumber(id, "The load")));
