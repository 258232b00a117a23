import { counted, grouped } from "@/core/kernel/problem.ts";
import { compareCopies, type Compared } from "@/engine/copies/compare.ts";
import { openDb } from "@/store/db.ts";
import { getFeed } from "@/store/feeds.ts";

export interface CopiesFlags {
  readonly mend?: boolean;
  readonly json?: boolean;
}

/** How one copy stands, or stood before it was brought into step, in a line. */
export function comparedLine({ target, table, connection, same, otherwise, missing, more, mended }: Compared): string {
  const off = [
    ...(otherwise > 0 ? [`${grouped(otherwise)} otherwise`] : []),
    ...(missing > 0 ? [`${grouped(missing)} missing there`] : []),
    ...(more > 0 ? [`${grouped(more)} there alone`] : []),
  ];
  const found = off.length === 0 ? "" : `, ${off.join(", ")}${mended ? ": brought into step" : ""}`;
  return `${table} on ${connection}, of ${target}: ${counted(same, "row")} alike${found}`;
}

/** By their keys, the first rows that differ, a line for each kind. */
function keyLines({ some }: Compared): string {
  return Object.entries(some)
    .flatMap(([kind, keys]) => (keys.length > 0 ? [`  ${kind}: ${keys.join("; ")}\n`] : []))
    .join("");
}

/** Holds the copies of a feed's targets against them. Returns 1 where one differs and was not mended. */
export async function copies(feed: string, { mend = false, json = false }: CopiesFlags): Promise<number> {
  const db = openDb(undefined, 2);
  try {
    await getFeed(db, feed);
    const all = await compareCopies(db, feed, { mend });
    process.stdout.write(
      json ? `${JSON.stringify(all)}\n` : all.map((c) => `${comparedLine(c)}\n${keyLines(c)}`).join(""),
    );
    return !mend && all.some((c) => c.otherwise + c.missing + c.more > 0) ? 1 : 0;
  } finally {
    await db.end();
  }
}
