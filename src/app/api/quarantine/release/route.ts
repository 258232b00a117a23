import { handle } from "@/app/server.ts";
import { apart, writeLimits } from "@/engine/apart/apart.ts";
import { releaseHeld } from "@/routes/quarantine.ts";

export const POST = handle(releaseHeld, async ({ body: { records, overtaken, reason } }) => {
  const asked = { mends: records, by: "steward", options: { overtaken, reason } };
  const results = await apart("release", asked, writeLimits());
  const released = results.filter((r) => r.released);
  return {
    released: released.length,
    waiting: released.filter((r) => r.waits).length,
    uncompared: released.filter((r) => r.uncompared).length,
    stayed: results.filter((r) => !r.released),
  };
});
