import { seeTo, openNotices } from "@/store/after.ts";
import { openDb } from "@/store/db.ts";
import { dayOf } from "@/store/loads.ts";

export interface NoticesFlags {
  readonly seen?: number;
  readonly json?: boolean;
}

/** Lists notices that nobody has seen to, the latest first; with `seen`, first says that those of a load are. */
export async function notices({ seen, json }: NoticesFlags): Promise<void> {
  const db = openDb(undefined, 2);
  try {
    for (const { load, outcome, n } of await openNotices(db))
      if (load === seen) await seeTo(db, load, outcome, n, "command line");
    const open = await openNotices(db);
    const lines = open.map((o) => `${o.endedAt ? dayOf(o.endedAt) : ""} ${o.feed}, load ${o.load}: ${o.answer}\n`);
    process.stdout.write(json ? `${JSON.stringify(open)}\n` : lines.join(""));
  } finally {
    await db.end();
  }
}
