import { createHash } from "node:crypto";
import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { AfterAction } from "@/core/plan/after.ts";
import type { Came } from "@/store/after.ts";
import type { Db } from "@/store/db.ts";
import { putTo } from "../out/put-to.ts";
import type { AboutLoad } from "./about.ts";
import { countOf, filesWords, manifestName, outgoingAfter } from "./file.ts";

/**
 * Puts what a load accepted to an address as files, each whole, and their manifest last. The files are made beside first,
 * so that their sizes and hashes are known; put again they are the same files by the same names. Throws what `putTo` does.
 */
export async function putFiles(
  db: Db,
  action: AfterAction & { do: "put" },
  about: AboutLoad,
  hosts: readonly string[],
): Promise<Came> {
  const folder = await mkdtemp(join(tmpdir(), "sieve-put-"));
  try {
    const outgoing = await outgoingAfter(db, action, about);
    const name = manifestName(action, about);
    const went = await outgoing.unpack(folder, name);
    const manifest = await readFile(join(folder, name));
    const last = { path: name, bytes: manifest.length, sha256: createHash("sha256").update(manifest).digest("hex") };
    const to = await putTo(db, action, folder, [...went.files, last], hosts);
    const gone = countOf(went);
    return { ...gone, answer: `${filesWords(gone)} put to ${to}` };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
