import { db, handle } from "@/app/server.ts";
import { cannotUndoWriting } from "@/engine/undo/kept.ts";
import { getWriting } from "@/routes/writings.ts";
import * as store from "@/store/writings.ts";

export const GET = handle(getWriting, async ({ params }) => {
  const writing = await store.getWriting(db(), params.id);
  return { ...writing, cannotUndo: await cannotUndoWriting(db(), writing) };
});
