import { handle } from "@/app/server.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { loadRecords } from "@/routes/loads.ts";

export const GET = handle(loadRecords, ({ params, query: { from, limit, ...filter }, request }) =>
  apart("records of a load", { load: params.id, filter, from, limit }, { ...lookLimits(), signal: request.signal }),
);
