import { Readable } from "node:stream";
import { SieveError } from "@/core/kernel/problem.ts";
import { receiveFile, type DeliveryFile } from "@/store/deliveries.ts";
import { db } from "../server.ts";

/** Streams the body of a request into a delivery as one file. Throws `upload-cut` and what receiving does. */
export async function receiveBody(request: Request, delivery: number, name: string): Promise<DeliveryFile> {
  const declared = Number(request.headers.get("content-length") ?? NaN);
  // A file of no bytes has no body.
  const bytes = request.body
    ? (Readable.fromWeb(request.body as never, { signal: request.signal }) as AsyncIterable<Uint8Array>)
    : Readable.from([]);
  try {
    return await receiveFile(db(), delivery, name, bytes, Number.isFinite(declared) ? declared : undefined);
  } catch (error) {
    if (error instanceof SieveError || !request.signal.aborted) throw error;
    throw new SieveError("upload-cut", `${name} did not arrive whole.`, { hint: "Send it again." });
  }
}
