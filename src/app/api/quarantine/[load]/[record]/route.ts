import { db, handle } from "@/app/server.ts";
import { rowInTarget } from "@/engine/release/discard.ts";
import { getHeld } from "@/routes/quarantine.ts";
import * as store from "@/store/held.ts";

export const GET = handle(getHeld, async ({ params: { load, record } }) => {
  const held = await store.getHeld(db(), load, record);
  return { ...held, inTarget: held.state === "overtaken" ? await rowInTarget(db(), load, record) : null };
});
