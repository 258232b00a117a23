import { Readable } from "node:stream";
import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { putFile } from "@/routes/deliveries.ts";
import { getDelivery, receiveFile } from "@/store/deliveries.ts";

export const maxDuration = 86_400;

export const PUT = handle(putFile, async ({ params, query: { name }, request }) => {
  const delivery = await getDelivery(db(), params.id);
  const declared = Number(request.headers.get("content-length") ?? NaN);
  // A file of no bytes has no body.
  const bytes = request.body
    ? (Readable.fromWeb(request.body as never, { signal: request.signal }) as AsyncIterable<Uint8Array>)
    : Readable.from([]);
  try {
    return await receiveFile(db(), delivery.id, name, bytes, Number.isFinite(declared) ? declared : undefined);
  } catch (error) {
    if (error instanceof SieveError || !request.signal.aborted) throw error;
    throw new SieveError("upload-cut", `${name} did not arrive whole.`, { hint: "Send it again." });
  }
});
