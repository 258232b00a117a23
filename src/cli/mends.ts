import { writeFile } from "node:fs/promises";
import { counted } from "@/core/kernel/problem.ts";
import { mendsForSteps, withMends } from "@/core/mend/remembered.ts";
import { openDb } from "@/store/db.ts";
import { planInForce } from "@/store/feeds.ts";
import { mendsMade } from "@/store/mends.ts";

export interface MendsFlags {
  readonly json?: boolean;
  readonly plan?: string;
}

/** Lists what people have mended in a feed, and writes the plan that does by itself what it can of it. Throws `no-feed`, `no-plan`. */
export async function mends(feed: string, { json = false, plan: to }: MendsFlags): Promise<void> {
  const db = openDb(undefined, 2);
  try {
    const { document } = await planInForce(db, feed);
    const made = await mendsMade(db, feed);
    const able = new Set(mendsForSteps(document, made));
    const all = made.map((m) => ({ ...m, step: able.has(m) }));
    const lines = all.map(
      (m) =>
        `${m.field}: “${m.from}” to “${m.to}”, ${counted(m.records, "record")} in ${counted(m.loads, "load")}${m.step ? "; a step could do it" : ""}\n`,
    );
    process.stdout.write(json ? `${JSON.stringify(all)}\n` : lines.join(""));
    if (to === undefined) return;
    await writeFile(to, `${JSON.stringify(withMends(document, [...able]), null, 2)}\n`);
    process.stderr.write(`${to} does ${counted(able.size, "mend")} by itself\n`);
  } finally {
    await db.end();
  }
}
