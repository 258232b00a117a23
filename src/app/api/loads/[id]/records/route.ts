import { route, wholeNumber } from "@/app/server.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { recordQuery } from "./query.ts";

export const GET = route<{ id: string }>(async (request, { id }) => {
  const { from, limit, ...filter } = recordQuery.parse(Object.fromEntries(new URL(request.url).searchParams));
  return await apart(
    "records of a load",
    { load: wholeNumber(id, "The load"), filter, from, limit },
    {
      ...lookLimits(),
      signal: request.signal,
    },
  );
});
