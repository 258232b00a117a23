import { Readable } from "node:stream";
import { db, route, wholeNumber } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { getDelivery, receiveFile } from "@/store/deliveries.ts";

export const maxDuration = 86_400;

/** Streams one file into the delivery; its name is in the query. */
export const PUT = route<{ id: string }>(async (request, { id }) => {
  const delivery = await getDelivery(db(), wholeNumber(id, "The delivery"));
  const name = new URL(request.url).searchParams.get("name") ?? "";
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
