import { db, route, wholeNumber } from "@/app/server.ts";
import { rowInTarget } from "@/engine/release/release.ts";
import { getHeld } from "@/store/held.ts";

/** A held record, with the row of the target that has its key by now. */
export const GET = route<{ load: string; record: string }>(async (_, { load, record }) => {
  const which = [wholeNumber(load, "The load"), wholeNumber(record, "The record")] as const;
  const held = await getHeld(db(), ...which);
  return { ...held, inTarget: held.state === "overtaken" ? await rowInTarget(db(), ...which) : null };
});
