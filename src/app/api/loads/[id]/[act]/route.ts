import { db, handle, problemResponse } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import * as abandon from "@/engine/load/abandon.ts";
import { cancelLoad, dropLoad, letThrough, runWithout, undoLoad } from "@/routes/loads.ts";
import * as store from "@/store/load-requests.ts";

const done = { ok: true };

/** What a person can do to a load. */
const ACTS: Readonly<Record<string, ReturnType<typeof handle>>> = {
  cancel: handle(cancelLoad, async ({ params: { id } }) => {
    await abandon.cancelLoad(db(), id);
    return done;
  }),
  "let-through": handle(letThrough, async ({ params: { id }, body }) => {
    await store.letThrough(db(), id, body.reason);
    return done;
  }),
  without: handle(runWithout, async ({ params: { id }, body }) => {
    await store.runWithout(db(), id, body);
    return done;
  }),
  drop: handle(dropLoad, async ({ params: { id }, body }) => {
    await store.dropLoad(db(), id, body.reason);
    return done;
  }),
  undo: handle(undoLoad, async ({ params: { id }, body: { reason, over } }) => ({
    ...done,
    ...(await apart("undo of a load", { load: id, reason, by: "steward", over }, writeLimits())),
  })),
};

export async function POST(
  request: Request,
  context: { params: Promise<{ id: string; act: string }> },
): Promise<Response> {
  const { act } = await context.params;
  const known = Object.hasOwn(ACTS, act) ? ACTS[act] : undefined;
  if (known) return await known(request, context);
  return problemResponse(new SieveError("usage", `“${act}” is not something that can be done to a load.`));
}
