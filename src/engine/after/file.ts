import { join } from "node:path";
import { counted } from "@/core/kernel/problem.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import type { Db } from "@/store/db.ts";
import type { Load } from "@/store/loads.ts";
import { outOf, type OutAsked } from "../out/out.ts";

/** What a load accepted, in the form that an action says. */
export function outAsked(action: AfterAction & { do: "file" | "put" }, load: Load): OutAsked {
  const { format, gzip, partition, records, name, delimiter, encoding, what = "accepted" } = action;
  return { format, gzip, partition, records, name, delimiter, encoding, load: load.id, what };
}

/** What their manifest is called: files of several kinds may go into one folder. */
export const manifestName = ({ what = "accepted" }: Pick<AfterAction & { do: "file" }, "what">, { id }: Load): string =>
  `manifest-${what === "accepted" ? "" : `${what}-`}load-${id}.json`;

/** Writes records of a load as files into a folder, each aside until it is whole, with a manifest of its own. */
export async function writeFiles(
  db: Db,
  action: AfterAction & { do: "file" },
  load: Load,
  out: string,
): Promise<string> {
  const outgoing = await outOf(db, load.feed, outAsked(action, load));
  const { files } = await outgoing.unpack(join(out, action.folder), manifestName(action, load));
  const written = files.reduce((n, f) => n + f.records, 0);
  return `${counted(files.length, "file")} with ${counted(written, "record")} in ${action.folder}`;
}
