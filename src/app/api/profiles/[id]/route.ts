import { db, route, wholeNumber } from "@/app/server.ts";
import { getProfile } from "@/store/profiles.ts";

/** A profile, done or on its way. */
export const GET = route<{ id: string }>(async (_, { id }) => await getProfile(db(), wholeNumber(id, "The profile")));
