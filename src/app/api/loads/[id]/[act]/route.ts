import { z } from "zod";
import { body, db, route, wholeNumber } from "@/app/server.ts";
import { overChanged } from "@/app/api/writings/query.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { cancelLoad } from "@/engine/load/abandon.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { dropLoad, letThrough, runWithout } from "@/store/loads.ts";

const input = z.object({
  reason: z.string().max(500).default(""),
  checks: z.array(z.string().max(400)).max(500).default([]),
  over: overChanged,
});

/** What a person can do to a load: cancel it, let it through a gate, run it without some checks, drop it, undo it. */
export const POST = route<{ id: string; act: string }>(async (request, { id, act }) => {
  const load = wholeNumber(id, "The load");
  const { reason, checks, over } = input.parse(await body(request));
  if (act === "cancel") await cancelLoad(db(), load);
  else if (act === "let-through") await letThrough(db(), load, reason);
  else if (act === "without") await runWithout(db(), load, { checks, reason });
  else if (act === "undo")
    return { ok: true, ...(await apart("undo of a load", { load, reason, by: "steward", over }, writeLimits())) };
  else if (act === "drop") await dropLoad(db(), load, reason);
  else throw new SieveError("usage", `“${act}” is not something that can be done to a load.`);
  return { ok: true };
});
