import { z } from "zod";
import { body, route } from "@/app/server.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { MOST_AT_ONCE } from "@/engine/release/release.ts";

const input = z.object({
  records: z
    .array(
      z.object({ load: z.int(), record: z.int(), values: z.record(z.string(), z.string().max(100_000)).optional() }),
    )
    .min(1)
    .max(MOST_AT_ONCE),
  overtaken: z.boolean().default(false),
  reason: z.string().max(500).default(""),
});

/** Releases held records; with `overtaken` also those whose key something newer has written since. */
export const POST = route(async (request) => {
  const { records, overtaken, reason } = input.parse(await body(request));
  const results = await apart(
    "release",
    { mends: records, by: "steward", options: { overtaken, reason } },
    writeLimits(),
  );
  return { released: results.filter((r) => r.released).length, stayed: results.filter((r) => !r.released) };
});
