import { openDb } from "@/store/db.ts";
import { dayOf } from "@/store/loads.ts";
import { endKey, listKeys, makeKey } from "@/store/sender-keys.ts";

export interface SenderKeyFlags {
  readonly feed?: string;
  readonly end?: number;
}

/** Makes a key of a sender and tells it, ends one, or lists all. Throws `usage`, `no-feed`, `no-sender-key`. */
export async function senderKey(sender: string | undefined, { feed, end }: SenderKeyFlags): Promise<void> {
  const db = openDb(undefined, 2);
  try {
    if (end !== undefined) {
      await endKey(db, end, "command line");
      process.stdout.write(`key ${end} is ended\n`);
    } else if (sender !== undefined) {
      const { id, key } = await makeKey(db, { sender, feed: feed ?? null }, "command line");
      process.stderr.write(`key ${id} of ${sender}; it is told this once:\n`);
      process.stdout.write(`${key}\n`);
    } else {
      for (const k of await listKeys(db)) {
        const used = k.endedAt ? `ended ${dayOf(k.endedAt)}` : k.usedAt ? `used ${dayOf(k.usedAt)}` : "not used yet";
        process.stdout.write(`${k.id}  ${k.sender}, ${k.feed ?? "all feeds"}, …${k.endsWith}, ${used}\n`);
      }
    }
  } finally {
    await db.end();
  }
}
