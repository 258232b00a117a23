import { join } from "node:path";
import { counted } from "@/core/kernel/problem.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import type { Db } from "@/store/db.ts";
import type { Load } from "@/store/loads.ts";
import { outOf, type OutAsked, type Outgoing } from "../out/out.ts";
import { queryOut } from "../out/query.ts";

/** What a load accepted, in the form that an action says. */
function outAsked(action: AfterAction & { do: "file" | "put" }, load: Load): OutAsked {
  const { format, gzip, partition, records, name, delimiter, encoding, what = "accepted" } = action;
  return { format, gzip, partition, records, name, delimiter, encoding, load: load.id, what };
}

/** What goes out after a load: records of it, or what the action's query gives. */
export async function outgoingAfter(
  db: Db,
  action: AfterAction & { do: "file" | "put" },
  load: Load,
): Promise<Outgoing> {
  const asked = outAsked(action, load);
  if (!action.query) return await outOf(db, load.feed, asked);
  return await queryOut(db, { ...action.query, after: { feed: load.feed, load: load.id } }, asked);
}

/** What their manifest is called: files of several kinds may go into one folder. */
export function manifestName(
  { what = "accepted", query }: Pick<AfterAction & { do: "file" }, "what" | "query">,
  { id }: Load,
): string {
  const of = query ? "query-" : what === "accepted" ? "" : `${what}-`;
  return `manifest-${of}load-${id}.json`;
}

/** Writes records of a load as files into a folder, each aside until it is whole, with a manifest of its own. */
export async function writeFiles(
  db: Db,
  action: AfterAction & { do: "file" },
  load: Load,
  out: string,
): Promise<string> {
  const outgoing = await outgoingAfter(db, action, load);
  const { files } = await outgoing.unpack(join(out, action.folder), manifestName(action, load));
  const written = files.reduce((n, f) => n + f.records, 0);
  return `${counted(files.length, "file")} with ${counted(written, "record")} in ${action.folder}`;
}
