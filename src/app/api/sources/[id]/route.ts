import { body, db, route, wholeNumber } from "@/app/server.ts";
import { dropSource, lookSoon } from "@/store/sources.ts";

/** Has the source looked at within seconds. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  await body(request);
  await lookSoon(db(), wholeNumber(id, "The source"));
  return {};
});

export const DELETE = route<{ id: string }>(async (request, { id }) => {
  await dropSource(db(), wholeNumber(id, "The source"));
  return {};
});
