import { handle } from "@/app/server.ts";
import type { ReadSection } from "@/core/plan/schema.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { sampleRecords } from "@/routes/feeds.ts";

export const POST = handle(sampleRecords, ({ params: { feed }, body: { read, ...asked }, request }) =>
  apart(
    "sample",
    { feed, read: read as unknown as ReadSection, ...asked },
    { ...lookLimits(), signal: request.signal },
  ),
);
