import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { MOST_AT_ONCE, discardRecords, takeBack } from "@/engine/release/release.ts";

const records = z
  .array(z.object({ load: z.int(), record: z.int() }))
  .min(1)
  .max(MOST_AT_ONCE);
const input = z.object({ records, reason: z.string().max(500).default("") });

export const POST = route(async (request) => {
  const { records, reason } = input.parse(await body(request));
  return { discarded: await discardRecords(db(), records, reason, "steward") };
});

/** Takes a discard back. */
export const DELETE = route(async (request) => {
  const { records } = input.parse(await body(request));
  return { back: await takeBack(db(), records) };
});
