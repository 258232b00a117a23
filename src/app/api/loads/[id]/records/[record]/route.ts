import { handle } from "@/app/server.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { recordLife } from "@/routes/loads.ts";

export const GET = handle(recordLife, ({ params: { id, record }, request }) =>
  apart("life of a record", { load: id, record }, { ...lookLimits(), signal: request.signal }),
);
