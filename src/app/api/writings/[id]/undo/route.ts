import { z } from "zod";
import { body, db, route, wholeNumber } from "@/app/server.ts";
import { previewUndo, undoWriting } from "@/engine/undo.ts";
import { overChanged, previewQuery } from "../../query.ts";

/** What undoing a writing would do, and the rows of one of its counts. Nothing is changed. */
export const GET = route<{ id: string }>(async (request, { id }) => {
  const filter = previewQuery.parse(Object.fromEntries(new URL(request.url).searchParams));
  return await previewUndo(db(), wholeNumber(id, "The writing"), filter);
});

const input = z.object({ reason: z.string().max(500).default(""), over: overChanged });

export const POST = route<{ id: string }>(async (request, { id }) => {
  const { reason, over } = input.parse(await body(request));
  return await undoWriting(db(), wholeNumber(id, "The writing"), { reason, by: "steward", over });
});
