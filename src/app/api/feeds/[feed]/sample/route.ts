import { handle } from "@/app/server.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { sampleRecords } from "@/routes/feeds.ts";

export const POST = handle(sampleRecords, ({ params: { feed }, body: { read, ...asked }, request }) =>
  apart("sample", { feed, read, ...asked }, { ...lookLimits(), signal: request.signal }),
);
