import { createReadStream } from "node:fs";
import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { createHash } from "node:crypto";
import { AwsV4Signer } from "aws4fetch";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import { identityOf } from "@/store/connections.ts";
import type { Db } from "@/store/db.ts";
import { httpPut, shownUrl } from "../sources/http-get.ts";
import type { AboutLoad } from "./about.ts";
import { manifestName, outgoingAfter } from "./file.ts";

const SILENCE_MS = 60_000;

/** A file on its way. */
interface Sent {
  readonly url: URL;
  readonly bytes: number;
  /** In hexadecimal digits. */
  readonly sha256: string;
}

/**
 * Puts what a load accepted to an address as files, each whole, and their manifest last. The files are made beside first,
 * so that their sizes and hashes are known; put again they are the same files by the same names. Throws what `httpPut`
 * does, and `receiver-refused` for an answer other than of success.
 */
export async function putFiles(
  db: Db,
  action: AfterAction & { do: "put" },
  about: AboutLoad,
  hosts: readonly string[],
): Promise<string> {
  const base = new URL(action.url.endsWith("/") ? action.url : `${action.url}/`);
  const identity = action.connection === undefined ? null : await identityOf(db, action.connection);
  if (action.as === "object storage" && !identity) {
    throw new SieveError("no-connection", "An object storage is written to by a connection.", {
      hint: "Name one whose user and password are the key and its secret.",
    });
  }
  const folder = await mkdtemp(join(tmpdir(), "sieve-put-"));
  try {
    const outgoing = await outgoingAfter(db, action, about);
    const name = manifestName(action, about);
    const { files } = await outgoing.unpack(folder, name);
    const manifest = await readFile(join(folder, name));
    const last = { path: name, bytes: manifest.length, sha256: createHash("sha256").update(manifest).digest("hex") };
    for (const { path, bytes, sha256 } of [...files, last]) {
      const url = new URL(path.split("/").map(encodeURIComponent).join("/"), base);
      const headers = await headersOf(action, identity, { url, bytes, sha256 });
      const limits = { hosts, variable: "SIEVE_RECEIVER_HOSTS", silence: SILENCE_MS };
      const { status, text } = await httpPut(url, limits, createReadStream(join(folder, path)), headers);
      if (status >= 200 && status < 300) continue;
      throw new SieveError("receiver-refused", `${shownUrl(url)} answered ${status}.`, {
        detail: text.trim().slice(0, 200),
      });
    }
    const written = files.reduce((n, f) => n + f.records, 0);
    return `${counted(files.length, "file")} with ${counted(written, "record")} put to ${shownUrl(base)}`;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** What goes before a file: its size and hash, and who sends it. */
async function headersOf(
  { as, region = "us-east-1" }: AfterAction & { do: "put" },
  identity: Awaited<ReturnType<typeof identityOf>> | null,
  { url, bytes, sha256 }: Sent,
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
