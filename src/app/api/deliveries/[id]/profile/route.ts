import { db, handle } from "@/app/server.ts";
import type { ReadSection } from "@/core/plan/document.ts";
import { askForProfile } from "@/routes/deliveries.ts";
import * as store from "@/store/profiles.ts";

export const POST = handle(askForProfile, async ({ params, body }) => ({
  profile: await store.askForProfile(db(), params.id, body.read as ReadSection | null),
}));
