import { db, handle } from "@/app/server.ts";
import { getProfile } from "@/routes/deliveries.ts";
import * as store from "@/store/profiles.ts";

export const GET = handle(getProfile, ({ params }) => store.getProfile(db(), params.id));
