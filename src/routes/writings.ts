import { z } from "zod";
import { LEFT_BECAUSE, UNDO_DOES } from "@/core/kernel/writing.ts";
import type { Undone } from "@/engine/undo/undo.ts";
import type { previewUndo as undoRows } from "@/engine/undo/preview.ts";
import { answerOf, declare, numberOf } from "./declare.ts";

const id = { id: numberOf("The writing") };

/** What becomes of rows that somebody has changed since: all are left, all are undone, or those with these keys. */
export const overChanged = z
  .union([z.enum(["none", "all"]), z.array(z.string().max(4000)).max(10_000)])
  .default("none");

/** Which rows of an undo's preview are asked for. */
export const previewFilter = {
  does: z.enum(UNDO_DOES).optional(),
  left: z.enum([...LEFT_BECAUSE, "any"]).optional(),
  from: z.coerce.number().int().min(0).max(2_000_000_000).default(0),
};

export const listWritings = declare("GET /api/writings", {
  about: "what changed targets, the latest first",
  query: {
    feed: z.string().max(63).optional(),
    load: z.coerce.number().int().min(1).max(2_000_000_000).optional(),
    limit: z.coerce.number().int().min(1).max(1000).default(100),
  },
});

export const getWriting = declare("GET /api/writings/{id}", {
  about: "one writing, and what stands in the way of undoing it",
  params: id,
});

export const previewUndo = declare("GET /api/writings/{id}/undo", {
  about: "what undoing it would do, in counts, and the rows of one of them; changes nothing",
  params: id,
  query: previewFilter,
  answer: answerOf<Awaited<ReturnType<typeof undoRows>>>("counts, and rows of the one that was asked for"),
});

export const undoWriting = declare("POST /api/writings/{id}/undo", {
  about:
    "undoes it: `{writing, removed, restored, left}`; `over` says what becomes of rows that somebody has changed since: `none`, `all`, or a list of their keys",
  params: id,
  body: z.object({ reason: z.string().max(500).default(""), over: overChanged }),
  answer: answerOf<Undone>("what was removed, put back and left"),
  problems: ["cannot-undo"],
});
