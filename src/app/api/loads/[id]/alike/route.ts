import { db, handle } from "@/app/server.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { closeAlike as close, reopenAlike as reopen } from "@/engine/release/alike.ts";
import { closeAlike, findAlike, reopenAlike } from "@/routes/loads.ts";

export const GET = handle(findAlike, ({ params: { id }, request }) =>
  apart("held records in a load", { load: id }, { ...lookLimits(), signal: request.signal }),
);

export const POST = handle(closeAlike, async ({ params: { id }, body: { records } }) => ({
  closed: await close(db(), id, records, "steward"),
}));

export const DELETE = handle(reopenAlike, async ({ body: { records } }) => ({ reopened: await reopen(db(), records) }));
