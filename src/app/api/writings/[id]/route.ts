import { db, route, wholeNumber } from "@/app/server.ts";
import { cannotUndoWriting } from "@/engine/undo/undo.ts";
import { getWriting } from "@/store/writings.ts";

export const GET = route<{ id: string }>(async (_, { id }) => {
  const writing = await getWriting(db(), wholeNumber(id, "The writing"));
  return { ...writing, cannotUndo: await cannotUndoWriting(db(), writing) };
});
