import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { changeReference, getReference, searchEntries } from "@/store/references.ts";

const query = z.object({
  q: z.string().max(200).default(""),
  offset: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
const change = z.object({
  from: z.int().min(1),
  add: z.array(z.array(z.string().max(10_000)).max(200)).max(10_000),
  remove: z.array(z.int()).max(10_000),
  note: z.string().min(1).max(500),
});

/** Entries of the newest version. */
export const GET = route<{ list: string }>(async (request, { list }) => {
  const { q, offset, limit } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  return { list: await getReference(db(), list), ...(await searchEntries(db(), list, q, limit, offset)) };
});

/** Makes a new version of the list. */
export const POST = route<{ list: string }>(async (request, { list }) => {
  const { from, note, ...entries } = change.parse(await body(request));
  return { version: await changeReference(db(), list, from, entries, note, "steward") };
});
