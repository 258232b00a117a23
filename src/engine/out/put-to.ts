import { createReadStream } from "node:fs";
import { join } from "node:path";
import { AwsV4Signer } from "aws4fetch";
import { SieveError } from "@/core/kernel/problem.ts";
import { addressFault, type AddressDestination } from "@/core/write/files/destination.ts";
import { identityOf } from "@/store/connections.ts";
import type { Db } from "@/store/db.ts";
import { httpPut, shownUrl } from "../sources/http-get.ts";

const SILENCE_MS = 60_000;

/** A file that lies in a folder, to be put somewhere. */
export interface ReadyFile {
  /** Below the folder, and below the address. */
  readonly path: string;
  readonly bytes: number;
  /** In hexadecimal digits. */
  readonly sha256: string;
}

/**
 * Puts files to an address by HTTP, one after the other in their order. Throws what `httpPut` does, `no-connection` where
 * there is none to sign by, and `receiver-refused` for an answer other than of success.
 * @returns the address as it may be shown
 */
export async function putTo(
  db: Db,
  address: AddressDestination,
  folder: string,
  files: readonly ReadyFile[],
  hosts: readonly string[],
): Promise<string> {
  const fault = addressFault(address);
  if (fault !== null) throw new SieveError("no-connection", fault, { hint: "Name one at the address." });
  const base = new URL(address.url.endsWith("/") ? address.url : `${address.url}/`);
  const identity = address.connection === undefined ? null : await identityOf(db, address.connection);
  for (const file of files) {
    const url = new URL(file.path.split("/").map(encodeURIComponent).join("/"), base);
    const headers = await headersOf(address, identity, url, file);
    const limits = { hosts, variable: "SIEVE_RECEIVER_HOSTS", silence: SILENCE_MS };
    const { status, text } = await httpPut(url, limits, createReadStream(join(folder, file.path)), headers);
    if (status >= 200 && status < 300) continue;
    throw new SieveError("receiver-refused", `${shownUrl(url)} answered ${status}.`, {
      detail: text.trim().slice(0, 200),
    });
  }
  return shownUrl(base);
}

/** What goes before a file: its size and hash, and who sends it. */
async function headersOf(
  { as, region = "us-east-1" }: AddressDestination,
  identity: Awaited<ReturnType<typeof identityOf>> | null,
  url: URL,
  { bytes, sha256 }: ReadyFile,
): Promise<Record<string, string>> {
  const plain = { "content-length": String(bytes), "content-type": "application/octet-stream" };
  if (as === "object storage") {
    // The hash is signed too, so that the storage takes nothing else than what was made.
    const signer = new AwsV4Signer({
      ...{ method: "PUT", url: url.href, service: "s3", region },
      ...{ accessKeyId: identity!.user, secretAccessKey: identity!.password },
      headers: { "x-amz-content-sha256": sha256 },
    });
    const { headers } = await signer.sign();
    return { ...plain, ...Object.fromEntries(headers.entries()), host: url.host };
  }
  if (!identity) return { ...plain, "content-sha256": sha256 };
  const basic = Buffer.from(`${identity.user}:${identity.password}`).toString("base64");
  return { ...plain, "content-sha256": sha256, authorization: `Basic ${basic}` };
}
