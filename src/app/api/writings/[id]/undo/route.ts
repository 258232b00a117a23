import { handle } from "@/app/server.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { previewUndo, undoWriting } from "@/routes/writings.ts";

export const GET = handle(previewUndo, ({ params, query }) =>
  apart("preview of an undo", { writing: params.id, filter: query }),
);

export const POST = handle(undoWriting, ({ params, body: { reason, over } }) =>
  apart("undo", { writing: params.id, reason, by: "steward", over }, writeLimits()),
);
