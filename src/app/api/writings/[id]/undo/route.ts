import { z } from "zod";
import { body, route, wholeNumber } from "@/app/server.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { overChanged, previewQuery } from "../../query.ts";

/** What undoing a writing would do, and the rows of one of its counts. Nothing is changed. */
export const GET = route<{ id: string }>(async (request, { id }) => {
  const filter = previewQuery.parse(Object.fromEntries(new URL(request.url).searchParams));
  return await apart("preview of an undo", { writing: wholeNumber(id, "The writing"), filter });
});

const input = z.object({ reason: z.string().max(500).default(""), over: overChanged });

export const POST = route<{ id: string }>(async (request, { id }) => {
  const { reason, over } = input.parse(await body(request));
  return await apart("undo", { writing: wholeNumber(id, "The writing"), reason, by: "steward", over }, writeLimits());
});
