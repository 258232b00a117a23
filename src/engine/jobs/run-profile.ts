import { ProfileFold } from "@/core/profile/profile.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { openFile } from "@/core/read/source.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type OnRead } from "@/store/deliveries.ts";
import { dayOf } from "@/store/loads.ts";
import { beginProfile, endProfile, getProfile, profileProgress } from "@/store/profiles.ts";
import { FileSpill, fileSpool } from "../threads/spool.ts";

const TELL_MS = 300;

/** Looks at a whole delivery and keeps what is in its columns. Running it again begins anew. */
export async function runProfile(db: Db, id: number, tell?: OnRead): Promise<void> {
  if (!(await beginProfile(db, id))) return;
  const stored = await getProfile(db, id);
  const { files, receivedAt } = await getDelivery(db, stored.delivery);
  const spill = new FileSpill();
  const { spool, close } = fileSpool();
  let bytes = 0;
  let told = Date.now();
  try {
    const fold = new ProfileFold(spill, Math.max(1000, stored.bytesTotal / 40), dayOf(receivedAt));
    const parts = { next: 0 };
    let records = 0;
    for (const file of files) {
      for await (const opened of openFile(storedFile(db, file, tell), stored.read ?? {}, spool, parts)) {
        for await (const block of opened.blocks) {
          fold.add(block, opened.columns());
          records += block.count;
          if (Date.now() - told < TELL_MS) continue;
          told = Date.now();
          await profileProgress(db, id, records, bytes + block.origin.end[block.count - 1]!);
        }
        fold.name(opened.columns());
      }
      bytes += file.bytes;
    }
    await endProfile(db, id, fold.finish());
  } catch (error) {
    if (!(error instanceof SieveError)) throw error;
    await endProfile(db, id, { failed: error });
  } finally {
    spill.close();
    await close();
  }
}
