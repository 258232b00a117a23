import { join } from "node:path";
import { counted } from "@/core/kernel/problem.ts";
import type { Manifest } from "@/core/interop/manifest.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import type { Came } from "@/store/after.ts";
import type { Db } from "@/store/db.ts";
import type { Load } from "@/store/loads.ts";
import { outOf, type OutAsked, type Outgoing } from "../out/out.ts";
import { queryOut } from "../out/query.ts";
import { toldAfter, type AboutLoad } from "./about.ts";

/** What a load accepted, in the form that an action says. */
function outAsked(action: AfterAction & { do: "file" | "put" }, load: Load): OutAsked {
  const { format, gzip, partition, records, name, delimiter, encoding, root, record, what = "accepted" } = action;
  return { format, gzip, partition, records, name, delimiter, encoding, root, record, load: load.id, what };
}

/** What goes out after a load: records of it, or what the action's query gives. */
export async function outgoingAfter(
  db: Db,
  action: AfterAction & { do: "file" | "put" },
  about: AboutLoad,
): Promise<Outgoing> {
  const { load, sender, n, parameters } = about;
  const asked = outAsked(action, load);
  if (!action.query) return await outOf(db, load.feed, asked);
  const after = { feed: load.feed, load: load.id, sender, n, parameters, told: toldAfter(about) };
  return await queryOut(db, { ...action.query, after }, asked);
}

/** What their manifest is called: files of several kinds, and of several queries, may go into one folder. */
export function manifestName(
  { what = "accepted", query }: Pick<AfterAction & { do: "file" }, "what" | "query">,
  { load: { id }, n }: Pick<AboutLoad, "n"> & { readonly load: Pick<Load, "id"> },
): string {
  const of = query ? `query-${n + 1}-` : what === "accepted" ? "" : `${what}-`;
  return `manifest-${of}load-${id}.json`;
}

/** Writes records of a load as files into a folder, each aside until it is whole, with a manifest of its own. */
export async function writeFiles(
  db: Db,
  action: AfterAction & { do: "file" },
  about: AboutLoad,
  out: string,
): Promise<Came> {
  const outgoing = await outgoingAfter(db, action, about);
  const gone = countOf(await outgoing.unpack(join(out, action.folder), manifestName(action, about)));
  return { ...gone, answer: `${filesWords(gone)} in ${action.folder}` };
}

/** How many files went out, and how many records are in them, by their manifest. */
export const countOf = ({ files, records }: Pick<Manifest, "files" | "records">): Required<Omit<Came, "answer">> => ({
  files: files.length,
  records,
});

export const filesWords = ({ files, records }: ReturnType<typeof countOf>): string =>
  `${counted(files, "file")} with ${counted(records, "record")}`;
